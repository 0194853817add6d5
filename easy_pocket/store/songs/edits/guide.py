"""The guide: brought in, placed, taken away."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import SkipValidation

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.listen.guide import whole_bars
from easy_pocket.core.pattern.timebase import check_tempo
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.loops.loops import StoredAudio, save_audio
from easy_pocket.store.songs.edits.fields import Bars, Finite
from easy_pocket.store.songs.edits.registry import Edit, EditContext, FileEdit, Step, edit
from easy_pocket.store.songs.edits.sections import next_name
from easy_pocket.store.songs.find import find_section
from easy_pocket.store.songs.guide import Guide, guide_of, guide_to_doc
from easy_pocket.store.songs.spans import add_row


class BringGuide(FileEdit):
    """A guide from a file that was read and listened to."""

    kind: Literal["guide_bring"] = "guide_bring"
    audio: Annotated[StoredAudio, SkipValidation]
    guide: Annotated[Guide, SkipValidation]


@edit(description=lambda song, sent: f"guide {sent.guide.name}", by_file=True)
def bring_guide(context: EditContext, sent: BringGuide) -> Step:
    save_audio(context.session, sent.audio)
    return Step([field_patch("song", context.song.row, guide=guide_to_doc(sent.guide))])


class SetGuide(Edit):
    """What is None stays as it is."""

    kind: Literal["guide_set"]
    start_s: Finite | None = None
    bar: Bars | None = None
    level_db: Finite | None = None
    muted: bool | None = None
    solo: bool | None = None


@edit(description="guide")
def set_guide(context: EditContext, sent: SetGuide) -> Step:
    changed: dict[str, Any] = sent.model_dump(exclude={"kind"}, exclude_none=True)
    guide = replace(_guide(context), **changed)
    return Step([field_patch("song", context.song.row, guide=guide_to_doc(guide))])


class TakeGuide(Edit):
    kind: Literal["guide_away"]


@edit(description="take the guide away")
def take_guide(context: EditContext, sent: TakeGuide) -> Step:
    _guide(context)
    return Step([field_patch("song", context.song.row, guide=None)])


class TempoOfGuide(Edit):
    """The song at the tempo that was found in the guide."""

    kind: Literal["guide_tempo"]


@edit(description="tempo of the guide")
def tempo_of_guide(context: EditContext, sent: TempoOfGuide) -> Step:
    guide = _guide(context)
    if not guide.tempo_bpm:
        raise EditRefusedError("No beat was found in the guide: type the song's tempo.")
    tempo_bpm = round(check_tempo(guide.tempo_bpm), 2)
    return Step([field_patch("song", context.song.row, tempo_bpm=tempo_bpm)], long=True)


class SectionOfGuide(Edit):
    """A section as long as a span of the guide, in s of its file, at the tempo that makes it whole bars: so section by
    section the song goes along with a guide whose tempo moves. It comes last, and plays what the section that is looked
    at plays."""

    kind: Literal["guide_section"]
    from_s: Finite
    to_s: Finite


@edit(description="section {name} of the guide")
def section_of_guide(context: EditContext, sent: SectionOfGuide) -> Step:
    song, guide = context.song, _guide(context)
    from_s, to_s = sorted((sent.from_s, sent.to_s))
    require_range("The span", from_s, 0, guide.duration_s, "s")
    require_range("The span", to_s, 0, guide.duration_s, "s")
    bars, tempo_bpm = whole_bars(to_s - from_s, song.metre, song.row.tempo_bpm)
    section = find_section(song, song.section.id)
    last = max(one.row.position for one in song.resolved)
    name = next_name(section.row.name, song.sections)
    values = {
        "position": last + 1, "name": name, "bars": bars, "repeats": 1, "tempo_bpm": tempo_bpm, "metre": None,
        "cells": {str(part): cell for part, cell in section.cells.items()},
    }  # fmt: skip
    added = add_row(context.session, song.row.id, **values)
    placed = replace(guide, start_s=round(from_s, 4), bar=song.arrangement.bars + 1)
    patches = [added, field_patch("song", song.row, guide=guide_to_doc(placed))]
    return Step(patches, said={"name": name}, made=added["id"], long=True)


def _guide(context: EditContext) -> Guide:
    guide = guide_of(context.song.row.guide)
    if guide is None:
        raise EditRefusedError("This song has no guide: bring one in first.")
    return guide
