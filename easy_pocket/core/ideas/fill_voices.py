"""The voices of a fill: the way its line takes through the drums, what the other limbs add, and how loud it goes."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.ideas.playable import FEET, FOOT_AGAIN_MS, hand_ms
from easy_pocket.core.pattern.metrical import WEAKEST, weights
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from easy_pocket.core.pattern.voices import voice_name

Floats = npt.NDArray[np.float64]
# Drums a line can run over, from high to low.
LADDER = ("snare", "tom_high", "conga_high", "tom_mid", "conga_low", "tom_low")
SPARE = ("clap", "rim", "wood", "bell", "kick", "hat_closed", "shaker", "tambourine", "ride", "hat_open", "crash")
SECONDS = ("tom_low", "snare", "tom_mid", "tom_high", "conga_low", "conga_high", "clap", "rim", "hat_open", "crash",
           "ride", "hat_closed", "tambourine", "shaker")  # fmt: skip
CURVES = {"rising": 0.42, "accents": 0.3, "swell": 0.16, "level": 0.12}  # with their odds
SAFE_MS = 4.0  # more than a limb needs: swing and looseness move hits
ENDING_VELOCITY = 112
LOUDEST_BEFORE = 117
SIXTEENTH = 240
TRENDS = {"rising": (54, 26, 1.0), "swell": (44, 38, 1.6), "level": (70, 0, 1.0), "accents": (62, 8, 1.0)}
ACCENTED = (0.2, 0.42)  # share of the strokes that are accents
ACCENT_STEPS = (22.0, 33.0)  # of velocity, above the others


def ladder(voices: tuple[str, ...]) -> list[str]:
    """The drums there are, high to low; of a kit without any, whatever can be struck."""
    drums = [voice for voice in LADDER if voice in voices]
    return drums or [voice for voice in SPARE if voice in voices] or list(voices)


@dataclass(frozen=True)
class VoicePath:
    """Voices of the leading line, one for each of its slots, and in words."""

    voices: list[str]
    words: str


def walk(
    path: str, slots: list[int], drums: list[str], feet: bool, metre: Metre, rng: np.random.Generator
) -> VoicePath:
    """The voices of a line of so many hits on one of the WAYS. feet: whether a foot may take part in a trade.

    Parameters
    ----------
    path
        Name of the way through the drums.
    slots
        Places of the line in ticks.
    drums
        Roles of the drums, highest first.
    feet
        Whether a foot may take part in a trade.
    metre
        Metre of the bars.
    rng
        Source of chance, seeded by the caller.

    Returns
    -------
    VoicePath
        The voice of each slot.
    """
    return WAYS[path].walk(slots, drums, feet, metre, rng)


def _one(slots: list[int], drums: list[str], feet: bool, metre: Metre, rng: np.random.Generator) -> VoicePath:
    voice = drums[0] if len(drums) == 1 or rng.random() < 0.55 else drums[int(rng.integers(len(drums)))]
    return VoicePath([voice] * len(slots), f"on {voice_name(voice)} alone")


def _down(slots: list[int], drums: list[str], feet: bool, metre: Metre, rng: np.random.Generator) -> VoicePath:
    return _along(slots, drums, metre, rng, up=False)


def _up(slots: list[int], drums: list[str], feet: bool, metre: Metre, rng: np.random.Generator) -> VoicePath:
    return _along(slots, drums, metre, rng, up=True)


def _along(slots: list[int], drums: list[str], metre: Metre, rng: np.random.Generator, *, up: bool) -> VoicePath:
    count = len(slots)
    if len(drums) == 1 or count < 2:
        return _one(slots, drums, False, metre, rng)
    steps = min(len(drums), count)
    first = int(rng.integers(0, max(len(drums) - steps, 0) + 1))
    way = drums[first : first + steps] if steps < len(drums) else list(drums)
    if len(way) > 2 and rng.random() < 0.4:
        del way[int(rng.integers(1, len(way) - 1))]
    if up:
        way = way[::-1]
    # Changes of drum fall on beats, halves of them, or wherever the count says.
    grain = [metre.pulse_ticks, metre.pulse_ticks // 2, 1][int(rng.integers(3))]
    bend = float(rng.uniform(0.7, 1.5))
    share = ((np.array(slots) - slots[0]) // grain * grain) / max(slots[-1] - slots[0] + 1, 1)
    index = np.minimum((np.clip(share, 0, 1) ** bend * len(way)).astype(int), len(way) - 1)
    if len(set(index.tolist())) == 1:
        index = np.arange(count) * len(way) // count
    voices = [way[place] for place in index.tolist()]
    heard = list(dict.fromkeys(voices))
    toms = sum(voice.startswith(("tom", "conga")) for voice in heard)
    into = "toms" if toms > 1 and not heard[0].startswith("tom") else voice_name(heard[-1])
    words = f"{voice_name(heard[0])} into {into}"
    if heard[0].startswith("tom"):
        words = f"{'up' if up else 'down'} the toms"
    return VoicePath(voices, words)


def _trade(slots: list[int], drums: list[str], feet: bool, metre: Metre, rng: np.random.Generator) -> VoicePath:
    pair = list(drums)
    if feet and (len(drums) < 2 or rng.random() < 0.5):
        two = [drums[int(rng.integers(len(drums)))], "kick"]
    elif len(drums) > 1:
        two = [str(voice) for voice in rng.permutation(pair)[:2]]
    else:
        two = [drums[0], drums[0]]
    group = int(rng.integers(1, 4)) if two[1] != "kick" else int(rng.integers(1, 3))
    voices = [two[place // group % 2] for place in range(len(slots))]
    if len(set(two)) == 1:
        return VoicePath(voices, f"on {voice_name(two[0])} alone")
    return VoicePath(voices, f"{voice_name(two[0])} and {voice_name(two[1])} trade")


@dataclass(frozen=True)
class Way:
    """A way through the drums.

    short: its words on a button. odds: how often it is drawn when nobody asks for one; all add up to 1. walk(slots,
    drums, feet, metre, rng): its voices, one for each slot.
    """

    short: str
    odds: float
    walk: Callable[[list[int], list[str], bool, Metre, np.random.Generator], VoicePath]


WAYS = {
    "down": Way("down", 0.4, _down),
    "up": Way("up", 0.16, _up),
    "trade": Way("trade", 0.26, _trade),
    "one": Way("one voice", 0.18, _one),
}


class Limbs:
    """What each slot holds so far, and whether one more stroke could be played there.

    Feet by their own distance, hands by a rough rule that the real check of playability comes after.
    """

    def __init__(self, taken: dict[int, list[str]], tempo_bpm: float, playable: bool) -> None:
        self.taken = taken
        self.most_doubled: float | None = None  # share of the struck slots; None: as many as can be played
        self.most_kicks: int | None = None  # in a row, in 16ths; None: as many as a foot can play
        self.kicks_near: frozenset[int] = frozenset()  # those of the beat before and after the fill
        self.tick_ms = ms_per_tick(tempo_bpm)
        self.playable = playable

    def free(self, tick: int, voice: str) -> bool:
        here = self.taken.get(tick, [])
        if voice in here:
            return False
        if len(here) == 1 and self.most_doubled is not None:
            struck = [there for there in self.taken.values() if there]
            if 1 + sum(len(there) > 1 for there in struck) > self.most_doubled * len(struck):
                return False
        if voice == "kick" and self.most_kicks is not None and self._kicks_with(tick) > self.most_kicks:
            return False
        if not self.playable:
            return True
        if voice in FEET:
            near = (FOOT_AGAIN_MS + SAFE_MS) / self.tick_ms
            return not any(voice in there and abs(other - tick) < near for other, there in self.taken.items())
        if sum(one not in FEET for one in here) >= 2:
            return False
        # Both hands fall here: neither may be needed elsewhere within the time a hand takes to come back.
        reach_ms = max((hand_ms(one, voice) for one in here if one not in FEET), default=0.0) + SAFE_MS
        if not here or reach_ms <= SAFE_MS:
            return self._alternates(tick)
        return not any(
            0 < abs(other - tick) * self.tick_ms < reach_ms and any(one not in FEET for one in there)
            for other, there in self.taken.items()
        )

    def _kicks_with(self, tick: int) -> int:
        """How many kicks in a row there would be, no two of them farther apart than a 16th."""
        kicks = sorted({tick, *self.kicks_near, *(other for other, there in self.taken.items() if "kick" in there)})
        at = kicks.index(tick)
        before = next((k for k in range(at, 0, -1) if kicks[k] - kicks[k - 1] > SIXTEENTH), 0)
        after = next((k for k in range(at, len(kicks) - 1) if kicks[k + 1] - kicks[k] > SIXTEENTH), len(kicks) - 1)
        return after - before + 1

    def _alternates(self, tick: int) -> bool:
        """Whether a hand comes free for a single stroke: not two others within one hand's time on either side."""
        near = [
            other
            for other, there in self.taken.items()
            if abs(other - tick) * self.tick_ms < 100 and any(one not in FEET for one in there)
        ]
        return len(near) < 2

    def put(self, tick: int, voice: str) -> None:
        self.taken.setdefault(tick, []).append(voice)


