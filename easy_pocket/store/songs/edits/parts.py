"""Edits of parts: made, copied, set, moved, taken away."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated, Any, Literal

from pydantic import Field
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, EditRefusedError, as_number
from easy_pocket.core.formats.slice_kit import slice_kit
from easy_pocket.core.listen.loop_beat import LoopBeat
from easy_pocket.core.pattern.insert_phrase import on_kit
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import GRID_TICKS
from easy_pocket.core.pattern.voices import check_voice, stand_in
from easy_pocket.core.song.duration_text import parse_bar_marks, parse_ticks
from easy_pocket.core.song.part import Part, Turning
from easy_pocket.core.song.stage_sound import voice_place
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.text import counted
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.kits.kits import add_kit, load_kit
from easy_pocket.store.kits.samples import save_samples
from easy_pocket.store.loops.loops import get_loop, load_audio
from easy_pocket.store.schema.tables import PartRow
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.cells import cell_patch
from easy_pocket.store.songs.edits.fields import Finite, Id, KitKey, Name, Voices
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Preparation, Step, edit
from easy_pocket.store.songs.find import find_part
from easy_pocket.store.songs.loop_uses import loop_beat, loop_groups
from easy_pocket.store.songs.moved_rows import moved_cell
from easy_pocket.store.songs.part_rows import (
    free_name,
    in_kit_order,
    new_part,
    new_pattern,
    part_values,
)
from easy_pocket.store.songs.phrases import find_phrase
from easy_pocket.store.songs.song_rows import PartOfRows, SongRows
from easy_pocket.store.songs.stage_doc import with_places_copied

TURNING = {
    "cycle_ticks": "cycle", "start_shift_ticks": "start shift", "rotation_ticks": "rotation", "restarts": "restart",
    "bars": "bars it plays", "pattern_order": "order of patterns", "change_percent": "change rate", "seed": "seed",
}  # fmt: skip
PART_WORDS = {
    **TURNING, "name": "name", "step_ticks": "step size", "fills": "fills", "level_db": "level", "mute": "mute",
    "solo": "solo", "kit_key": "kit",
}  # fmt: skip


class AddPart(Edit):
    """Add a part: from nothing (an empty bar, and the kit's first two rails), from a line of the shelf, or from a
    loop's hits at their true places."""

    kind: Literal["part_add"]
    kit_key: KitKey
    name: Name = ""
    line: Annotated[str, Field(max_length=80)] = ""
    loop_id: int = Field(0, ge=0, le=2**31 - 1)


def _beat(preparation: Preparation, sent: AddPart) -> tuple[str, LoopBeat] | None:
    if not sent.loop_id or sent.line:
        return None
    row = get_loop(preparation.reader, preparation.song.row.id, sent.loop_id)
    beat = loop_beat(preparation.reader, row)
    if not beat.pattern.hits:
        raise EditRefusedError(f"{row.name} holds no hits to write: add some by hand, or raise the sensitivity.")
    return row.name, beat


@edit(description="{done}", prepare=_beat)
def add_part(context: EditContext, sent: AddPart) -> Step:
    kit, metre = load_kit(context.session, sent.kit_key), context.song.metre
    if sent.line:
        line = find_phrase(context.session, sent.line)
        hits = on_kit(line.hits, kit.roles)
        name = line.name[:1].upper() + line.name[1:]
        length, done = line.length_ticks, f"{name} as a part"
    elif context.prepared is not None:
        loop_name, beat = context.prepared
        hits = on_kit(beat.pattern.hits, kit.roles)
        name, length = loop_name.rsplit(".", 1)[0][:60], beat.pattern.length_ticks
        done = f"hits of {loop_name} as a part"
    else:
        hits, name, length, done = (), sent.name or kit.name, metre.bar_ticks, f"add a part on {kit.name}"
    voices = in_kit_order({hit.voice for hit in hits}) if hits else list(kit.roles[:2])
    patches = added_part(context, name, Pattern(length, hits, metre), kit_key=kit.key, voices=voices)
    return Step(patches, said={"done": done}, long=True)


class AddSlices(Edit):
    """A loop cut into slices, as a part of this song on a kit of its own, each named by what it sounds like."""

    kind: Literal["part_slices"]
    loop_id: Id
    by: Literal["hits", "grid"] = "hits"


@dataclass(frozen=True)
class SlicedLoop:
    name: str
    kit: Kit
    samples: dict[str, Frames]
    pattern: Pattern


def _sliced(preparation: Preparation, sent: AddSlices) -> SlicedLoop:
    """Raises BadValueError when there are more slices than a kit holds."""
    row = get_loop(preparation.reader, preparation.song.row.id, sent.loop_id)
    heard, groups = loop_groups(preparation.reader, row)
    name = row.name.rsplit(".", 1)[0][:60] or "loop"
    audio = load_audio(preparation.reader, row.audio_hash, row.name)
    return SlicedLoop(name, *slice_kit(audio, heard, f"{name} slices", sent.by, 1, groups))


@edit(description="slices of {name} as a part", prepare=_sliced)
def add_slices(context: EditContext, sent: AddSlices) -> Step:
    made: SlicedLoop = context.prepared
    save_samples(context.session, made.samples)
    kit = add_kit(context.session, made.kit)
    struck = in_kit_order({hit.voice for hit in made.pattern.hits})
    patches = added_part(context, f"{made.name} slices"[:60], made.pattern, kit_key=kit.key, voices=struck)
    return Step(patches, said={"name": made.name}, long=True)


def added_part(context: EditContext, name: str, pattern: Pattern, **values: Any) -> list[Patch]:
    """A part with one pattern, which it plays in every section."""
    song, session = context.song, context.session
    taken = {part.row.name for part in song.parts}
    row, patches = new_part(session, song, len(song.parts), name=free_name(check_name(name), taken), **values)
    made, patch = new_pattern(session, row.id, "A", pattern)
    cells = [cell_patch(one, row.id, {"pattern": made.id}) for one in song.resolved if one.parent is None]
    return [*patches, patch, *cells]


class OfPart(Edit):
    part_id: Id


class CopyPart(OfPart):
    """The same hits on another kit, some voices muted; it plays where the other one does."""

    kind: Literal["part_copy"]
    kit_key: KitKey
    muted: Voices = Field(default_factory=list)


@edit(description="{source} again on {kit}{lacking}")
def copy_part(context: EditContext, sent: CopyPart) -> Step:
    song, session, part_id = context.song, context.session, sent.part_id
    source, kit = find_part(song, part_id), load_kit(session, sent.kit_key)
    lacking = [voice for voice in source.row.voices if voice not in kit.roles]
    taken = {part.row.name for part in song.parts}
    mix = {**source.row.mix, **{check_voice(v): {**source.row.mix.get(v, {}), "mute": True} for v in sent.muted}}
    name = free_name(f"{source.row.name} on {kit.name}"[:80], taken)
    values = {**part_values(source), "name": name, "kit_key": kit.key, "mix": mix}
    values["voices"] = in_kit_order({stand_in(v, kit.roles) for v in source.row.voices})
    row, patches = new_part(session, song, source.row.position + 1, **values)
    ids = {}
    for pattern in source.patterns:
        hits = source.patterns_by_id[pattern.id]
        made, patch = new_pattern(session, row.id, pattern.name, replace(hits, hits=on_kit(hits.hits, kit.roles)))
        ids[pattern.id] = made.id
        patches.append(patch)
    order = [ids[key] for key in source.row.pattern_order or () if key in ids]
    patches.append(field_patch("part", row, pattern_order=order))
    for one in song.resolved:
        own = one.parent is None or str(part_id) in one.row.cells
        if own and (one.cells.get(part_id) or one.parent is not None):
            patches.append(cell_patch(one, row.id, moved_cell(one.cells.get(part_id), ids)))
    moves = [(f"part:{part_id}", f"part:{row.id}")]
    moves += [(voice_place(part_id, v), voice_place(row.id, stand_in(v, kit.roles))) for v in source.row.voices]
    stage = with_places_copied(song.row.stage, moves)
    patches += [field_patch("song", song.row, stage=stage)] if stage != song.row.stage else []
    nearest = f", {counted(len(lacking), 'voice')} by the nearest it has" if lacking else ""
    return Step(patches, said={"source": source.row.name, "kit": kit.name, "lacking": nearest}, long=True)


class TakePart(OfPart):
    kind: Literal["part_take"]


@edit(description="remove {name}")
def take_part(context: EditContext, sent: TakePart) -> Step:
    part = find_part(context.song, sent.part_id)
    if len(context.song.parts) < 2:
        raise EditRefusedError("A song needs one part at least: add another one first.")
    return Step([field_patch("part", part.row, removed=True)], said={"name": part.row.name}, long=True)


class MovePart(OfPart):
    """Move a part to a place among the parts, counted from 0."""

    kind: Literal["part_move"]
    to: int = Field(ge=0, le=64)


@edit(description="move {name}")
def move_part(context: EditContext, sent: MovePart) -> Step:
    part = find_part(context.song, sent.part_id)
    rows = [one.row for one in context.song.parts if one.row.id != sent.part_id]
    rows.insert(max(0, min(sent.to, len(rows))), part.row)
    patches = [field_patch("part", row, position=at) for at, row in enumerate(rows) if row.position != at]
    if not patches:
        raise EditRefusedError(f"{part.row.name} is there already.")
    return Step(patches, said={"name": part.row.name})


class SetPart(OfPart):
    """Set one field of a part; the core refuses what is out of range."""

    kind: Literal["part_set"]
    field: Literal[*PART_WORDS]  # type: ignore[valid-type]
    value: bool | Finite | Annotated[str, Field(max_length=400)] | Annotated[list[Id], Field(max_length=64)] | None


@edit(description="{what} of {name} {shown}")
def set_part(context: EditContext, sent: SetPart) -> Step:
    field, value = sent.field, sent.value
    part = find_part(context.song, sent.part_id)
    kept = _checked(context.session, part, field, _read(context.song, part, field, value))
    shown = value if isinstance(value, str) and field != "bars" else _shown(field, kept)
    patches = [field_patch("part", part.row, **{field: kept})]
    return Step(patches, said={"what": PART_WORDS[field], "name": part.row.name, "shown": shown}, long=True)


def _read(song: SongRows, part: PartOfRows, field: str, value: Any) -> Any:
    """What was typed in words, as a value."""
    if isinstance(value, str) and field == "cycle_ticks":
        return parse_ticks(value, song.metre, part.row.step_ticks)
    if isinstance(value, str) and field in ("start_shift_ticks", "rotation_ticks"):
        return parse_ticks(value if value.strip() != "0" else "0 ticks", song.metre, part.row.step_ticks) or 0
    if isinstance(value, str) and field == "bars":
        return parse_bar_marks(value)
    if isinstance(value, str) and field == "pattern_order":
        return _order_read(part, value)
    return value


def _order_read(part: PartOfRows, text: str) -> list[int]:
    """ "A A A B" to ids, by the names of the part's patterns; names of one letter need no spaces."""
    by_name = {row.name.lower(): row.id for row in part.patterns}
    said = text.strip().lower()
    names = said.split() if " " in said or said in by_name else list(said)
    unknown = next((name for name in names if name not in by_name), None)
    if unknown is not None:
        known = ", ".join(row.name for row in part.patterns)
        raise BadValueError(f"{part.row.name} has no pattern '{unknown[:20]}'; it has {known}.")
    return [by_name[name] for name in names]


def _checked(session: Session, part: PartOfRows, field: str, value: Any) -> Any:
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
    replace(_turning(part.row), **{core: value})
    return value


def _turning(row: PartRow) -> Turning:
    return Turning(
        row.cycle_ticks,
        row.start_shift_ticks,
        row.rotation_ticks,
        row.restarts,
        row.bars,
        tuple(row.pattern_order or ()),
        row.change_percent,
        row.seed,
    )


def _shown(field: str, value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if field == "pattern_order":
        return f"of {len(value)}" if value else "none"
    return "as long as its pattern" if value is None else str(value) if isinstance(value, str) else f"{value:g}"
