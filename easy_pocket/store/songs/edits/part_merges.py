"""Parts merged into one, and split by voice."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.song.merge_parts import merged_pattern, only_voice, voices_of
from easy_pocket.core.song.stage_sound import voice_place
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.schema.tables import PartRow
from easy_pocket.store.songs.cells import Doc
from easy_pocket.store.songs.edits.cells import cell_patch
from easy_pocket.store.songs.edits.fields import Id
from easy_pocket.store.songs.edits.parts import OfPart
from easy_pocket.store.songs.edits.registry import EditContext, Preparation, Step, edit
from easy_pocket.store.songs.find import find_part
from easy_pocket.store.songs.moved_rows import moved_cell, moved_join
from easy_pocket.store.songs.part_rows import free_name, in_kit_order, new_part, new_pattern, part_values
from easy_pocket.store.songs.song_rows import PartOfRows, SongRows
from easy_pocket.store.songs.stage_doc import with_places_copied


class MergeParts(OfPart):
    """Two parts become the first of them: for every section a pattern of what both play there. It keeps its own kit and
    feel; cycles, orders and marks are carried out in the patterns."""

    kind: Literal["part_merge"]
    other_id: Id


def _merged(preparation: Preparation, sent: MergeParts) -> dict[int, Pattern]:
    """What both play in every section that says so itself, by its id."""
    song, wanted = preparation.song, (sent.part_id, sent.other_id)
    for part_id in wanted:
        find_part(song, part_id)
    if sent.part_id == sent.other_id:
        raise EditRefusedError("A part is merged with another one: choose it.")
    whole = song.arrangement
    parts = [part for part in whole.parts if part.key in wanted]
    found = {}
    for one in song.resolved:
        if one.parent is not None and not {str(part_id) for part_id in wanted} & set(one.row.cells):
            continue
        if set(wanted) & set(one.cells):
            section = next(section for section in whole.sections if section.key == one.row.id)
            found[one.row.id] = merged_pattern(whole, section, parts)
    return found


@edit(description="merge {other} into {into}", prepare=_merged)
def merge_parts(context: EditContext, sent: MergeParts) -> Step:
    song, session = context.song, context.session
    into, other = find_part(song, sent.part_id), find_part(song, sent.other_id)
    patches: list[Patch] = []
    made: dict[tuple[object, ...], int] = {}
    taken = {row.name for row in into.patterns}
    for one in song.resolved:
        pattern = context.prepared.get(one.row.id)
        if pattern is None:
            continue
        key = (pattern.length_ticks, pattern.hits)
        if key not in made:
            row, patch = new_pattern(session, sent.part_id, free_name(one.row.name, taken), pattern)
            made[key] = row.id
            patches.append(patch)
        level = (one.cells.get(sent.part_id) or {}).get("level_db", 0.0)
        cell = {"pattern": made[key], **({"level_db": level} if level else {})}
        patches.append(cell_patch(one, sent.part_id, cell))
    patches += _joins_moved(session, song, into, other)
    voices = in_kit_order({*into.row.voices, *other.row.voices})
    mix = {**other.row.mix, **into.row.mix}
    moves = [(voice_place(sent.other_id, voice), voice_place(sent.part_id, voice)) for voice in other.row.voices]
    stage = with_places_copied(song.row.stage, moves)
    patches += [field_patch("song", song.row, stage=stage)] if stage != song.row.stage else []
    plain = {"cycle_ticks": None, "start_shift_ticks": 0, "rotation_ticks": 0, "restarts": True, "bars": ""}
    patches += [
        field_patch("part", into.row, voices=voices, mix=mix, pattern_order=[], change_percent=0.0, **plain),
        field_patch("part", other.row, removed=True),
    ]
    return Step(patches, said={"other": other.row.name, "into": into.row.name}, long=True)


def _joins_moved(session: Session, song: SongRows, into: PartOfRows, other: PartOfRows) -> list[Patch]:
    """Joins of a part that is merged into another one become that one's, with copies of their fills."""
    patches: list[Patch] = []
    copies: dict[int, int] = {}
    taken = {row.name for row in into.patterns}
    for one in song.resolved:
        if not any(join.get("part") == other.row.id for join in one.row.joins or ()):
            continue
        for join in one.row.joins:
            key = join.get("pattern", 0)
            if join.get("part") == other.row.id and key in other.patterns_by_id and key not in copies:
                name = free_name(next(row.name for row in other.patterns if row.id == key), taken)
                taken.add(name)
                made, patch = new_pattern(session, into.row.id, name, other.patterns_by_id[key])
                copies[key] = made.id
                patches.append(patch)
        moved = [
            moved_join(join, {other.row.id: into.row.id}, copies) if join.get("part") == other.row.id else join
            for join in one.row.joins
        ]
        patches.append(field_patch("section", one.row, joins=moved))
    return patches


