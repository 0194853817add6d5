"""Corrections of what was heard in a loop: what each does to the corrections, in data and in words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.listen.drum_classifier import onset_pictures
from easy_pocket.core.listen.loop_analysis import (
    SAME_HIT_S,
    Corrections,
    LoopAnalysis,
    at_double_tempo,
    at_half_tempo,
    with_span,
)
from easy_pocket.core.listen.sound_groups import (
    LEFT_OUT,
    MOST_GROUPS,
    Group,
    current_groups,
    group_hits,
    merge_groups,
    mono_samples,
    move_hit,
    split_group,
    stored_groups,
)
from easy_pocket.core.pattern.timebase import parse_metre
from easy_pocket.core.pattern.voices import check_voice, voice_name
from easy_pocket.core.text import counted
from easy_pocket.store.songs.edits.fields import Strict, Voice

Seconds = Annotated[float, Field(ge=0, le=600, allow_inf_nan=False)]


class Sensitivity(Strict):
    kind: Literal["sensitivity"]
    value: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class Pace(Strict):
    """Half or double the tempo."""

    kind: Literal["half", "double"]


class Bars(Strict):
    kind: Literal["bars"]
    bars: Annotated[int, Field(ge=1, le=64)]
    metre: Annotated[str, Field(max_length=8)]


class One(Strict):
    kind: Literal["one"]
    time_s: Seconds


class AddHit(Strict):
    kind: Literal["add"]
    time_s: Seconds


class MoveHit(Strict):
    """Move a hit to the attack near a place, or exact: to the place itself."""

    kind: Literal["move"]
    time_s: Seconds
    to_s: Seconds
    exact: bool = False


class RemoveHit(Strict):
    kind: Literal["remove"]
    time_s: Seconds


class KeepHit(Strict):
    """Confirm a doubtful hit."""

    kind: Literal["keep"]
    time_s: Seconds


class Ignore(Strict):
    """Ignore every hit in a span."""

    kind: Literal["ignore"]
    time_s: Seconds
    to_s: Seconds


class Regard(Strict):
    """Count the ignored span around this place again."""

    kind: Literal["regard"]
    time_s: Seconds


class Follow(Strict):
    """Follow a tempo that moves: every bar gets a line of its own, where its hits are (or not)."""

    kind: Literal["follow"]
    follows: bool


class AsHeard(Strict):
    """Give up every correction."""

    kind: Literal["as_heard"]


GroupNumber = Annotated[int, Field(ge=0, le=63)]


class GroupCount(Strict):
    """Sort the hits into so many groups by sound anew; 0: as many as there seem to be."""

    kind: Literal["group_count"]
    count: Annotated[int, Field(ge=0, le=8)]


class GroupVoice(Strict):
    """What a group is on a kit; voice "": it is left out of what is written."""

    kind: Literal["group_voice"]
    group: GroupNumber
    voice: Voice | Literal[""]


class GroupSplit(Strict):
    kind: Literal["group_split"]
    group: GroupNumber


class GroupMerge(Strict):
    kind: Literal["group_merge"]
    group: GroupNumber
    into: GroupNumber


class GroupMove(Strict):
    """Move a hit from one group to another, or out of its group (to: None). stays: it is two sounds at once, and is in
    both groups."""

    kind: Literal["group_move"]
    time_s: Seconds
    group: GroupNumber
    to: GroupNumber | None
    stays: bool = False


GroupChange = GroupCount | GroupVoice | GroupSplit | GroupMerge | GroupMove
LoopChange = Annotated[
    Sensitivity
    | Pace
    | Bars
    | One
    | AddHit
    | MoveHit
    | RemoveHit
    | KeepHit
    | Ignore
    | Regard
    | Follow
    | AsHeard
    | GroupChange,
    Field(discriminator="kind"),
]


def apply_correction(
    now: Corrections,
    heard: LoopAnalysis,
    change: LoopChange,
    audio: Callable[[], Audio],
    attack: Callable[[float], float],
) -> tuple[Corrections, str]:
    """The corrections after the gesture. attack: where the attack nearest to a place starts; hits that are added or
    moved by hand go there."""
    match change:
        case Sensitivity(value=value):
            return replace(now, sensitivity=value), f"sensitivity {value * 100:.0f} %"
        case Pace(kind=kind):
            bars, metre = at_half_tempo(heard.reading) if kind == "half" else at_double_tempo(heard.reading)
            return replace(now, bars=bars, metre=metre), f"{kind} tempo"
        case Bars(bars=bars, metre=metre_text):
            metre = parse_metre(metre_text)
            return replace(now, bars=bars, metre=metre), f"{counted(bars, 'bar')} of {metre}"
        case One(time_s=time_s):
            return replace(now, one_s=time_s), f"the one at {time_s:.2f} s"
        case AddHit(time_s=time_s):
            return _added(now, attack(time_s)), f"add a hit at {time_s:.2f} s"
        case MoveHit(time_s=time_s, to_s=to_s, exact=exact):
            gone = _removed(now, time_s)
            if exact:  # as near as it may be to where it was heard, that one stays out
                return replace(gone, added_s=tuple(sorted({*gone.added_s, to_s}))), f"move a hit to {to_s:.3f} s"
            return _added(gone, attack(to_s)), f"move a hit to {to_s:.2f} s"
        case RemoveHit(time_s=time_s):
            return _removed(now, time_s), f"remove the hit at {time_s:.2f} s"
        case KeepHit(time_s=time_s):
            return replace(now, kept_s=tuple(sorted({*now.kept_s, time_s}))), f"keep the hit at {time_s:.2f} s"
        case Ignore(time_s=time_s, to_s=to_s):
            spans = with_span(now.ignored_s, min(time_s, to_s), max(time_s, to_s))
            return replace(now, ignored_s=spans), f"ignore {min(time_s, to_s):.2f}–{max(time_s, to_s):.2f} s"
        case Regard(time_s=time_s):
            spans = tuple(span for span in now.ignored_s if not span[0] <= time_s <= span[1])
            return replace(now, ignored_s=spans), f"hear again what is at {time_s:.2f} s"
        case Follow(follows=follows):
            return replace(now, follows=follows), "follow the tempo bar by bar" if follows else "one steady tempo"
        case AsHeard():
            was_cut = now.cut_s is not None  # that is no correction: it is what the recording was cut to
            as_cut = Corrections(bars=now.bars, metre=now.metre, cut_s=now.cut_s)
            return as_cut if was_cut else Corrections(), "everything as heard"
        case _:
            groups, words = _regrouped(current_groups(audio(), heard.onsets, now.groups), heard, change, audio)
            return replace(now, groups=stored_groups(groups, heard.onsets)), words


def _regrouped(
    groups: tuple[Group, ...], heard: LoopAnalysis, change: GroupChange, audio: Callable[[], Audio]
) -> tuple[tuple[Group, ...], str]:
    def of(number: int) -> Group:
        if number >= len(groups):
            raise BadValueError("This group is gone: choose another.")
        return groups[number]

    match change:
        case GroupCount(count=count):
            if count == 1:
                raise BadValueError("The number of groups is 1; there are 2 to 8.")
            return group_hits(audio(), heard.onsets, count or None), f"{count or 'as many'} groups as proposed"
        case GroupVoice(group=number, voice=voice):
            changed = replace(of(number), voice=check_voice(voice) if voice else LEFT_OUT)
            said = f"{of(number).name} is {voice_name(voice)}" if voice else f"{of(number).name} is left out"
            return tuple(changed if place == number else group for place, group in enumerate(groups)), said
        case GroupSplit(group=number):
            if len(groups) >= MOST_GROUPS:
                raise BadValueError(f"There are {MOST_GROUPS} groups already: merge two first.")
            parts = split_group(of(number), onset_pictures(mono_samples(audio()), heard.onsets.time_s))
            return (*groups[:number], *parts, *groups[number + 1 :]), f"split {of(number).name}"
        case GroupMerge(group=number, into=into):
            if number == into:
                raise BadValueError("A group cannot be merged with itself: choose another.")
            joined = merge_groups(of(into), of(number))
            rest = [joined if place == into else group for place, group in enumerate(groups) if place != number]
            return tuple(rest), f"{of(number).name} to {of(into).name}"
        case GroupMove(time_s=time_s, group=number, to=to, stays=stays):
            source, target = of(number).name, of(to).name if to is not None else None
            index = int(np.abs(heard.onsets.time_s - time_s).argmin())
            if stays and to is None:
                raise BadValueError("A hit that stays in its group needs another group it is in as well: choose one.")
            said = f"is {target}, too" if stays else f"to {target}" if target else "left out"
            return move_hit(groups, index, number, to, stays=stays), f"a hit of {source} {said}"


def _added(now: Corrections, time_s: float) -> Corrections:
    kept = tuple(t for t in now.removed_s if abs(t - time_s) > SAME_HIT_S)
    return replace(now, added_s=tuple(sorted({*now.added_s, time_s})), removed_s=kept)


def _removed(now: Corrections, time_s: float) -> Corrections:
    own = tuple(t for t in now.added_s if abs(t - time_s) > SAME_HIT_S)
    if len(own) < len(now.added_s):
        return replace(now, added_s=own)
    return replace(now, removed_s=(*now.removed_s, time_s))
