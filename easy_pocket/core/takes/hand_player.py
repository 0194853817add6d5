"""A beat played by a hand: its lean, its swing, its looseness; and the hand as a groove and as settings of the feel."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.stages import swung
from easy_pocket.core.feel.template import GrooveTemplate, Lane
from easy_pocket.core.keyed_random import normal, uniform
from easy_pocket.core.pattern.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.core.pattern.voices import band_of
from easy_pocket.core.takes.hand import Hand
from easy_pocket.core.takes.wander_fit import STRETCH, Figure

FLAT_VELOCITY = 3.0  # a voice whose velocities differ by less than this (SD) is written flat: it takes the accents
TOUCH_SD = 0.396  # of the feel's touch at 1
Floats = npt.NDArray[np.float64]
Row = tuple[Figure | None, ...]


def filled(row: Row, otherwise: float) -> Floats:
    """The values of a row; what is not known is the mean of what is, or something else."""
    known = [one.value for one in row if one is not None]
    middle = float(np.mean(known)) if known else otherwise
    return np.array([one.value if one is not None else middle for one in row])


def _all_voices(rows: Mapping[str, Row], counts: Mapping[str, tuple[int, ...]], slots: int, otherwise: float) -> Row:
    """Of every slot the mean over voices, by their hits."""
    found: list[Figure | None] = []
    for slot in range(slots):
        here = [(row[slot], counts[voice][slot]) for voice, row in rows.items()]
        known = [(one.value, count) for one, count in here if one is not None and count]
        value = float(np.average([one for one, _ in known], weights=[count for _, count in known])) if known else None
        found.append(None if value is None else Figure(value, value, value))
    return tuple(found) if any(one is not None for one in found) else (Figure(otherwise, otherwise, otherwise),) * slots


def wander(seed: int, slope: float, slots: int) -> Floats:
    """1/f^slope noise around 0 with an SD of 1 over so many slots; only its phases are drawn.

    Parameters
    ----------
    seed
        Whole number; the same one gives the same result.
    slope
        Exponent of the noise: 0 white, 1 pink, 2 like a walk.
    slots
        How many values.

    Returns
    -------
    Floats
        Values, shape (slots,).
    """
    length = max(STRETCH, 2 * slots)
    count = length // 2
    phases = 2 * np.pi * uniform(seed, "hand drift", np.arange(1, count + 1))
    spectrum = np.zeros(count + 1, dtype=np.complex128)
    spectrum[1:] = np.arange(1, count + 1) ** (-slope / 2) * np.exp(1j * phases)
    noise = np.fft.irfft(spectrum, length)[: max(slots, 64)]
    return np.asarray((noise - noise.mean()) / noise.std())


def played_by(pattern: Pattern, hand: Hand, *, tempo_bpm: float, seed: int = 1) -> Pattern:
    """The pattern with the hand's swing, lean and looseness as own offsets, and its touch in the velocities.

    A voice that is written flat takes the hand's accents; one that is not keeps its own. Voices and slots the hand
    never played go by what it does with others in those slots. A hand of another metre goes by the place within the
    bar.

    Parameters
    ----------
    pattern
        What is written; its own offsets stay, beneath.
    hand
        Whose hand.
    tempo_bpm
        Quarter notes a minute.
    seed
        Another seed, another performance.
    """
    if not pattern.hits:
        return pattern
    arrays, tick_ms, step = pattern.arrays, ms_per_tick(tempo_bpm), hand.step_ticks
    slot = np.rint(arrays.tick / step).astype(np.int64)
    pair, share = np.array([2.0 * step]), np.array([hand.swing_percent.value / 100])
    off_ms = swung(arrays.tick, pair, share) * tick_ms
    if hand.drift_sd_ms and hand.drift_slope:
        off_ms += hand.drift_sd_ms.value * wander(seed, hand.drift_slope.value, int(slot.max()) + 1)[slot]
    velocity = arrays.velocity.astype(np.float64)
    others = _all_voices(hand.lean_ms, hand.counts, hand.slots, 0.0)
    accents_of_all = _all_voices(hand.accents, hand.counts, hand.slots, 96.0)
    jitter_ms = hand.jitter_sd_ms.value if hand.jitter_sd_ms else 0.0
    for number, voice in enumerate(arrays.voices):
        own_hits = arrays.voice_index == number
        place, tick = slot[own_hits] % hand.slots, arrays.tick[own_hits]
        off_ms[own_hits] += filled(hand.lean_ms.get(voice, others), 0.0)[place]
        off_ms[own_hits] += jitter_ms * normal(seed, f"hand {voice}", tick)
        if velocity[own_hits].std() < FLAT_VELOCITY:
            velocity[own_hits] = filled(hand.accents.get(voice, accents_of_all), 96.0)[place]
        velocity[own_hits] += hand.touch_sd.value * normal(seed, f"hand touch {voice}", tick)
    loud = np.clip(np.rint(velocity), 1, 127).astype(int)
    late = np.clip(arrays.offset_ms + off_ms, -MAX_OFFSET_MS, MAX_OFFSET_MS)
    hits = zip(pattern.hits, loud.tolist(), late.tolist(), strict=True)
    return replace(pattern, hits=tuple(_struck(hit, size, round(own, 4)) for hit, size, own in hits))


def _struck(hit: Hit, velocity: int, offset_ms: float) -> Hit:
    return replace(hit, velocity=velocity, offset_ms=offset_ms)


def hand_groove(hand: Hand) -> GrooveTemplate:
    """A groove of the hand's leans and accents, swing in it, one line for all and one for each band that was played."""
    slots = np.asarray(np.arange(hand.slots) * float(hand.step_ticks), dtype=np.float64)
    tick_ms = ms_per_tick(hand.tempo_bpm)
    swing = swung(slots, np.array([2.0 * hand.step_ticks]), np.array([hand.swing_percent.value / 100]))
    bands: dict[str, list[str]] = {"all": list(hand.lean_ms)}
    for voice in hand.lean_ms:
        if band_of(voice) != "all":
            bands.setdefault(band_of(voice), []).append(voice)
    lanes = {band: _lane(hand, voices, swing * tick_ms) for band, voices in bands.items()}
    return GrooveTemplate(
        hand.name, hand.tempo_bpm, hand.slots, lanes, 1, hand.metre, "a hand", "how a player leans and stresses"
    )


