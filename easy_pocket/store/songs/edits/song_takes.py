"""Takes of the whole song: each time through is kept by its sections, and written into all of them at once."""

from __future__ import annotations

from collections import Counter
from typing import Annotated, Literal

from pydantic import Field

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.song.arrangement import Span
from easy_pocket.core.takes.played import MOST_HITS, TakeBars, played_from_rows
from easy_pocket.core.takes.sewing import written
from easy_pocket.core.takes.song_pass import SungSpan, by_sections
from easy_pocket.core.takes.take_in import TakeIn, taken_in
from easy_pocket.core.text import counted
from easy_pocket.store.history.undo_log import Patch
from easy_pocket.store.schema.tables import TakeRow
from easy_pocket.store.songs.edits.cells import cell_patch
from easy_pocket.store.songs.edits.fields import Finite, Id
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
from easy_pocket.store.songs.edits.takes import free_names, laid_take, rails_for, swing_for
from easy_pocket.store.songs.find import find_part, find_section
from easy_pocket.store.songs.part_rows import MOST_OF_PART, new_pattern
from easy_pocket.store.takes.takes import find_take, takes_of


class AddSongPass(Edit):
    """One time through the song that was played in: rows of voice, ms from its start, velocity.

    length_ms: how long the song was. Everything else as of a pass (takes.py); bars are counted through the song.
    """

    kind: Literal["take_song_pass"]
    length_ms: Finite
    hits: Annotated[list[PlayedRow], Field(max_length=MOST_HITS)]
    mode: Mode = "new"
    source: Annotated[str, Field(max_length=40)] = "keys"
    last: bool = False
    from_bar: Annotated[int, Field(ge=0, le=512)] = 0
    to_bar: Annotated[int, Field(ge=0, le=512)] = 0
    pull_percent: Finite = 0.0


@edit(description="play in {what}")
def add_song_pass(context: EditContext, sent: AddSongPass) -> Step:
    song = context.song
    spans = song.arrangement.spans
    if not spans:
        raise EditRefusedError("This song has no section with bars: make one first.")
    everything = played_from_rows(rows_of_kit(context, sent.hits))
    sung = [SungSpan(TakeBars(one.ticks, one.metre, one.tempo_bpm), one.start_ms) for one in spans]
    pieces = by_sections(everything, sung, sent.length_ms, last=sent.last)
    takes = _takes_going_on(context, spans)
    number = _song_take(next(iter(takes.values()))) if takes else _next_number(context)
    patches: list[Patch] = []
    added = Counter[int]()
    begun, made = set(takes), None
    for span, one, piece in zip(spans, sung, pieces, strict=True):
        wanted = _wanted(sent, span)
        played = taken_in(piece, one.bars, song.feel, wanted) if wanted else piece
        if wanted is None or not len(played):
            continue
        key = span.section.key
        mode = sent.mode if key in begun else "new"  # of one that begins now each turn is a pass of its own
        how = KeptHow(mode, sent.source, key, number, over=span.turns - span.turn + 1, added=added[key])
        step = kept_pass(context, takes.get(key), played, how, one.bars)
        if key not in takes and step.made is not None:
            takes[key] = context.session.get_one(TakeRow, step.made)
        patches += step.patches
        added[key] += 1
        made = made or step.made
    if not added:
        raise EditRefusedError("Nothing was played in these bars; no pass was kept.")
    what = f"the song: {counted(len(added), 'section')}"
    return Step(merged(patches), said={"what": what}, made=made)


def _wanted(sent: AddSongPass, span: Span) -> TakeIn | None:
    """What of a section is kept; None where it lies outside the bars that were to be played."""
    first = max(sent.from_bar - span.first_bar + 1, 0) if sent.from_bar else 0
    last = sent.to_bar - span.first_bar + 1 if sent.to_bar else 0
    if first > span.bars or (sent.to_bar and last < 1):
        return None
    return TakeIn(from_bar=first, to_bar=min(last, span.bars), pull_percent=sent.pull_percent, given=True)


def _song_take(row: TakeRow) -> int:
    return int(row.settings.get("song_take", 0))


def _takes_going_on(context: EditContext, spans: tuple[Span, ...]) -> dict[int, TakeRow]:
    """The takes this time through goes on with, by section: those of the newest take, if it is of the song as it is."""
    part_id = context.song.part.id
    mine = [row for row in takes_of(context.session, context.song.id) if row.part_id == part_id]
    number = _song_take(mine[0]) if mine else 0
    if not number:
        return {}
    frames = {TakeFrame(part_id, 0, one.ticks, one.section.key, round(one.tempo_bpm, 2)) for one in spans}
    there = [row for row in mine if _song_take(row) == number]
    if any(frame_of(row) not in frames for row in there):
        return {}
    return {frame_of(row).section_id: row for row in there}


def _next_number(context: EditContext) -> int:
    return max((_song_take(row) for row in takes_of(context.session, context.song.id)), default=0) + 1


class WriteSongTake(Edit):
    """The sewn results of all sections of one time through the song, each into a new pattern that its section plays."""

    kind: Literal["take_song_write"]
    take_id: Id


@edit(description="write {name} into {where}")
def write_song_take(context: EditContext, sent: WriteSongTake) -> Step:
    song = context.song
    number = _song_take(find_take(context.session, song.id, sent.take_id))
    rows = [row for row in takes_of(context.session, song.id) if number and _song_take(row) == number]
    if not rows:
        raise EditRefusedError("This take is not of the whole song: write it in by itself.")
    takes = [one for row in reversed(rows) if (one := laid_take(context, row.id)).sewn]
    if not takes:
        raise EditRefusedError("No bar is sewn in yet: press bars of passes first.")
    part = find_part(song, rows[0].part_id)
    if len(part.patterns) + len(takes) > MOST_OF_PART:
        raise EditRefusedError(
            f"{part.row.name} has room for {counted(MOST_OF_PART - len(part.patterns), 'pattern')}, and {len(takes)} "
            "are needed: take some away."
        )
    patches = rails_for(context, part.row.id, [voice for one in takes for voice in one.take.voices])
    patches += swing_for(part, takes)
    free = free_names({row.name for row in part.patterns})
    for one in takes:
        result = written(one.sewn, one.take.bars, one.feel, one.take.pulls)
        made, patch = new_pattern(context.session, part.row.id, next(free), result)
        section = find_section(song, one.take.section_id)
        cell = dict(section.cells.get(part.row.id) or {})
        patches += [patch, cell_patch(section, part.row.id, {**cell, "pattern": made.id})]
    where = counted(len(takes), "section")
    return Step(merged(patches), said={"name": f"song {number}", "where": where}, long=True)
