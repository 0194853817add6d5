"""Parts as they are edited: made, set, moved, merged, split by voice, taken away; and their patterns."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, EditRefusedError, as_number
from easy_pocket.core.pattern import Pattern
from easy_pocket.core.put_line import on_kit, stand_in
from easy_pocket.core.song.merged import merged_pattern, only_voice, voices_of
from easy_pocket.core.song.part import Part, Turning
from easy_pocket.core.song.spoken import marks_spoken, ticks_spoken
from easy_pocket.core.timebase import GRID_TICKS, Metre
from easy_pocket.core.voices import check_voice, voice_name
from easy_pocket.store.arrangement import turning_of
from easy_pocket.store.cell_edits import cell_patch, find_part
from easy_pocket.store.cells import Doc
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.duplicate import moved_cell, moved_join
from easy_pocket.store.keep import begin, finish
from easy_pocket.store.kits import load_kit
from easy_pocket.store.lines import find_line
from easy_pocket.store.loop_uses import heard_beat
from easy_pocket.store.loops import get_loop
from easy_pocket.store.models import PartRow
from easy_pocket.store.part_rows import (
    MOST_OF_PART,
    free_name,
    in_kit_order,
    new_part,
    new_pattern,
    part_values,
    pattern_name,
)
from easy_pocket.store.section_edits import finish_sections
from easy_pocket.store.songs import LoadedPart, LoadedSong, check_name

TURNING = {
    "cycle_ticks": "cycle", "start_shift_ticks": "start shift", "rotation_ticks": "rotation", "restarts": "restart",
    "bars": "bars it plays", "pattern_order": "order of patterns", "change_percent": "change rate", "seed": "seed",
}  # fmt: skip
PART_WORDS = {
    **TURNING, "name": "name", "step_ticks": "step size", "fills": "fills", "level_db": "level", "mute": "mute",
    "solo": "solo", "kit_key": "kit",
}  # fmt: skip


def _added(session: Session, loaded: LoadedSong, name: str, pattern: Pattern, words: str, **values: Any) -> LoadedSong:
    """A part with one pattern, which it plays in every section."""
    taken = {part.row.name for part in loaded.parts}
    row, patches = new_part(session, loaded, len(loaded.parts), name=free_name(check_name(name), taken), **values)
    made, patch = new_pattern(session, row.id, "A", pattern)
    patches.append(patch)
    patches += [cell_patch(one, row.id, {"pattern": made.id}) for one in loaded.resolved if one.parent is None]
    return finish_sections(session, loaded, words, patches)


def add_part(session: Session, song_id: int, revision: int, kit_key: str, name: str = "") -> LoadedSong:
    """With a bar that is empty, and no rail yet but the kit's first two."""
    loaded = begin(session, song_id, revision)
    kit = load_kit(session, kit_key)
    words = f"add a part on {kit.name}"
    pattern = Pattern(loaded.metre.bar_ticks, (), loaded.metre)
    voices = list(kit.roles[:2])
    return _added(session, loaded, name or kit.name, pattern, words, kit_key=kit.key, voices=voices)


def add_part_of_line(session: Session, song_id: int, revision: int, kit_key: str, key: str) -> LoadedSong:
    """A starter line, or one of the user's, as a part of its own."""
    loaded = begin(session, song_id, revision)
    kit, line = load_kit(session, kit_key), find_line(session, key)
    hits = on_kit(line.hits, kit.roles)
    pattern = Pattern(line.length_ticks, hits, loaded.metre)
    voices = in_kit_order({hit.voice for hit in hits})
    name = line.name[:1].upper() + line.name[1:]
    return _added(session, loaded, name, pattern, f"{name} as a part", kit_key=kit.key, voices=voices)


def add_part_of_loop(session: Session, song_id: int, revision: int, kit_key: str, loop_id: int) -> LoadedSong:
    """A loop's hits, at their true places, as a part of its own."""
    loaded = begin(session, song_id, revision)
    kit, row = load_kit(session, kit_key), get_loop(session, song_id, loop_id)
    beat = heard_beat(session, row).pattern
    if not beat.hits:
        raise EditRefusedError(f"{row.name} holds no hits to write: add some by hand, or raise the sensitivity.")
    hits = on_kit(beat.hits, kit.roles)
    pattern = Pattern(beat.length_ticks, hits, loaded.metre)
    voices = in_kit_order({hit.voice for hit in hits})
    name = row.name.rsplit(".", 1)[0][:60]
    return _added(session, loaded, name, pattern, f"hits of {row.name} as a part", kit_key=kit.key, voices=voices)


