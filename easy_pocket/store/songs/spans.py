"""Sections of a song: where they lie, and how they go along when a pattern gets another length."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import MAX_BARS, Metre, parse_metre
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.schema.tables import SectionRow
from easy_pocket.store.songs.cells import Resolved, resolved

if TYPE_CHECKING:
    from easy_pocket.store.songs.song_rows import SongRows

MOST_SECTIONS = 128


@dataclass(frozen=True)
class Place:
    """Where a section lies in the song: first_bar counts from 1, all_bars with its repeats."""

    section: Resolved
    first_bar: int

    @property
    def all_bars(self) -> int:
        return self.section.bars * self.section.repeats

    @property
    def last_bar(self) -> int:
        return self.first_bar + self.all_bars - 1


def places(sections: tuple[Resolved, ...]) -> list[Place]:
    found, bar = [], 1
    for one in sections:
        found.append(Place(one, bar))
        bar += one.bars * one.repeats
    return found


def bars_played(
    sections: tuple[SectionRow, ...], part: int, pattern: int, metre: Metre
) -> dict[int, tuple[int, int] | None]:
    """For every section the first and last bar (from 1) of the pattern that the part plays in it, None where it plays
    another one or rests."""
    found: dict[int, tuple[int, int] | None] = {row.id: None for row in sections}
    for one in resolved(sections):
        cell = one.cells.get(part)
        if cell is not None and cell.get("pattern") == pattern:
            first = cell.get("start", 0) // bar_ticks(one, metre) + 1
            found[one.row.id] = (first, first + one.bars - 1)
    return found


def follow_length(song: SongRows, before: Pattern, after: Pattern) -> list[Patch]:
    """Sections that ended where the pattern ended end where it ends now; patches, applied already. A section that plays
    the pattern several times, or a part of it, stays as it is."""
    patches: list[Patch] = []
    if before.bars == after.bars:
        return patches
    part = song.part.id
    for one in song.resolved:
        cell = one.cells.get(part)
        if cell is None or cell.get("pattern") != song.pattern_row.id or cell.get("written"):
            continue
        if one.parent is not None and "bars" not in one.own:
            continue  # it goes along with the section it is a variation of
        begin = cell.get("start", 0) // bar_ticks(one, song.metre)
        if begin + one.bars != before.bars:
            continue
        bars = max(after.bars - begin, 1)
        if bars != one.bars:
            patches.append(field_patch("section", one.row, bars=bars))
            one.row.bars = bars
    check_length(resolved(song.sections))
    return patches


def bar_ticks(section: Resolved, metre: Metre) -> int:
    return parse_metre(section.metre).bar_ticks if section.metre else metre.bar_ticks


def check_length(sections: tuple[Resolved, ...]) -> None:
    """Raises EditRefusedError when they are too many, or too long together."""
    bars = sum(one.bars * one.repeats for one in sections)
    if bars > MAX_BARS:
        raise EditRefusedError(
            f"The song would have {bars} bars with its repeats; {MAX_BARS} fit: take some away first."
        )
    if len(sections) > MOST_SECTIONS:
        raise EditRefusedError(f"A song has at most {MOST_SECTIONS} sections: join or remove one first.")


def put_before(session: Session, song: SongRows, named: list[tuple[str, int]]) -> list[Patch]:
    """New sections (name, bars) before those there are; they play, one after another, what was put before the pattern,
    and the others of it what comes after. Patches, applied already."""
    sections, part = song.sections, str(song.part.id)
    ticks = song.metre.bar_ticks
    added_bars = sum(bars for _, bars in named)
    patches: list[Patch] = []
    for row in sections:
        fields: dict[str, object] = {"position": row.position + len(named)}
        cell = row.cells.get(part)
        if cell and cell.get("pattern") == song.pattern_row.id:
            fields["cells"] = {**row.cells, part: {**cell, "start": cell.get("start", 0) + added_bars * ticks}}
        patches.append(field_patch("section", row, **fields))
        for name, value in fields.items():
            setattr(row, name, value)
    begun = 0
    first = next(iter(song.resolved), None)
    others = {str(key): cell for key, cell in first.cells.items() if str(key) != part} if first else {}
    for position, (name, bars) in enumerate(named):
        cells = {**others, part: {"pattern": song.pattern_row.id, **({"start": begun * ticks} if begun else {})}}
        patches.append(add_row(session, song.row.id, position=position, name=name, bars=bars, cells=cells))
        begun += bars
    return patches


def add_row(session: Session, song_id: int, **values: Any) -> Patch:
    """A section that is there now; the patch that says so."""
    row = SectionRow(**{"song_id": song_id, "repeats": 1, "joins": [], "own": [], "notes": "", "mark": "", **values})
    session.add(row)
    session.flush()
    return {"table": "section", "id": row.id, "exists": [None, section_doc(row)]}


def section_doc(row: SectionRow) -> dict[str, object]:
    names = (
        "song_id", "position", "name", "bars", "repeats", "tempo_bpm", "metre", "cells", "joins", "parent_id", "own",
        "notes", "mark",
    )  # fmt: skip
    return {name: getattr(row, name) for name in names}
