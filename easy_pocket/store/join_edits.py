"""How sections end: joins added, set and taken away; fills drawn or brought from Ideas are kept as patterns."""

from __future__ import annotations

from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.ideas.change import Change, with_changes
from easy_pocket.core.pattern import Pattern
from easy_pocket.core.song.fill_for import cut_out, fill_for
from easy_pocket.core.song.section import MOST_JOINS
from easy_pocket.store.cell_edits import find_part
from easy_pocket.store.cells import Doc, Resolved, join_from_doc, join_to_doc
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.keep import begin
from easy_pocket.store.part_rows import free_name, in_kit_order, new_pattern
from easy_pocket.store.section_edits import find_section, finish_sections
from easy_pocket.store.songs import LoadedPart, LoadedSong


def set_joins(
    session: Session, song_id: int, revision: int, section_id: int, docs: list[Doc], gesture: str | None = None
) -> LoadedSong:
    """All joins of a section, as they are wanted."""
    loaded = begin(session, song_id, revision)
    section = find_section(loaded, section_id)
    for doc in docs:
        join = join_from_doc(doc)
        if join.kind != "drop":
            part = find_part(loaded, join.part)
            if join.kind in ("fill", "pickup") and join.pattern not in part.patterns_by_id:
                raise EditRefusedError(f"{part.row.name} has no such fill any more: choose another.")
    kept = [join_to_doc(join_from_doc(doc)) for doc in docs]
    return finish_sections(session, loaded, f"joins of {section.row.name}", [joins_patch(section, kept)], gesture)


def joins_patch(section: Resolved, joins: list[Doc]) -> Patch:
    if len(joins) > MOST_JOINS:
        raise EditRefusedError(f"A section has at most {MOST_JOINS} joins: take one away first.")
    own = {"own": sorted({*(section.row.own or ()), "joins"})} if section.parent is not None else {}
    return field_patch("section", section.row, joins=joins, **own)


def draw_fill(
    session: Session,
    song_id: int,
    revision: int,
    section_id: int,
    part_id: int,
    kind: str,
    beats: float,
    seed: int,
    last_only: bool,
) -> LoadedSong:
    """A fill (or pick-up) of the program's own for the end of a section, kept as a pattern of the part."""
    loaded = begin(session, song_id, revision)
    section, part = find_section(loaded, section_id), find_part(loaded, part_id)
    song = loaded.arrangement
    core = next(one for one in song.parts if one.key == part_id)
    where = next(one for one in song.sections if one.key == section_id)
    kit = loaded.kits[part.row.kit_key]
    pattern = fill_for(song, where, core, kit.roles, beats, seed)
    words = f"{'fill' if kind == 'fill' else 'pick-up'} of {beats:g} beats at the end of {section.row.name}"
    return _add_fill(session, loaded, section, part, kind, pattern, words, last_only)


def fill_from_idea(
    session: Session,
    song_id: int,
    revision: int,
    section_id: int,
    changes: tuple[Change, ...],
    window: tuple[int, int],
    last_only: bool,
) -> LoadedSong:
    """A fill made in Ideas for the pattern that is looked at ends a section; the pattern stays as it is."""
    loaded = begin(session, song_id, revision)
    section = find_section(loaded, section_id)
    part = find_part(loaded, loaded.part.id)
    begin_tick, end_tick = window
    if not 0 <= begin_tick < end_tick <= loaded.pattern.length_ticks:
        raise EditRefusedError("This fill lies outside the pattern now: ask for it again.")
    after = with_changes(loaded.pattern, changes)
    pattern = cut_out(after, begin_tick, end_tick)
    words = f"fill from Ideas at the end of {section.row.name}"
    crash = [
        {"kind": "crash", "part": part.row.id, "voice": hit.voice, "velocity": hit.velocity}
        for change in changes
        for hit in change.come
        if not begin_tick <= hit.tick < end_tick
    ]
    return _add_fill(session, loaded, section, part, "fill", pattern, words, last_only, crash[:1])


def _add_fill(
    session: Session,
    loaded: LoadedSong,
    section: Resolved,
    part: LoadedPart,
    kind: str,
    pattern: Pattern,
    words: str,
    last_only: bool,
    more: list[Doc] | None = None,
) -> LoadedSong:
    name = free_name("fill" if kind == "fill" else "pick-up", {row.name for row in part.patterns})
    row, patch = new_pattern(session, part.row.id, name, pattern)
    join: Doc = {"kind": kind, "part": part.row.id, "pattern": row.id}
    if last_only:
        join["last_only"] = True
    others = [one for one in section.joins if not (one["kind"] == kind and one.get("part") == part.row.id)]
    patches = [patch, joins_patch(section, [*others, join, *(more or ())])]
    needed = set(pattern.arrays.voices) - set(part.row.voices)
    if needed:
        patches.append(field_patch("part", part.row, voices=in_kit_order({*part.row.voices, *needed})))
    return finish_sections(session, loaded, words, patches)
