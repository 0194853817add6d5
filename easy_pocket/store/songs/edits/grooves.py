"""Edits of the groove shelf: grooves made, changed, put away. They belong to all songs that lean on them."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import Field, SkipValidation
from sqlalchemy import func, select

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.feel.template_edits import (
    blend,
    drawn_template,
    repeated,
    stretched,
    template_from_performance,
    with_slots,
)
from easy_pocket.core.formats.groove_json import template_to_doc
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.text import one_line
from easy_pocket.store.grooves.shelf import find_groove
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.loops.loops import analysis_from_doc, get_loop
from easy_pocket.store.schema.tables import TemplateRow
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import Bars, Finite, Id, Name, Voice
from easy_pocket.store.songs.edits.registry import Edit, EditContext, FileEdit, Preparation, Step, edit
from easy_pocket.store.songs.feels import feel_patch
from easy_pocket.store.songs.song_rows import SongRows

MOST_GROOVES = 400


def _new(context: EditContext, groove: GrooveTemplate, *, put_on: bool = False) -> Step:
    """A groove more on the shelf; put_on: the selected part leans on it."""
    row = new_groove(context, groove)
    patches = [field_patch("template", row, removed=False)]
    if put_on:
        patches.append(feel_patch(context.song, {"part": {**context.song.part.feel, "template_id": row.id}}))
    return Step(patches, made=row.id, said={"name": row.name})


def new_groove(context: EditContext, groove: GrooveTemplate) -> TemplateRow:
    """Not on the shelf yet: the edit's patch puts it there. Raises BadValueError when the shelf is full."""
    session = context.session
    count = session.scalar(select(func.count(TemplateRow.id)).where(TemplateRow.removed.is_(False))) or 0
    if count >= MOST_GROOVES:
        raise BadValueError(f"{MOST_GROOVES} grooves are on the shelf; put some away first.")
    named = replace(groove, name=check_name(groove.name))
    row = TemplateRow(name=named.name, doc=_doc(named), removed=True)
    session.add(row)
    session.flush()
    return row


def _doc(groove: GrooveTemplate) -> dict[str, object]:
    """As it comes back from the database, so that it can be compared with what is there."""
    doc: dict[str, object] = json.loads(json.dumps(template_to_doc(groove)))
    return doc


class DrawGroove(Edit):
    """Make a straight groove in the song's metre and tempo, to be drawn on."""

    kind: Literal["groove_draw"]
    name: Name
    slots_per_bar: int = Field(ge=-10_000, le=10_000)
    bars: int = Field(1, ge=-10_000, le=10_000)


@edit(description="make groove {name}")
def draw_groove(context: EditContext, sent: DrawGroove) -> Step:
    song = context.song
    drawn = drawn_template(
        sent.name, slots_per_bar=sent.slots_per_bar, bars=sent.bars, metre=song.metre, tempo_bpm=song.values.tempo_bpm
    )
    return _new(context, drawn)


class GrooveOfBars(Edit):
    """Make a groove of bars as they are played now, on the part's grid."""

    kind: Literal["groove_bars"]
    name: Name
    from_bar: Bars
    bars: Bars = 1


def _of_bars(preparation: Preparation, sent: GrooveOfBars) -> GrooveTemplate:
    song = preparation.song
    one, last = sent.from_bar, sent.from_bar + sent.bars - 1
    source = f"{f'bar {one}' if sent.bars == 1 else f'bars {one}-{last}'} of {song.row.name}"
    step = song.part.step_ticks
    return template_from_performance(
        song.values.performance(), sent.name, source, step_ticks=step, from_bar=one, bars=sent.bars
    )


@edit(description="make groove {name}", prepare=_of_bars)
def groove_of_bars(context: EditContext, sent: GrooveOfBars) -> Step:
    return _new(context, context.prepared)


Bar = Annotated[int, Field(ge=1, le=64)]


class GrooveOfLoop(Edit):
    """from_bars: the bars of the loop it is made of, none for all. put_on: the part leans on it at once."""

    kind: Literal["groove_loop"]
    name: Name
    loop_id: Id
    bars: Literal[1, 2, 4, 8] = 1
    from_bars: Annotated[list[Bar], Field(max_length=64)] = Field(default_factory=list)
    per_beat: Annotated[int, Field(ge=1, le=12)] | None = None
    put_on: bool = False