def copy_part(
    session: Session, song_id: int, revision: int, part_id: int, kit_key: str, muted: tuple[str, ...] = ()
) -> LoadedSong:
    """The same hits on another kit, some voices muted; it plays where the other one does."""
    loaded = begin(session, song_id, revision)
    source, kit = find_part(loaded, part_id), load_kit(session, kit_key)
    lacking = [voice for voice in source.row.voices if voice not in kit.roles]
    taken = {part.row.name for part in loaded.parts}
    mix = {**source.row.mix, **{check_voice(v): {**source.row.mix.get(v, {}), "mute": True} for v in muted}}
    name = free_name(f"{source.row.name} on {kit.name}"[:80], taken)
    values = {**part_values(source), "name": name, "kit_key": kit.key, "mix": mix}
    values["voices"] = in_kit_order({stand_in(v, kit.roles) for v in source.row.voices})
    row, patches = new_part(session, loaded, source.row.position + 1, **values)
    ids = {}
    for pattern in source.patterns:
        hits = source.patterns_by_id[pattern.id]
        made, patch = new_pattern(session, row.id, pattern.name, replace(hits, hits=on_kit(hits.hits, kit.roles)))
        ids[pattern.id] = made.id
        patches.append(patch)
    patches.append(
        field_patch("part", row, pattern_order=[ids[key] for key in source.row.pattern_order or () if key in ids])
    )
    for one in loaded.resolved:
        own = one.parent is None or str(part_id) in one.row.cells
        if own and (one.cells.get(part_id) or one.parent is not None):
            patches.append(cell_patch(one, row.id, moved_cell(one.cells.get(part_id), ids)))
    words = f"{source.row.name} again on {kit.name}" + (
        f", {len(lacking)} voices by the nearest it has" if lacking else ""
    )
    return finish_sections(session, loaded, words, patches)


def take_part(session: Session, song_id: int, revision: int, part_id: int) -> LoadedSong:
    loaded = begin(session, song_id, revision)
    part = find_part(loaded, part_id)
    if len(loaded.parts) < 2:
        raise EditRefusedError("A song needs one part at least: add another one first.")
    return finish_sections(session, loaded, f"take away {part.row.name}", [field_patch("part", part.row, removed=True)])


def move_part(session: Session, song_id: int, revision: int, part_id: int, to: int) -> LoadedSong:
    """To a place among the parts, counted from 0."""
    loaded = begin(session, song_id, revision)
    part = find_part(loaded, part_id)
    rows = [one.row for one in loaded.parts if one.row.id != part_id]
    rows.insert(max(0, min(to, len(rows))), part.row)
    patches = [field_patch("part", row, position=at) for at, row in enumerate(rows) if row.position != at]
    if not patches:
        raise EditRefusedError(f"{part.row.name} is there already.")
    return finish(session, loaded, f"move {part.row.name}", patches, None)


def set_part(
    session: Session, song_id: int, revision: int, part_id: int, field: str, value: Any, gesture: str | None = None
) -> LoadedSong:
    """One field of a part; what is out of range is refused by the core's own rules."""
    loaded = begin(session, song_id, revision)
    part = find_part(loaded, part_id)
    kept = _checked(session, part, field, _spoken(loaded, part, field, value))
    shown = value if isinstance(value, str) and field != "bars" else ""
    words = f"{PART_WORDS[field]} of {part.row.name} {shown or _said(field, kept)}".strip()
    return finish_sections(session, loaded, words, [field_patch("part", part.row, **{field: kept})], gesture)


def _spoken(loaded: LoadedSong, part: LoadedPart, field: str, value: Any) -> Any:
    """What was typed in words, as a value."""
    if isinstance(value, str) and field == "cycle_ticks":
        return ticks_spoken(value, loaded.metre, part.row.step_ticks)
    if isinstance(value, str) and field in ("start_shift_ticks", "rotation_ticks"):
        return ticks_spoken(value if value.strip() != "0" else "0 ticks", loaded.metre, part.row.step_ticks) or 0
    if isinstance(value, str) and field == "bars":
        return marks_spoken(value)
    if isinstance(value, str) and field == "pattern_order":
        return _order_spoken(part, value)
    return value


def _order_spoken(part: LoadedPart, text: str) -> list[int]:
    """ "A A A B" to ids, by the names of the part's patterns; names of one letter need no spaces."""
    by_name = {row.name.lower(): row.id for row in part.patterns}
    said = text.strip().lower()
    names = said.split() if " " in said or said in by_name else list(said)
    unknown = next((name for name in names if name not in by_name), None)
    if unknown is not None:
        known = ", ".join(row.name for row in part.patterns)
        raise BadValueError(f"{part.row.name} has no pattern '{unknown[:20]}'; it has {known}.")
    return [by_name[name] for name in names]


