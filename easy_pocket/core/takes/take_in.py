"""What is kept of one time round: the hits that belong to it, in the bars that were to be played, pulled as asked."""

from __future__ import annotations

from dataclasses import dataclass, replace

from easy_pocket.core.errors import require_range
from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.takes.alignment import align, felt_slots_of, take_slots, with_swing
from easy_pocket.core.takes.played import Played, TakeBars, within

SEAM_STEP = 240  # ticks; the same for every pass, so that no hit falls between two


@dataclass(frozen=True)
class TakeIn:
    """What is to be kept.

    last: nothing was played after this time round. from_bar, to_bar: only these bars count, from 1 (0: all of them).
    pull_percent: how far hits are pulled to where the feel puts their slots. given: all that is given belongs here.
    """

    last: bool = False
    from_bar: int = 0
    to_bar: int = 0
    pull_percent: float = 0.0
    given: bool = False

    def __post_init__(self) -> None:
        require_range("The pull", self.pull_percent, 0, 100, "%")


def taken_in(played: Played, bars: TakeBars, feel: FeelScopes, wanted: TakeIn) -> Played:
    """The hits of one time round out of what was played around it.

    Parameters
    ----------
    played
        Hits of this time round, with some of those before and after it.
    bars, feel
        What it was played over, and the feel of the part.
    wanted
        What is to be kept.
    """
    slots = take_slots(played, bars, feel=feel)
    here = played if wanted.given else within(played, bars, SEAM_STEP, last=wanted.last)
    if not len(here) or not (wanted.pull_percent or wanted.from_bar or wanted.to_bar):
        return here
    felt = felt_slots_of(here.voices, bars, slots, with_swing(feel, slots, here.voices))
    aligned = align(here, bars, felt)
    first, last = max(wanted.from_bar - 1, 0), wanted.to_bar - 1 if wanted.to_bar else bars.bars
    pulled = replace(here, time_ms=here.time_ms - wanted.pull_percent / 100 * aligned.off_ms)
    return pulled.only((aligned.bar >= first) & (aligned.bar <= last))
