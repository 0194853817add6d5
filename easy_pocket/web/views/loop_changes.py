"""What a gesture on the Loops screen does to the overrules, in data and in words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from easy_pocket.core.audio import Audio
from easy_pocket.core.listen.hear import SAME_HIT_S, Heard, Overrules, attack_near, doubled, halved
from easy_pocket.core.timebase import parse_metre

Seconds = Annotated[float, Field(ge=0, le=600, allow_inf_nan=False)]


class Strict(BaseModel):
    model_config = ConfigDict(extra="forbid")


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
    kind: Literal["move"]
    time_s: Seconds
    to_s: Seconds


class RemoveHit(Strict):
    kind: Literal["remove"]
    time_s: Seconds


class AsHeard(Strict):
    """Give up every correction."""

    kind: Literal["as_heard"]


LoopChange = Annotated[
    Sensitivity | Pace | Bars | One | AddHit | MoveHit | RemoveHit | AsHeard, Field(discriminator="kind")
]


def changed_overrules(
    now: Overrules, heard: Heard, change: LoopChange, audio: Callable[[], Audio]
) -> tuple[Overrules, str]:
    """The overrules after the gesture; hits added or moved by hand go to the attack they are nearest to."""
    match change:
        case Sensitivity(value=value):
            return replace(now, sensitivity=value), f"sensitivity {value * 100:.0f} %"
        case Pace(kind=kind):
            bars, metre = halved(heard.reading) if kind == "half" else doubled(heard.reading)
            return replace(now, bars=bars, metre=metre), f"{kind} tempo"
        case Bars(bars=bars, metre=metre_text):
            metre = parse_metre(metre_text)
            return replace(now, bars=bars, metre=metre), f"{bars} bars of {metre}"
        case One(time_s=time_s):
            return replace(now, one_s=time_s), f"the one at {time_s:.2f} s"
        case AddHit(time_s=time_s):
            return _added(now, attack_near(audio(), time_s)), f"add a hit at {time_s:.2f} s"
        case MoveHit(time_s=time_s, to_s=to_s):
            return _added(_removed(now, time_s), attack_near(audio(), to_s)), f"move a hit to {to_s:.2f} s"
        case RemoveHit(time_s=time_s):
            return _removed(now, time_s), f"remove the hit at {time_s:.2f} s"
        case AsHeard():
            return Overrules(), "everything as heard"


def _added(now: Overrules, time_s: float) -> Overrules:
    kept = tuple(t for t in now.removed_s if abs(t - time_s) > SAME_HIT_S)
    return replace(now, added_s=tuple(sorted({*now.added_s, time_s})), removed_s=kept)


def _removed(now: Overrules, time_s: float) -> Overrules:
    own = tuple(t for t in now.added_s if abs(t - time_s) > SAME_HIT_S)
    if len(own) < len(now.added_s):
        return replace(now, added_s=own)
    return replace(now, removed_s=(*now.removed_s, time_s))
