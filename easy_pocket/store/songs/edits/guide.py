"""The guide: brought in, placed, taken away."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import SkipValidation

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.timebase import check_tempo
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.loops.loops import StoredAudio, save_audio
from easy_pocket.store.songs.edits.fields import Bars, Finite
from easy_pocket.store.songs.edits.registry import Edit, EditContext, FileEdit, Step, edit
from easy_pocket.store.songs.guide import Guide, guide_of, guide_to_doc


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


def _guide(context: EditContext) -> Guide:
    guide = guide_of(context.song.row.guide)
    if guide is None:
        raise EditRefusedError("This song has no guide: bring one in first.")
    return guide