def _checked(session: Session, part: LoadedPart, field: str, value: Any) -> Any:
    if field == "name":
        return check_name(str(value))
    if field == "kit_key":
        return load_kit(session, str(value)).key
    if field == "step_ticks":
        if value not in GRID_TICKS.values():
            raise BadValueError("A step is an 8th, a 16th, a 32nd, one of their triplets, or a quintuplet.")
        return int(value)
    if field == "pattern_order":
        known = {row.id for row in part.patterns}
        if not isinstance(value, list) or not set(value) <= known:
            raise BadValueError(f"{part.row.name} has no such pattern any more: choose its order anew.")
        Turning(order=tuple(value))
        return value
    words = f"The {PART_WORDS[field]} of a part"
    if field in ("mute", "solo", "fills", "restarts"):
        if not isinstance(value, bool):
            raise BadValueError(f"{words} is on or off, not '{str(value)[:30]}'.")
        return value
    if field == "level_db":
        level_db = as_number(words, value)
        Part(1, "", {}, level_db=level_db)
        return level_db
    if field != "bars" and not (value is None and field == "cycle_ticks"):
        value = as_number(words, value)
        value = value if field == "change_percent" else round(value)
    elif field == "bars" and not isinstance(value, str):
        raise BadValueError(f"{words} are marks 0 and 1, as in 0001, not '{str(value)[:30]}'.")
    core = {"start_shift_ticks": "shift_ticks"}.get(field, field)
    replace(turning_of(part.row), **{core: value})
    return value