class SplitPart(OfPart):
    """One part for each of its voices, each with the part's rules, feel and cells; the first keeps its place."""

    kind: Literal["part_split"]


@edit(description="split {name} into {count} parts by voice")
def split_part(context: EditContext, sent: SplitPart) -> Step:
    song, session = context.song, context.session
    part = find_part(song, sent.part_id)
    core = next(one for one in song.arrangement.parts if one.key == sent.part_id)
    voices = in_kit_order(set(voices_of(core)))
    if len(voices) < 2:
        raise EditRefusedError(f"{part.row.name} has one voice only: there is nothing to split.")
    patches: list[Patch] = []
    cells: dict[int, Doc] = {one.row.id: dict(one.row.cells) for one in song.resolved}
    joins: dict[int, list[Doc]] = {one.row.id: list(one.row.joins or ()) for one in song.resolved}
    taken = {one.row.name for one in song.parts}
    rows: list[PartRow] = []
    for number, voice in enumerate(voices):
        name = free_name(f"{part.row.name}: {voice_name(voice)}"[:80], taken)
        taken.add(name)
        values = {**part_values(part), "name": name, "voices": [voice]}
        row, some = new_part(session, song, part.row.position + 1 + number, **values)
        row.player += number
        rows.append(row)
        ids: dict[int, int] = {}
        for pattern in part.patterns:
            own = only_voice(part.patterns_by_id[pattern.id], voice)
            made, patch = new_pattern(session, row.id, pattern.name, own)
            ids[pattern.id] = made.id
            some.append(patch)
        order = [ids[key] for key in part.row.pattern_order or () if key in ids]
        patches += [*some, field_patch("part", row, pattern_order=order)]
        for one in song.resolved:
            if str(sent.part_id) in one.row.cells:
                cells[one.row.id][str(row.id)] = moved_cell(one.row.cells[str(sent.part_id)], ids)
            for join in one.row.joins or ():
                if join.get("part") == sent.part_id and join.get("pattern"):
                    joins[one.row.id].append(moved_join(join, {sent.part_id: row.id}, ids))
    for one in song.resolved:
        others = [join for join in joins[one.row.id] if join.get("part") != sent.part_id or not join.get("pattern")]
        kept = [{**join, "part": rows[0].id} if join.get("part") == sent.part_id else join for join in others]
        patches.append(field_patch("section", one.row, cells=cells[one.row.id], joins=kept))
    # Each part made room for one; together they need room for all.
    after = [one.row for one in song.parts if one.row.position > part.row.position]
    patches = [patch for patch in patches if not _moves(patch, {row.id for row in after})]
    patches += [field_patch("part", row, position=row.position + len(voices)) for row in after]
    stage = _split_stage(song.row.stage, part.row.id, dict(zip(voices, [row.id for row in rows], strict=True)))
    patches += [field_patch("song", song.row, stage=stage)] if stage != song.row.stage else []
    patches.append(field_patch("part", part.row, removed=True))
    return Step(patches, said={"name": part.row.name, "count": len(voices)}, long=True)


def _split_stage(stage: Doc | None, part_id: int, new_ids: Mapping[str, int]) -> Doc | None:
    """The Stage with what the part and each voice had for the voice's new part (by voice: its id)."""
    moves = [(f"part:{part_id}", f"part:{new}") for new in new_ids.values()]
    moves += [(voice_place(part_id, voice), voice_place(new, voice)) for voice, new in new_ids.items()]
    for move in moves:  # one after another: the chain of the part goes to each of them
        stage = with_places_copied(stage, [move])
    return stage


def _moves(patch: Patch, ids: set[int]) -> bool:
    return patch["table"] == "part" and patch["id"] in ids and "position" in patch.get("fields", {})
