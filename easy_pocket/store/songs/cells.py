"""What parts play in sections, and how sections end, as they are kept.

A cell is {"pattern": id, or 0 for the part's order} with any of "start" (ticks), "muted" (voices), "level_db", "feel"
(settings) and "written" (of a song written out flat). A join is {"kind"} with any of the fields of the core's Join.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from typing import Any

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import STRAIGHT, Feel
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.song.section import ORDER, Cell, Join
from easy_pocket.store.schema.tables import SectionRow

Doc = dict[str, Any]
PLAIN_JOIN = {one.name: one.default for one in fields(Join) if one.name != "kind"}
INHERITED = ("bars", "repeats", "tempo_bpm", "metre", "joins")  # what a variation has from its parent until it is set


def feel_of_doc(doc: Mapping[str, Any], templates: Mapping[int, GrooveTemplate]) -> Feel:
    """A scope's settings; a template that is gone counts as not set."""
    known = {f.name for f in fields(Feel)} - {"template"}
    values = {name: value for name, value in doc.items() if name in known}
    return Feel(template=templates.get(doc.get("template_id", 0)), **values)


def cell_from_doc(doc: Doc, templates: Mapping[int, GrooveTemplate]) -> Cell:
    feel = doc.get("feel")
    if not feel:  # the rule, and a song has many cells
        found, stamp = STRAIGHT, ""
    else:
        found, stamp = feel_of_doc(feel, templates), json.dumps(feel, sort_keys=True)
    return Cell(
        pattern=doc.get("pattern", ORDER),
        start_ticks=doc.get("start", 0),
        muted=frozenset(doc.get("muted", ())),
        level_db=doc.get("level_db", 0.0),
        feel=found,
        written=doc.get("written", False),
        stamp=stamp,
    )


def cell_to_doc(cell: Cell, feel: Doc) -> Doc:
    """feel: the cell's settings as they are kept."""
    doc: Doc = {"pattern": cell.pattern}
    for name, value in (
        ("start", cell.start_ticks), ("muted", sorted(cell.muted)), ("level_db", cell.level_db), ("feel", feel),
        ("written", cell.written),
    ):  # fmt: skip
        if value:
            doc[name] = value
    return doc


def join_from_doc(doc: Doc) -> Join:
    """Raises BadValueError for a field there is none of."""
    unknown = set(doc) - {"kind", *PLAIN_JOIN}
    if unknown:
        raise BadValueError(f"'{sorted(unknown)[0][:30]}' is nothing a join has.")
    return Join(**{**doc, "keep": frozenset(doc.get("keep", ()))})


def join_to_doc(join: Join) -> Doc:
    doc = {name: value for name, value in asdict(join).items() if name == "kind" or value != PLAIN_JOIN[name]}
    return {**doc, "keep": sorted(join.keep)} if join.keep else doc


@dataclass(frozen=True)
class Resolved:
    """A section with what it has from the one it is a variation of. own: names of fields, and "cell <part id>", that
    are its own although it is a variation."""

    row: SectionRow
    bars: int
    repeats: int
    tempo_bpm: float | None
    metre: str | None
    cells: dict[int, Doc]
    joins: tuple[Doc, ...]
    parent: SectionRow | None = None
    own: frozenset[str] = frozenset()


def resolved(sections: tuple[SectionRow, ...]) -> tuple[Resolved, ...]:
    """In their order; sections of no bars are left out."""
    rows = {row.id: row for row in sections}
    found = (_resolve(row, rows, 0) for row in sections)
    return tuple(one for one in found if one.bars > 0)


def _resolve(row: SectionRow, rows: Mapping[int, SectionRow], depth: int) -> Resolved:
    own_cells = {int(part): cell for part, cell in row.cells.items()}
    parent = rows.get(row.parent_id or 0)
    if parent is None or depth > 8:
        cells = {part: cell for part, cell in own_cells.items() if cell is not None}
        return Resolved(row, row.bars, row.repeats, row.tempo_bpm, row.metre, cells, tuple(row.joins or ()))
    above = _resolve(parent, rows, depth + 1)
    own = set(row.own or ())
    cells = {part: cell for part, cell in {**above.cells, **own_cells}.items() if cell is not None}
    value = {name: getattr(row if name in own else above, name) for name in INHERITED}
    return Resolved(
        row, value["bars"], value["repeats"], value["tempo_bpm"], value["metre"], cells, tuple(value["joins"] or ()),
        parent, frozenset(own | {f"cell {part}" for part in own_cells}),
    )  # fmt: skip