def _lane(hand: Hand, voices: list[str], swing_ms: Floats) -> Lane:
    lean = _all_voices({one: hand.lean_ms[one] for one in voices}, hand.counts, hand.slots, 0.0)
    accent = _all_voices({one: hand.accents[one] for one in voices}, hand.counts, hand.slots, 96.0)
    sizes = filled(accent, 96.0)
    count = tuple(sum(hand.counts[voice][slot] for voice in voices) for slot in range(hand.slots))
    return Lane(
        tuple(np.round(filled(lean, 0.0) + swing_ms, 3).tolist()),
        tuple(np.round(sizes / sizes.max(), 4).tolist()),
        (hand.jitter_sd_ms.value if hand.jitter_sd_ms else 0.0,) * hand.slots,
        count,
        tuple(one is None for one in lean),
    )


def hand_feel(hand: Hand) -> dict[str, float]:
    """What the feel's looseness is set to for the hand: drift, jitter and touch."""
    drift = hand.drift_sd_ms.value if hand.drift_sd_ms else 0.0
    jitter = hand.jitter_sd_ms.value if hand.jitter_sd_ms else 0.0
    found = {"drift_ms": min(drift, 20.0), "jitter_ms": min(jitter, 20.0), "touch": hand.touch_sd.value / TOUCH_SD}
    return {name: round(min(value, 40.0), 1) for name, value in found.items()}