def _of_loop(preparation: Preparation, sent: GrooveOfLoop) -> GrooveTemplate:
    row = get_loop(preparation.reader, preparation.song.row.id, sent.loop_id)
    heard = analysis_from_doc(row.found)
    return extract_template(
        heard.onsets,
        heard.reading,
        check_name(sent.name),
        row.name,
        sent.bars,
        from_bars=sent.from_bars,
        per_beat=sent.per_beat,
    )


@edit(description="make groove {name}", prepare=_of_loop)
def groove_of_loop(context: EditContext, sent: GrooveOfLoop) -> Step:
    return _new(context, context.prepared, put_on=sent.put_on)


class BlendGrooves(Edit):
    """Make a groove that is the weighted mean of (groove, share) pairs."""

    kind: Literal["groove_blend"]
    name: Name
    shares: Annotated[list[tuple[Id, Finite]], Field(min_length=2, max_length=8)]


@edit(description="make groove {name}")
def blend_grooves(context: EditContext, sent: BlendGrooves) -> Step:
    grooves = [find_groove(context.session, groove_id)[1] for groove_id, _ in sent.shares]
    return _new(context, blend(grooves, [share for _, share in sent.shares], sent.name))


class LongerGroove(Edit):
    """A copy of a groove: "copy" as it is, "stretch" at half speed over twice its bars, "repeat" over `bars` bars."""

    kind: Literal["groove_longer"]
    groove_id: Id
    how: Literal["copy", "stretch", "repeat"]
    bars: int = Field(2, ge=-10_000, le=10_000)


@edit(description="make groove {name}")
def longer_groove(context: EditContext, sent: LongerGroove) -> Step:
    _, groove = find_groove(context.session, sent.groove_id)
    stem = groove.name[:70]
    ways: dict[str, Callable[[], GrooveTemplate]] = {
        "copy": lambda: replace(groove, name=f"{stem} copy"),
        "stretch": lambda: replace(stretched(groove), name=f"{stem} at half"),
        "repeat": lambda: replace(repeated(groove, sent.bars), name=f"{stem} over {sent.bars}"),
    }
    return _new(context, ways[sent.how]())


class BringInGroove(FileEdit):
    """A groove that was read from a file."""

    kind: Literal["groove_bring"] = "groove_bring"
    groove: Annotated[GrooveTemplate, SkipValidation]


@edit(description="make groove {name}", by_file=True)
def bring_in_groove(context: EditContext, sent: BringInGroove) -> Step:
    return _new(context, sent.groove)


def _of_all_songs(song: SongRows, sent: Any) -> str:
    return f"groove {sent.groove_id}"


Slot = tuple[Annotated[int, Field(ge=0, le=4096)], Finite | None, Finite | None]


class ChangeSlots(Edit):
    """Slots of a lane as [slot from 0, offset in ms, accent 0-1], None leaving one as it is."""

    kind: Literal["groove_slots"]
    groove_id: Id
    lane: Voice
    values: Annotated[list[Slot], Field(min_length=1, max_length=1024)]


@edit(description="{slots} of groove {name}", shares=_of_all_songs)
def change_slots(context: EditContext, sent: ChangeSlots) -> Step:
    row, groove = find_groove(context.session, sent.groove_id)
    values = {slot: (offset_ms, accent) for slot, offset_ms, accent in sent.values}
    after = with_slots(groove, sent.lane, values)
    slots = f"slot {next(iter(values)) + 1}" if len(values) == 1 else f"{len(values)} slots"
    return Step([_changed(row, after)], said={"slots": slots, "name": row.name})


def _changed(row: TemplateRow, after: GrooveTemplate) -> dict[str, object]:
    return field_patch("template", row, name=after.name, doc=_doc(after))


class NameGroove(Edit):
    """Give a groove another name and description (at most 200 characters)."""

    kind: Literal["groove_name"]
    groove_id: Id
    name: Name
    words: Name = ""


@edit(description="groove {before} is called {after}", shares=_of_all_songs)
def name_groove(context: EditContext, sent: NameGroove) -> Step:
    row, groove = find_groove(context.session, sent.groove_id)
    said = one_line(sent.words, 200)
    after = replace(groove, name=check_name(sent.name), words=said)
    return Step([_changed(row, after)], said={"before": row.name, "after": after.name})


class PutGrooveAway(Edit):
    """Take a groove off the shelf; songs that use it keep it."""

    kind: Literal["groove_away"]
    groove_id: Id


@edit(description="put groove {name} away")
def put_groove_away(context: EditContext, sent: PutGrooveAway) -> Step:
    row, _ = find_groove(context.session, sent.groove_id)
    return Step([field_patch("template", row, removed=True)], said={"name": row.name})
