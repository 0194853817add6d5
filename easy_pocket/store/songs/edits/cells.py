"""Edits of cells: what a part plays in a section, which of its voices, how loud, with what of its feel changed."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.feel.feel import STORED
from easy_pocket.core.pattern.voices import check_voice, voice_name
from easy_pocket.core.song.section import ORDER
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.songs.cells import Doc, Resolved, cell_from_doc, feel_of_doc
from easy_pocket.store.songs.edits.fields import FeelField, Finite, Id, Ids, Voice
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit
from easy_pocket.store.songs.feels import checked_feel
from easy_pocket.store.songs.find import find_part, find_section
from easy_pocket.store.songs.song_rows import PartOfRows


def cell_patch(section: Resolved, part_id: int, cell: Doc | None) -> Patch:
    """The section with this cell of its own; a rest of a variation is kept as one of its own."""
    cells = {**section.row.cells, str(part_id): cell}
    if cell is None and section.parent is None:
        del cells[str(part_id)]
    return field_patch("section", section.row, cells=cells)


class SetCell(Edit):
    """Which pattern the part plays in sections: an id, 0 for the part's own order, null for rest."""

    kind: Literal["cell_set"]
    section_ids: Ids
    part_id: Id
    pattern: Annotated[int, Field(ge=0, le=2**31 - 1)] | None


@edit(description="{part} plays {what} in {where}")
def set_cell(context: EditContext, sent: SetCell) -> Step:
    song = context.song
    part = find_part(song, sent.part_id)
    what = _pattern_name(part, sent.pattern)
    patches = []
    for section_id in sent.section_ids:
        section = find_section(song, section_id)
        cell = dict(section.cells.get(sent.part_id) or {})
        for gone in ("written", "start"):
            cell.pop(gone, None)
        wanted = None if sent.pattern is None else {**cell, "pattern": sent.pattern}
        patches.append(cell_patch(section, sent.part_id, wanted))
    count = len(sent.section_ids)
    where = find_section(song, sent.section_ids[0]).row.name if count == 1 else f"{count} sections"
    return Step(patches, said={"part": part.row.name, "what": what, "where": where}, long=True)


def _pattern_name(part: PartOfRows, pattern: int | None) -> str:
    if pattern is None:
        return "nothing"
    if pattern == ORDER:
        return "its order"
    row = next((row for row in part.patterns if row.id == pattern), None)
    if row is None:
        raise EditRefusedError(f"{part.row.name} has no such pattern any more: choose another.")
    return row.name


class OfCell(Edit):
    section_id: Id
    part_id: Id


def _changed(context: EditContext, sent: OfCell, shown: str, **values: object) -> Step:
    """The cell with these of its fields; raises BadValueError for what is out of range."""
    section, part, cell = _cell(context, sent)
    changed = {**cell, **values}
    cell_from_doc(changed, {})
    said = {"where": f"{part.row.name} in {section.row.name}", "shown": shown}
    return Step([cell_patch(section, sent.part_id, changed)], said=said, long=True)


def _cell(context: EditContext, sent: OfCell) -> tuple[Resolved, PartOfRows, Doc]:
    section, part = find_section(context.song, sent.section_id), find_part(context.song, sent.part_id)
    cell = section.cells.get(sent.part_id)
    if cell is None:
        raise EditRefusedError(f"{part.row.name} rests in {section.row.name}: let it play a pattern there first.")
    return section, part, cell


class CellLevel(OfCell):
    kind: Literal["cell_level"]
    value: Finite


@edit(description="level of {where} {shown}")
def set_cell_level(context: EditContext, sent: CellLevel) -> Step:
    return _changed(context, sent, f"{sent.value:g}", level_db=float(sent.value))


class CellMute(OfCell):
    kind: Literal["cell_mute"]
    voice: Voice
    value: bool


@edit(description="{shown}: {where}")
def mute_in_cell(context: EditContext, sent: CellMute) -> Step:
    _, _, cell = _cell(context, sent)
    muted = set(cell.get("muted", ())) - {check_voice(sent.voice)} | ({sent.voice} if sent.value else set())
    shown = f"{voice_name(sent.voice)} {'muted' if sent.value else 'sounds'}"
    return _changed(context, sent, shown, muted=sorted(muted))


class CellFeel(OfCell):
    """Set a field of the feel for one cell; null goes by the part again."""

    kind: Literal["cell_feel"]
    field: FeelField
    value: bool | Finite | Annotated[str, Field(max_length=20)] | None


@edit(description="{shown} of {where}")
def set_cell_feel(context: EditContext, sent: CellFeel) -> Step:
    _, _, cell = _cell(context, sent)
    feel = {key: kept for key, kept in (cell.get("feel") or {}).items() if key != sent.field}
    if sent.value is not None:
        feel[sent.field] = checked_feel(context.session, sent.field, sent.value)
        feel_of_doc(feel, {})  # refuses what is out of range
    return _changed(context, sent, STORED[sent.field].short, feel=feel)


class CopyCell(Edit):
    """Copy a cell, or a rest, with all that is set in it to other sections."""

    kind: Literal["cell_copy"]
    part_id: Id
    from_id: Id
    to_ids: Ids


@edit(description="copy {part} of {source} to {count}")
def copy_cell(context: EditContext, sent: CopyCell) -> Step:
    song, part_id = context.song, sent.part_id
    part, source = find_part(song, part_id), find_section(song, sent.from_id)
    cell = source.cells.get(part_id)
    others = [one for one in sent.to_ids if one != sent.from_id]
    patches = [cell_patch(find_section(song, one), part_id, cell and dict(cell)) for one in others]
    if not patches:
        raise EditRefusedError("A cell is copied to other sections: drag it along its row.")
    count = f"{len(patches)} section{'s' if len(patches) > 1 else ''}"
    return Step(patches, said={"part": part.row.name, "source": source.row.name, "count": count}, long=True)


class FreeCell(OfCell):
    """Let a cell of a variation follow its parent's again."""

    kind: Literal["cell_free"]


@edit(description="{part} in {section} as in {parent}")
def free_cell(context: EditContext, sent: FreeCell) -> Step:
    section, part = find_section(context.song, sent.section_id), find_part(context.song, sent.part_id)
    if section.parent is None or str(sent.part_id) not in section.row.cells:
        raise EditRefusedError(f"{part.row.name} in {section.row.name} has nothing of its own to give back.")
    cells = {key: cell for key, cell in section.row.cells.items() if key != str(sent.part_id)}
    said = {"part": part.row.name, "section": section.row.name, "parent": section.parent.name}
    return Step([field_patch("section", section.row, cells=cells)], said=said, long=True)
