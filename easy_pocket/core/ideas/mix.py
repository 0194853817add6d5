"""Two fills made into one: by time, by voice, or beat by beat; the ending of the second is kept."""

from __future__ import annotations

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.ideas.change import Idea, changes_between
from easy_pocket.core.ideas.distance import within
from easy_pocket.core.ideas.fills import measured
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.ideas.playable import FEET
from easy_pocket.core.pattern.pattern import Hit, Pattern

WAYS = {
    "time": "the first half of one, the second of the other",
    "voice": "the hands of one, feet and cymbals of the other",
    "beat": "beat by beat, by turns",
}
SECOND_VOICES = (*FEET, "crash", "ride", "hat_closed", "hat_open", "shaker", "tambourine")


def mix(scene: IdeaContext, one: Pattern, other: Pattern, way: str, begin: int, end: int, seed: int = 0) -> Idea:
    """A fill out of two that are in place already, over ticks begin to end.

    What the first does outside the window goes, what the second does there (a crash) stays.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    one
        The pattern with the first fill in it.
    other
        The pattern with the second fill in it.
    way
        How they are mixed, as WAYS names it.
    begin
        First tick of the window.
    end
        Tick at which the window ends, not part of it.
    seed
        Whole number; the same one gives the same result.

    Returns
    -------
    Idea
        The idea.

    Raises
    ------
    EditRefusedError
        For another way.
    """
    if way not in WAYS:
        raise EditRefusedError(f"Fills can be mixed by {', '.join(WAYS)}; '{way[:20]}' is none of them.")
    metre = scene.metre
    last = max((hit.tick for hit in other.hits if begin <= hit.tick < end), default=begin)
    ending = last // metre.pulse_ticks * metre.pulse_ticks if last >= end - metre.pulse_ticks else last
    half = begin + max((end - begin) // metre.pulse_ticks // 2, 1) * metre.pulse_ticks
    if end - begin <= metre.pulse_ticks:
        half = (begin + end) // 2

    def from_other(hit: Hit) -> bool:
        if hit.tick >= min(ending, end) or not begin <= hit.tick < end:
            return True
        if way == "time":
            return hit.tick >= half
        if way == "voice":
            return hit.voice in SECOND_VOICES
        return (hit.tick - begin) // metre.pulse_ticks % 2 == 1

    chosen = [hit for hit in one.hits if not from_other(hit)] + [hit for hit in other.hits if from_other(hit)]
    after = scene.pattern.with_hits({(hit.voice, hit.tick): hit for hit in chosen}.values())
    facts, tags = measured(scene, within(after, begin, end), begin, end)
    changes = changes_between(scene.pattern, after.hits)
    return Idea("mix", scene.pattern, changes, f"mixed: {WAYS[way]}", tags, seed, scene.pattern.length_ticks, facts)
