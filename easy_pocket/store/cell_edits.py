"""Cells of the song: what a part plays in a section, which of its voices, how loud, with what of its feel changed."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.song.section import ORDER
from easy_pocket.core.voices import ROLES, check_voice
from easy_pocket.store.cells import Doc, Resolved, cell_from_doc, feel_of_doc
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.feels import FEEL_WORDS, checked_feel
from easy_pocket.store.keep import begin
from easy_pocket.store.section_edits import find_section, finish_sections
from easy_pocket.store.songs import LoadedPart, LoadedSong


def find_part(loaded: LoadedSong, part_id: int) -> LoadedPart:
    found = next((part for part in loaded.parts if part.row.id == part_id), None)
    if found is None:
        raise EditRefusedError("This part is gone: look at the parts as they are now.")
    return found


def set_cell(
    session: Session, song_id: int, revision: int, section_ids: list[int], part_id: int, pattern: int | None
) -> LoadedSong:
    """Which pattern the part plays in sections, ORDER for its own order of them, None for rest."""
    loaded = begin(session, song_id, revision)
    part = find_part(loaded, part_id)
    name = _pattern_name(part, pattern)
    patches = []
    for section_id in section_ids:
        section = find_section(loaded, section_id)
        cell = dict(section.cells.get(part_id) or {})
        for gone in ("written", "start"):
            cell.pop(gone, None)
        patches.append(cell_patch(section, part_id, None if pattern is None else {**cell, "pattern": pattern}))
    where = find_section(loaded, section_ids[0]).row.name if len(section_ids) == 1 else f"{len(section_ids)} sections"
    return finish_sections(session, loaded, f"{part.row.name} plays {name} in {where}", patches)


def _pattern_name(part: LoadedPart, pattern: int | None) -> str:
    if pattern is None:
        return "nothing"
    if pattern == ORDER:
        return "its order"
    row = next((row for row in part.patterns if row.id == pattern), None)
    if row is None:
        raise EditRefusedError(f"{part.row.name} has no such pattern any more: choose another.")
    return row.name


def cell_patch(section: Resolved, part_id: int, cell: Doc | None) -> Patch:
    """The section with this cell of its own; a rest of a variation is kept as one of its own."""
    cells = {**section.row.cells, str(part_id): cell}
    if cell is None and section.parent is None:
        del cells[str(part_id)]
    return field_patch("section", section.row, cells=cells)


def change_cell(
    session: Session,
    song_id: int,
    revision: int,
    section_id: int,
    part_id: int,
    field: str,
    value: Any,
    gesture: str | None = None,
) -> LoadedSong:
    """field: "level_db"; "mute <voice>" (a switch); "feel <field>" (None gives it back)."""
    loaded = begin(session, song_id, revision)
    section, part = find_section(loaded, section_id), find_part(loaded, part_id)
    cell = section.cells.get(part_id)
    if cell is None:
        raise EditRefusedError(f"{part.row.name} rests in {section.row.name}: let it play a pattern there first.")
    where = f"of {part.row.name} in {section.row.name}"
    kind, _, name = field.partition(" ")
    if kind == "level_db":
        changed, words = {**cell, "level_db": float(value)}, f"level {where} {value:g}"
    elif kind == "mute":
        muted = set(cell.get("muted", ())) - {check_voice(name)} | ({name} if value else set())
        changed = {**cell, "muted": sorted(muted)}
        words = f"{ROLES[name].name.lower()} {where} {'muted' if value else 'sounds'}"
    else:
        feel = {key: kept for key, kept in (cell.get("feel") or {}).items() if key != name}
        if value is not None:
            feel[name] = checked_feel(loaded, name, value)
            feel_of_doc(feel, {})  # refuses what is out of range
        changed, words = {**cell, "feel": feel}, f"{FEEL_WORDS[name]} {where}"
    cell_from_doc(changed, {})  # refuses what is out of range
    return finish_sections(session, loaded, words, [cell_patch(section, part_id, changed)], gesture)


def copy_cell(
    session: Session, song_id: int, revision: int, part_id: int, from_id: int, to_ids: list[int]
) -> LoadedSong:
    """A cell, with all that is set in it, to other sections; a rest too."""
    loaded = begin(session, song_id, revision)
    part, source = find_part(loaded, part_id), find_section(loaded, from_id)
    cell = source.cells.get(part_id)
    patches = [cell_patch(find_section(loaded, one), part_id, cell and dict(cell)) for one in to_ids if one != from_id]
    if not patches:
        raise EditRefusedError("A cell is copied to other sections: drag it along its row.")
    words = f"copy {part.row.name} of {source.row.name} to {len(patches)} section{'s' if len(patches) > 1 else ''}"
    return finish_sections(session, loaded, words, patches)


def free_cell(session: Session, song_id: int, revision: int, section_id: int, part_id: int) -> LoadedSong:
    """A cell of a variation goes along with its parent's again."""
    loaded = begin(session, song_id, revision)
    section, part = find_section(loaded, section_id), find_part(loaded, part_id)
    if section.parent is None or str(part_id) not in section.row.cells:
        raise EditRefusedError(f"{part.row.name} in {section.row.name} has nothing of its own to give back.")
    cells = {key: cell for key, cell in section.row.cells.items() if key != str(part_id)}
    words = f"{part.row.name} in {section.row.name} as in {section.parent.name}"
    return finish_sections(session, loaded, words, [field_patch("section", section.row, cells=cells)])