def _said(field: str, value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if field == "pattern_order":
        return f"of {len(value)}" if value else "none"
    return "as long as its pattern" if value is None else str(value) if isinstance(value, str) else f"{value:g}"


def merge_parts(session: Session, song_id: int, revision: int, into_id: int, other_id: int) -> LoadedSong:
    """Two parts become the first of them: for every section a pattern of what both play there. It keeps its own kit and
    feel; cycles, orders and marks are carried out in the patterns."""
    loaded = begin(session, song_id, revision)
    into, other = find_part(loaded, into_id), find_part(loaded, other_id)
    if into_id == other_id:
        raise EditRefusedError("A part is merged with another one: choose it.")
    song = loaded.arrangement
    parts = [part for part in song.parts if part.key in (into_id, other_id)]
    patches: list[Patch] = []
    made: dict[tuple[object, ...], int] = {}
    for one in loaded.resolved:
        if one.parent is not None and not {str(into_id), str(other_id)} & set(one.row.cells):
            continue
        if into_id not in one.cells and other_id not in one.cells:
            continue
        section = next(section for section in song.sections if section.key == one.row.id)
        pattern = merged_pattern(song, section, parts)
        key = (pattern.length_ticks, pattern.hits)
        if key not in made:
            row, patch = new_pattern(
                session, into_id, free_name(one.row.name, {r.name for r in into.patterns}), pattern
            )
            made[key] = row.id
            patches.append(patch)
        level = (one.cells.get(into_id) or {}).get("level_db", 0.0)
        patches.append(cell_patch(one, into_id, {"pattern": made[key], **({"level_db": level} if level else {})}))
    patches += _joins_moved(session, loaded, into, other)
    voices = in_kit_order({*into.row.voices, *other.row.voices})
    mix = {**other.row.mix, **into.row.mix}
    plain = {"cycle_ticks": None, "start_shift_ticks": 0, "rotation_ticks": 0, "restarts": True, "bars": ""}
    patches += [
        field_patch("part", into.row, voices=voices, mix=mix, pattern_order=[], change_percent=0.0, **plain),
        field_patch("part", other.row, removed=True),
    ]
    return finish_sections(session, loaded, f"merge {other.row.name} into {into.row.name}", patches)


def _joins_moved(session: Session, loaded: LoadedSong, into: LoadedPart, other: LoadedPart) -> list[Patch]:
    """Joins of a part that is merged into another one become that one's, with copies of their fills."""
    patches: list[Patch] = []
    copies: dict[int, int] = {}
    taken = {row.name for row in into.patterns}
    for one in loaded.resolved:
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


def split_part(session: Session, song_id: int, revision: int, part_id: int) -> LoadedSong:
    """One part for each of its voices, each with the part's rules, feel and cells; the first keeps its place."""
    loaded = begin(session, song_id, revision)
    part = find_part(loaded, part_id)
    core = next(one for one in loaded.arrangement.parts if one.key == part_id)
    voices = in_kit_order(set(voices_of(core)))
    if len(voices) < 2:
        raise EditRefusedError(f"{part.row.name} has one voice only: there is nothing to split.")
    patches: list[Patch] = []
    cells: dict[int, Doc] = {one.row.id: dict(one.row.cells) for one in loaded.resolved}
    joins: dict[int, list[Doc]] = {one.row.id: list(one.row.joins or ()) for one in loaded.resolved}
    taken = {one.row.name for one in loaded.parts}
    rows: list[PartRow] = []
    for number, voice in enumerate(voices):
        name = free_name(f"{part.row.name}: {voice_name(voice)}"[:80], taken)
        taken.add(name)
        values = {**part_values(part), "name": name, "voices": [voice]}
        row, some = new_part(session, loaded, part.row.position + 1 + number, **values)
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
        for one in loaded.resolved:
            if str(part_id) in one.row.cells:
                cells[one.row.id][str(row.id)] = moved_cell(one.row.cells[str(part_id)], ids)
            for join in one.row.joins or ():
                if join.get("part") == part_id and join.get("pattern"):
                    joins[one.row.id].append(moved_join(join, {part_id: row.id}, ids))
    for one in loaded.resolved:
        kept = [
            j if j.get("pattern") or j.get("part") != part_id else {**j, "part": rows[0].id} for j in joins[one.row.id]
        ]
        kept = [join for join in kept if not (join.get("part") == part_id and join.get("pattern"))]
        patches.append(field_patch("section", one.row, cells=cells[one.row.id], joins=kept))
    # Each part made room for one; together they need room for all.
    after = [one.row for one in loaded.parts if one.row.position > part.row.position]
    patches = [patch for patch in patches if not _moves(patch, {row.id for row in after})]
    patches += [field_patch("part", row, position=row.position + len(voices)) for row in after]
    patches.append(field_patch("part", part.row, removed=True))
    return finish_sections(session, loaded, f"split {part.row.name} into {len(voices)} parts by voice", patches)


def _moves(patch: Patch, ids: set[int]) -> bool:
    return patch["table"] == "part" and patch["id"] in ids and "position" in patch.get("fields", {})


def add_pattern(session: Session, song_id: int, revision: int, part_id: int, copy_of: int | None) -> LoadedSong:
    """Another pattern of a part: empty as long as a bar, or a copy of one of its patterns."""
    loaded = begin(session, song_id, revision)
    part = find_part(loaded, part_id)
    if len(part.patterns) >= MOST_OF_PART:
        raise EditRefusedError(
            f"{part.row.name} has {MOST_OF_PART} patterns, the most there can be: take one away first."
        )
    metre: Metre = loaded.metre
    if copy_of is None:
        pattern = Pattern(metre.bar_ticks, (), metre)
    elif copy_of in part.patterns_by_id:
        pattern = part.patterns_by_id[copy_of]
    else:
        raise EditRefusedError(f"{part.row.name} has no such pattern any more: choose another.")
    name = pattern_name(part)
    row, patch = new_pattern(session, part_id, name, pattern)
    words = f"pattern {name} of {part.row.name}"
    done = finish(session, loaded, words, [patch], None)
    return replace(done, just_added=row.id)


def name_pattern(session: Session, song_id: int, revision: int, part_id: int, pattern_id: int, name: str) -> LoadedSong:
    loaded = begin(session, song_id, revision)
    row = next((row for row in find_part(loaded, part_id).patterns if row.id == pattern_id), None)
    if row is None:
        raise EditRefusedError("This pattern is gone: choose another.")
    return finish(
        session, loaded, f"rename pattern {row.name}", [field_patch("pattern", row, name=check_name(name))], None
    )


def take_pattern(session: Session, song_id: int, revision: int, part_id: int, pattern_id: int) -> LoadedSong:
    """Raises EditRefusedError while it is played somewhere."""
    loaded = begin(session, song_id, revision)
    part = find_part(loaded, part_id)
    row = next((row for row in part.patterns if row.id == pattern_id), None)
    if row is None:
        raise EditRefusedError("This pattern is gone already.")
    if len(part.patterns) < 2:
        raise EditRefusedError(f"{part.row.name} needs one pattern at least.")
    used = [one.row.name for one in loaded.resolved if (one.cells.get(part_id) or {}).get("pattern") == pattern_id]
    used += [one.row.name for one in loaded.resolved if any(join.get("pattern") == pattern_id for join in one.joins)]
    if used:
        raise EditRefusedError(
            f"{row.name} is played in {', '.join(dict.fromkeys(used))}: let it play another one there first."
        )
    order = [key for key in part.row.pattern_order or () if key != pattern_id]
    patches = [field_patch("pattern", row, removed=True), field_patch("part", part.row, pattern_order=order)]
    return finish(session, loaded, f"take away pattern {row.name} of {part.row.name}", patches, None)