def add_limbs(
    limbs: Limbs,
    slots: list[int],
    extra: dict[int, int],
    voices: tuple[str, ...],
    metre: Metre,
    offbeat: float | None,
    rng: np.random.Generator,
) -> int:
    """Give the hits that are left over to feet and second hand, beat by beat; returns how many found no place.

    Parameters
    ----------
    limbs
        Hits so far, by limb; filled here.
    slots
        Places of the line in ticks.
    extra
        Hits left over by beat.
    voices
        Roles that may be used.
    metre
        Metre of the bars.
    offbeat
        Share of off-beats that was asked for, 0 to 1; None leaves it to chance.
    rng
        Source of chance, seeded by the caller.

    Returns
    -------
    int
        How many hits found no place.
    """
    left = 0
    order = [voice for voice in ("kick",) if voice in voices]
    seconds = [voice for voice in SECONDS if voice in voices]
    rng.shuffle(seconds)
    seconds.sort(key=lambda voice: voice not in LADDER)  # drums before cymbals, either in any order
    order += seconds
    order += [voice for voice in ("hat_pedal",) if voice in voices]
    pulse = metre.pulse_ticks
    for beat, count in extra.items():
        places = [tick for tick in slots if tick // pulse == beat]
        lean = 1.0 - 2.0 * (0.3 if offbeat is None else offbeat)
        score = lean * weights(places, metre) + rng.random(len(places)) * (1.5 if offbeat is None else 0.5)
        if limbs.most_doubled is not None:  # gaps first
            score = score - 10.0 * np.array([bool(limbs.taken.get(tick)) for tick in places])
        if offbeat is not None:  # a rhythm asked for is not blurred by hits beside it
            score = score + 10.0 * np.array([bool(limbs.taken.get(tick)) for tick in places])
        ranked = [places[at] for at in np.argsort(-score, kind="stable").tolist()]
        for voice in order:
            for tick in ranked:
                if count and limbs.free(tick, voice):
                    limbs.put(tick, voice)
                    count -= 1
        left += count
    return left


def velocities(
    curve: str, slots: list[int], metre: Metre, rng: np.random.Generator, doubled: Collection[int] = ()
) -> Floats:
    """Velocities of a line when no loudness was asked for: a trend, and accents clearly above it.

    Parameters
    ----------
    curve
        Name of the curve of loudness.
    slots
        Places of the line in ticks.
    metre
        Metre of the bars.
    rng
        Source of chance, seeded by the caller.
    doubled
        Slots that a hand and a foot strike together: those mean an accent.

    Returns
    -------
    Floats
        Velocity of each slot, 1 to 127.
    """
    count = len(slots)
    u = np.linspace(0, 1, count) if count > 1 else np.zeros(count)
    first, rise, bend = TRENDS[curve]
    found = np.asarray(first + rise * u**bend + rng.uniform(-3, 3, count))
    if count < 2:
        return found
    weight = weights(slots, metre) / -WEAKEST
    off = curve == "accents" and rng.random() < 0.5  # against the beat: every third stroke
    figure = -(np.arange(count) % 3 != int(rng.integers(3))).astype(float)
    score = (figure if off else weight) + 0.35 * rng.random(count) + 2.0 * np.isin(slots, list(doubled))
    accented = np.argsort(-score, kind="stable")[: max(1, round(float(rng.uniform(*ACCENTED)) * count))]
    found[accented] += rng.uniform(*ACCENT_STEPS)
    return np.minimum(found, LOUDEST_BEFORE)
