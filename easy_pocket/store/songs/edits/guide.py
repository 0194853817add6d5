"""The guide: brought in, placed, taken away."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any, Literal

from pydantic import SkipValidation

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.listen.guide import TempoStretch, stretch_of, tempo_stretches, whole_bars
from easy_pocket.core.pattern.timebase import check_tempo
from easy_pocket.core.text import counted
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.loops.loops import StoredAudio, save_audio
from easy_pocket.store.schema.tables import SectionRow
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


class FollowGuide(Edit):
    """The song goes along with a guide whose tempo moves.

    new: sections are made of all its bars, each as long as its tempo holds; they come last and play what the section
    that is looked at plays. Else the sections that lie over it take its tempo.
    """

    kind: Literal["guide_follow"]
    new: bool = False


@edit(description="{what}")
def follow_guide(context: EditContext, sent: FollowGuide) -> Step:
    guide = _guide(context)
    lines_s = _lines_from_bar_one(guide)
    if len(lines_s) < 2:
        raise EditRefusedError("No bars were found in the guide: draw over a span of it to make a section of that.")
    return _new_sections(context, guide, lines_s) if sent.new else _sections_along(context, guide, lines_s)


def _lines_from_bar_one(guide: Guide) -> list[float]:
    """Its bars from where its bar one was put: that may be another one than was found."""
    if not guide.lines_s:
        return []
    nearest = min(range(len(guide.lines_s)), key=lambda number: abs(guide.lines_s[number] - guide.start_s))
    return [guide.start_s, *guide.lines_s[nearest + 1 :]]


def _new_sections(context: EditContext, guide: Guide, lines_s: list[float]) -> Step:
    song, session = context.song, context.session
    section = find_section(song, song.section.id)
    last = max(one.row.position for one in song.resolved)
    names, patches = list(song.sections), list[Patch]()
    stretches = tempo_stretches(lines_s, song.metre)
    for number, one in enumerate(stretches):
        values = {
            "position": last + 1 + number, "name": next_name(section.row.name, tuple(names)), "bars": one.bars,
            "repeats": 1, "tempo_bpm": one.tempo_bpm, "metre": None,
            "cells": {str(part): cell for part, cell in section.cells.items()},
        }  # fmt: skip
        added = add_row(session, song.row.id, **values)
        names.append(session.get_one(SectionRow, added["id"]))
        patches.append(added)
    placed = replace(guide, bar=song.arrangement.bars + 1)
    patches.append(field_patch("song", song.row, guide=guide_to_doc(placed)))
    what = f"{counted(len(stretches), 'section')} of the guide"
    return Step(patches, said={"what": what}, made=patches[0]["id"], long=True)


def _sections_along(context: EditContext, guide: Guide, lines_s: list[float]) -> Step:
    song = context.song
    found: dict[int, list[TempoStretch]] = {}
    for span in song.arrangement.spans:
        first = span.first_bar - guide.bar
        if first >= 0 and first + span.bars < len(lines_s) and span.metre == song.metre:
            stretch = stretch_of(lines_s, first, span.bars, span.metre)
            found.setdefault(span.section.key, []).append(stretch)
    patches, off_ms = list[Patch](), 0.0
    for key, turns in found.items():
        one = find_section(song, key)
        length = sum(turn.bars / turn.tempo_bpm for turn in turns)
        tempo_bpm = round(sum(turn.bars for turn in turns) / length, 6)
        own = {"own": sorted({*(one.row.own or ()), "tempo_bpm"})} if one.parent is not None else {}
        patches.append(field_patch("section", one.row, tempo_bpm=tempo_bpm, **own))
        off_ms = max(off_ms, *(turn.off_ms for turn in turns))
    patches = [patch for patch in patches if patch["fields"]]
    if not patches:
        words = "have its tempo already" if found else "lie over the guide's bars with all of theirs"
        raise EditRefusedError(f"No sections {words}: make sections of the guide instead.")
    what = f"{counted(len(patches), 'section')} at the tempo of the guide, within {off_ms:.0f} ms"
    return Step(patches, said={"what": what}, long=True)


def _guide(context: EditContext) -> Guide:
    guide = guide_of(context.song.row.guide)
    if guide is None:
        raise EditRefusedError("This song has no guide: bring one in first.")
    return guide
