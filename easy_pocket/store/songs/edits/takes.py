"""Takes: passes that were played in, how they are sewn, and what becomes of them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import GRID_TICKS, parse_metre
from easy_pocket.core.takes.played import MOST_HITS, TakeBars, played_from_rows
from easy_pocket.core.takes.sewing import Sew, resewn, sewn, steadiest, written, written_over
from easy_pocket.core.takes.strokes import MOST_BOUNCE_MS
from easy_pocket.core.takes.take_in import TakeIn, taken_in
from easy_pocket.core.text import counted
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.schema.tables import TakeRow
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.cells import cell_patch
from easy_pocket.store.songs.edits.fields import Finite, Id, Name, Tick, Voice
from easy_pocket.store.songs.edits.pass_keeping import (
    KeptHow,
    Mode,
    PlayedRow,
    TakeFrame,
    frame_of,
    kept_pass,
    merged,
    rows_of_kit,
)
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit
from easy_pocket.store.songs.find import find_part, find_section
from easy_pocket.store.songs.part_rows import MOST_OF_PART, in_kit_order, new_pattern, pattern_name
from easy_pocket.store.songs.song_rows import PartOfRows
from easy_pocket.store.takes.takes import LaidTake, find_pass, find_take, laid, passes_of, take_from_rows, takes_of

Bar = Annotated[int, Field(ge=0, le=511)]


class AddPass(Edit):
    """One time round that was played in: rows of voice, ms from where the bars begin, velocity.

    take_id: 0 for the newest of the part. fresh, or other bars: a new take. mode: "new" a pass of its own, "top" on top
    of the last one, "place" in place of it.
    last: nothing was played after it. from_bar, to_bar: only these bars were to be played in, counted from 1 (0: all).
    pull_percent: how far hits are pulled to the slots as they are played. section_id: the section that went round, 0
    for the pattern.
    """

    kind: Literal["take_pass"]
    take_id: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0
    start_tick: Tick = 0
    length_ticks: Annotated[int, Field(ge=60, le=512 * 3840)]
    tempo_bpm: Finite
    hits: Annotated[list[PlayedRow], Field(max_length=MOST_HITS)]
    mode: Mode = "new"
    source: Annotated[str, Field(max_length=40)] = "keys"
    last: bool = False
    fresh: bool = False
    section_id: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0
    from_bar: Annotated[int, Field(ge=0, le=512)] = 0
    to_bar: Annotated[int, Field(ge=0, le=512)] = 0
    pull_percent: Finite = 0.0


@edit(description="play in {name}")
def add_pass(context: EditContext, sent: AddPass) -> Step:
    song, session = context.song, context.session
    metre = song.metre
    if sent.section_id and (own := find_section(song, sent.section_id).metre):
        metre = parse_metre(own)
    bars = TakeBars(sent.length_ticks, metre, sent.tempo_bpm, sent.start_tick)
    take = find_take(session, song.id, sent.take_id) if sent.take_id else _newest(context)
    frame = TakeFrame(song.part.id, sent.start_tick, sent.length_ticks, sent.section_id, round(sent.tempo_bpm, 2))
    if take is not None and (sent.fresh or frame_of(take) != frame):
        take = None  # other bars, another tempo or another part: a take of its own
    rows = rows_of_kit(context, sent.hits)
    wanted = TakeIn(sent.last, sent.from_bar, sent.to_bar, sent.pull_percent)
    played = taken_in(played_from_rows(rows), bars, song.feel, wanted)
    if not len(played):
        raise EditRefusedError("Nothing was played in these bars; no pass was kept.")
    return kept_pass(context, take, played, KeptHow(sent.mode, sent.source, sent.section_id), bars)


def _newest(context: EditContext) -> TakeRow | None:
    rows = takes_of(context.session, context.song.id)
    return next((row for row in rows if row.part_id == context.song.part.id), None)


class OfTake(Edit):
    take_id: Id


class SewPass(OfTake):
    """Bars from..to (from 0) come from a pass; 0 leaves them out. voice: "" for all voices."""

    kind: Literal["take_sew"]
    from_bar: Bar
    to_bar: Bar
    pass_id: Annotated[int, Field(ge=0, le=2**31 - 1)]
    voice: Annotated[str, Field(max_length=30, pattern=r"^[a-z_0-9]*$")] = ""


@edit(description="sew {what} from {name}")
def sew_pass(context: EditContext, sent: SewPass) -> Step:
    take = find_take(context.session, context.song.id, sent.take_id)
    name = find_pass(context.session, take, sent.pass_id).name if sent.pass_id else "no pass"
    bars = -(-take.length_ticks // parse_metre(take.metre).bar_ticks)
    first, last = sorted((sent.from_bar, sent.to_bar))
    require_range("The bar", last, 0, bars - 1)
    sews = [Sew(int(bar), int(key), str(voice)) for bar, key, voice in take.sews]
    rows = [[one.bar, one.key, one.voice] for one in resewn(sews, first, last, sent.pass_id, sent.voice)]
    what = f"bar {first + 1}" if first == last else f"bars {first + 1}-{last + 1}"
    return Step([field_patch("take", take, sews=rows)], said={"what": what, "name": name})


class SewSteadiest(OfTake):
    """Each bar from the pass that is steadiest there."""

    kind: Literal["take_steadiest"]


@edit(description="sew the steadiest bars")
def sew_steadiest(context: EditContext, sent: SewSteadiest) -> Step:
    take = laid_take(context, sent.take_id)
    rows = [[one.sew.bar, one.sew.key, ""] for one in steadiest(take.passes)]
    return Step([field_patch("take", _row(context, sent), sews=rows)])


def _row(context: EditContext, sent: OfTake) -> TakeRow:
    return find_take(context.session, context.song.id, sent.take_id)


def laid_take(context: EditContext, take_id: int) -> LaidTake:
    row = find_take(context.session, context.song.id, take_id)
    part = find_part(context.song, row.part_id)
    feel = next(one.feel for one in context.song.values.parts if one.id == part.row.id)
    return laid(take_from_rows(row, passes_of(context.session, row)), feel)


class NamePass(OfTake):
    kind: Literal["take_pass_name"]
    pass_id: Id
    name: Name


@edit(description="rename {before}")
def name_pass(context: EditContext, sent: NamePass) -> Step:
    row = find_pass(context.session, _row(context, sent), sent.pass_id)
    return Step([field_patch("take_pass", row, name=check_name(sent.name)[:60])], said={"before": row.name})


class ThrowPass(OfTake):
    kind: Literal["take_pass_away"]
    pass_id: Id


@edit(description="throw away {name}")
def throw_pass(context: EditContext, sent: ThrowPass) -> Step:
    """Bars that come from it are left out."""
    take = _row(context, sent)
    row = find_pass(context.session, take, sent.pass_id)
    sews = [one for one in take.sews if one[1] != sent.pass_id]
    return Step(
        [field_patch("take_pass", row, removed=True), field_patch("take", take, sews=sews)], said={"name": row.name}
    )


class NameTake(OfTake):
    kind: Literal["take_name"]
    name: Name


@edit(description="rename {before}")
def name_take(context: EditContext, sent: NameTake) -> Step:
    row = _row(context, sent)
    return Step([field_patch("take", row, name=check_name(sent.name)[:60])], said={"before": row.name})


class ThrowTake(OfTake):
    kind: Literal["take_away"]


@edit(description="throw away {name}")
def throw_take(context: EditContext, sent: ThrowTake) -> Step:
    row = _row(context, sent)
    return Step([field_patch("take", row, removed=True)], said={"name": row.name})


class SetTake(OfTake):
    """How hits are read: what counts as a bounce, the grid (0: guessed), how far voices are pulled to it. What is None
    stays as it is."""

    kind: Literal["take_set"]
    bounce_ms: Finite | None = None
    step_ticks: Annotated[int, Field(ge=0, le=960)] | None = None
    pulls: Annotated[dict[Voice, Annotated[float, Field(ge=0, le=100)]], Field(max_length=64)] | None = None


@edit(description="settings of {name}")
def set_take(context: EditContext, sent: SetTake) -> Step:
    row = _row(context, sent)
    if sent.bounce_ms is not None:
        require_range("The time of a bounce", sent.bounce_ms, 0, MOST_BOUNCE_MS, "ms")
    if sent.step_ticks and sent.step_ticks not in GRID_TICKS.values():
        raise BadValueError(f"A grid of {sent.step_ticks} ticks is not known: choose one of the list.")
    changed: dict[str, object] = sent.model_dump(exclude={"kind", "take_id"}, exclude_none=True)
    if sent.pulls is not None:
        changed["pulls"] = {**row.settings.get("pulls", {}), **sent.pulls}
    return Step([field_patch("take", row, settings={**row.settings, **changed})], said={"name": row.name})


class WriteTake(OfTake):
    """The sewn result into the pattern that is looked at, into a new pattern of the part, or each pass (four at most)
    into a pattern of its own."""

    kind: Literal["take_write"]
    to: Literal["pattern", "new", "passes"] = "pattern"


@edit(description="write {name} into {where}")
def write_take(context: EditContext, sent: WriteTake) -> Step:
    song, row = context.song, _row(context, sent)
    part = find_part(song, row.part_id)
    take = laid_take(context, sent.take_id)
    patches = rails_for(context, take.take.part_id, take.take.voices)
    patches += swing_for(part, [take])
    patches = merged(patches)
    said = {"name": row.name}
    if sent.to == "passes":
        return Step([*patches, *_patterns_of_passes(context, take)], said={**said, "where": "patterns of their own"})
    if not take.sewn:
        raise EditRefusedError("No bar is sewn in yet: press bars of passes first.")
    result = written(take.sewn, take.take.bars, take.feel, take.take.pulls)
    if sent.to == "new" or take.take.section_id:
        made, patch = _new(context, part.row.id, result)
        where = f"pattern {made.name}"
        patches.append(patch)
        if take.take.section_id and sent.to == "pattern":
            section = find_section(song, take.take.section_id)
            cell = dict(section.cells.get(part.row.id) or {})
            patches.append(cell_patch(section, part.row.id, {**cell, "pattern": made.id}))
            where = f"{part.row.name} in {section.row.name}"
        return Step(patches, said={**said, "where": where}, added=made.id, long=True)
    if song.part.id != part.row.id:
        raise EditRefusedError(f"This take was played over {part.row.name}: look at that part first.")
    after = written_over(song.pattern, result, take.take.bars, take.take.sews, take.take.voices)
    where = f"{part.row.name} {song.pattern_row.name}"
    return Step(patches, after, said={**said, "where": where})


def rails_for(context: EditContext, part_id: int, voices: Iterable[str]) -> list[Patch]:
    """The part with rails for these voices."""
    part = find_part(context.song, part_id).row
    needed = set(voices) - set(part.voices)
    return [field_patch("part", part, voices=in_kit_order({*part.voices, *needed}))] if needed else []


def _new(context: EditContext, part_id: int, pattern: Pattern) -> tuple[Any, Patch]:
    part = find_part(context.song, part_id)
    if len(part.patterns) >= MOST_OF_PART:
        raise EditRefusedError(f"{part.row.name} has {MOST_OF_PART} patterns, the most there can be: take one away.")
    return new_pattern(context.session, part_id, pattern_name(part), pattern)


MOST_AT_ONCE = 4


def _patterns_of_passes(context: EditContext, take: LaidTake) -> list[Patch]:
    """The last four passes, each as it was played."""
    part = find_part(context.song, take.take.part_id)
    chosen = take.passes[-MOST_AT_ONCE:]
    if len(part.patterns) + len(chosen) > MOST_OF_PART:
        raise EditRefusedError(f"{part.row.name} has room for {counted(MOST_OF_PART - len(part.patterns), 'pattern')}.")
    patches = []
    free = free_names({row.name for row in part.patterns})
    for one in chosen:
        sews = [Sew(bar, one.key) for bar in range(take.take.bars.bars)]
        hits = sewn(take.passes, sews, take.take.bars)
        pattern = written(hits, take.take.bars, take.feel, take.take.pulls)
        _, patch = new_pattern(context.session, part.row.id, next(free), pattern)
        patches.append(patch)
    return patches


def swing_for(part: PartOfRows, takes: Iterable[LaidTake]) -> list[Patch]:
    """The swing that was found in the first of them that has any, as the part's; where the part has none."""
    found = next((one.feel.part for one in takes if one.finds_swing), None)
    if found is None:
        return []
    feel = {**part.row.feel, "swing_percent": found.swing_percent, "swing_unit": found.swing_unit}
    return [field_patch("part", part.row, feel=feel)]


def free_names(taken: set[str]) -> Iterator[str]:
    """Names of patterns that are not taken yet: A, B, C ... Z, A2 ..."""
    letters = [chr(ord("A") + number) for number in range(26)]
    names = (letter + tail for tail in ("", *(str(number) for number in range(2, 9))) for letter in letters)
    return (name for name in names if name not in taken)
