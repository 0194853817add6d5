"""Small rules that keep a fill one line: few strokes doubled, few kicks, a landing."""

from __future__ import annotations

from easy_pocket.core.ideas.fill_rhythm import Ground
from easy_pocket.core.ideas.fill_roles import MOST_DOUBLED, doubled_share
from easy_pocket.core.ideas.playable import FEET
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import Metre

KICKS_IN_A_ROW = 2  # in 16ths, when nobody asked
MOST_KICKS = 0.45  # of the strokes: hands play the line, the kick answers


def one_line(places: list[tuple[str, int]], staying: list[int], last: int | None) -> list[tuple[str, int]]:
    """Without what doubles more slots than mean anything: feet go first, then what falls on what goes on."""
    kept = list(places)
    while doubled_share([tick for _, tick in kept] + staying) > MOST_DOUBLED:
        ticks = [tick for _, tick in kept] + staying
        double = [one for one in kept if one[1] != last and ticks.count(one[1]) > 1]
        if not double:
            break
        kept.remove(min(double, key=lambda one: (one[0] not in FEET, one[1] % 480 == 0, one[1], one[0])))
    return kept


def too_many_kicks(places: list[tuple[str, int]], free_voices: tuple[str, ...]) -> bool:
    """Whether the kick leads. free_voices: those a fill may strike; where hands have none, a foot may."""
    hands = any(voice not in FEET for voice in free_voices)
    return hands and sum(voice == "kick" for voice, _ in places) > max(MOST_KICKS * len(places), 1)


def lands(last: int, hits: list[Hit], staying: tuple[Hit, ...]) -> bool:
    """Whether a fill ends where its words say it does."""
    return all(hit.tick <= last for hit in hits) and any(hit.tick == last for hit in (*hits, *staying))


def thickened(line: list[int], slots: list[int], wanted: int) -> list[int]:
    """A rhythm with a stroke more right after some of its own, the last ones first, until it has as many as wanted."""
    into = sorted((slots[slots.index(tick) + 1] for tick in line if tick != slots[-1]), reverse=True)
    more = [tick for tick in into if tick not in line]
    return sorted([*line, *more[: max(0, wanted - len(line))]])


def spread(count: int, laid: Ground, metre: Metre) -> dict[int, int]:
    """So many hits over the beats, the last ones first."""
    beats = sorted(set((laid.slots // metre.pulse_ticks).tolist()), reverse=True)
    return {beat: len(range(at, count, len(beats))) for at, beat in enumerate(beats)}
