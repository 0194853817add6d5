"""Tempo, bars, metre and grid of a loop: readings of the same hits, ranked.

A trimmed loop is a whole number of bars, so only the tempi that make it so are weighed. A reading is scored by how
well the hits fit its grid (swing allowed) against what chance would fit, by where low and middle sounds fall in its
bars (a low sound on the one, a middle one on the backbeat), by how alike its bars are, and a little by how usual its
tempo, metre and number of bars are. A recording that is not trimmed gets its tempo from the same fit over all tempi,
and its one from the same accents.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
import numpy.typing as npt
import scipy.fft

from easy_pocket.core.compiled import compiled
from easy_pocket.core.listen.grid_fit import grid_fits
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Grid, Reading, counted_beats
from easy_pocket.core.listen.reading_habits import low_and_middle
from easy_pocket.core.listen.signals import Floats
from easy_pocket.core.pattern.timebase import Metre

MIN_TEMPO_BPM, MAX_TEMPO_BPM = 50.0, 220.0
MAX_BARS = 16
METRES = (Metre(4, 4), Metre(3, 4), Metre(6, 8), Metre(5, 4), Metre(7, 8))
METRE_COST = {"4/4": 0.0, "3/4": 0.10, "6/8": 0.10, "5/4": 0.22, "7/8": 0.25}
BARS_COST = {1: 0.04, 2: 0.0, 4: 0.0, 8: 0.02, 16: 0.05}
ODD_BARS_COST = 0.12

USUAL_TEMPO_BPM = 112.0
TEMPO_OCTAVES = 0.9  # standard deviation of tempi around the usual one


@dataclass(frozen=True)
class Accents:
    """What stands on each counted beat: low and middle strength, shape (beats,), each with the loudest 1."""

    low: Floats
    middle: Floats
    middle_on_beats: float


def beat_accents(onsets: Onsets, beat_s: float, beats: int) -> Accents:
    """Accents of a trimmed loop of so many beats; hits before the first line count for beat 0.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    beat_s
        Length of a beat in seconds.
    beats
        How many beats the loop has.

    Returns
    -------
    Accents
        Accents of each beat.
    """
    low, middle = low_and_middle(onsets)
    position = onsets.time_s / beat_s
    beat = np.rint(position).astype(np.intp)
    inside = np.abs(position - beat) * beat_s < min(0.045, 0.2 * beat_s)
    index = beat[inside] % beats
    low_at, middle_at = np.zeros(beats), np.zeros(beats)
    np.maximum.at(low_at, index, low[inside])
    np.maximum.at(middle_at, index, middle[inside])
    on_beats = float(middle[inside].sum() / max(middle.sum(), 1e-9))
    return Accents(low_at / max(low_at.max(), 1e-9), middle_at / max(middle_at.max(), 1e-9), on_beats)


# Where middle sounds (snare, clap) stand in a bar, by counted beats: the backbeats a drummer uses.
BACKBEATS: dict[int, tuple[tuple[int, ...], ...]] = {
    2: ((1,),),
    3: ((1, 2), (2,), (1,)),
    4: ((1, 3), (2,), (3,)),
    5: ((3,), (2, 4), (1, 3)),
    7: ((2, 4, 6), (3, 6), (4,)),
}


def bar_evidence(accents: Accents, beats_per_bar: int) -> float:
    """How much the accents speak for bars of so many beats from beat 0: about -0.5 to 1."""
    bars = max(len(accents.low) // beats_per_bar, 1)
    if bars * beats_per_bar > len(accents.low):
        return 0.0
    backbeats = _backbeats(beats_per_bar)
    return float(_evidence(accents.low, accents.middle, accents.middle_on_beats, bars, beats_per_bar, backbeats))


@lru_cache
def _backbeats(beats_per_bar: int) -> npt.NDArray[np.bool_]:
    """Of each of its backbeats which beats of the bar are struck: (backbeats, beats)."""
    known = BACKBEATS.get(beats_per_bar, ())
    return np.array([[beat in one for beat in range(beats_per_bar)] for one in known]).reshape(-1, beats_per_bar)


@compiled
def _evidence(
    low: Floats, middle: Floats, on_beats: float, bars: int, per_bar: int, backbeats: npt.NDArray[np.bool_]
) -> float:
    mean_low, mean_middle = np.zeros(per_bar), np.zeros(per_bar)
    least = np.inf
    for bar in range(bars):
        least = min(least, low[bar * per_bar])
        for beat in range(per_bar):
            mean_low[beat] += low[bar * per_bar + beat] / bars
            mean_middle[beat] += middle[bar * per_bar + beat] / bars
    # The weakest one counts most: one bar that starts without a low sound is a doubt, two are a wrong reading.
    on_one = 0.5 * mean_low[0] + 0.5 * least
    backbeat = 0.0
    for rank in range(len(backbeats)):
        weakest, off, struck = np.inf, 0.0, 0
        for beat in range(per_bar):
            if backbeats[rank, beat]:
                weakest, struck = min(weakest, mean_middle[beat]), struck + 1
            else:
                off += mean_middle[beat]
        backbeat = max(backbeat, weakest - off / (per_bar - struck) - 0.1 * rank)
    spread = 0.0
    for bar in range(bars):
        for beat in range(per_bar):
            spread += abs(low[bar * per_bar + beat] - mean_low[beat])
            spread += abs(middle[bar * per_bar + beat] - mean_middle[beat])
    alike = 1.0 - spread / (bars * per_bar)
    return float(0.4 * on_one + 0.45 * backbeat + 0.15 * alike - 0.3 * (1 - on_beats))


def usual(tempo_bpm: float, metre: Metre, bars: int) -> float:
    """A small cost for unusual readings, 0 or less.

    Parameters
    ----------
    tempo_bpm
        Quarter notes a minute.
    metre
        Metre of the bars.
    bars
        How many bars the loop has.

    Returns
    -------
    float
        The cost.
    """
    counted_bpm = tempo_bpm * 960 / metre.pulse_ticks
    centre = USUAL_TEMPO_BPM if not metre.compound else 62.0
    octaves = math.log2(counted_bpm / centre) / TEMPO_OCTAVES
    return float(-0.15 * octaves**2 - METRE_COST.get(str(metre), 0.3) - BARS_COST.get(bars, ODD_BARS_COST))


def read_trimmed(onsets: Onsets, metres: tuple[Metre, ...] = METRES, bars: int | None = None) -> list[Reading]:
    """Every reading in which the loop is a whole number of bars, best first.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    metres
        Metres that are tried.
    bars
        Bars it must have; None tries all.

    Returns
    -------
    list[Reading]
        Readings, best first.
    """
    weights = _weights(onsets)
    wanted = [(metre, count) for metre in metres for count in ((bars,) if bars else range(1, MAX_BARS + 1))]
    tried = [(metre, count) for metre, count in wanted if bars or _may_be(onsets, metre, count)]
    numbers = sorted({count * counted_beats(metre) for metre, count in tried})
    lengths_s = onsets.duration_s / np.array(numbers, dtype=np.float64)
    fits = dict(zip(numbers, grid_fits(onsets.time_s, weights, lengths_s, np.zeros(len(numbers))), strict=True))
    accents = {beats: beat_accents(onsets, onsets.duration_s / beats, beats) for beats in numbers}
    readings = []
    for metre, count in tried:
        counted = counted_beats(metre)
        beats = count * counted
        fit, grid = fits[beats]
        tempo_bpm = _trimmed_bpm(onsets, metre, count)
        score = 1.2 * fit + bar_evidence(accents[beats], counted) + usual(tempo_bpm, metre, count)
        score += compound_evidence(onsets, metre, onsets.duration_s / beats, grid)
        readings.append(Reading(tempo_bpm, metre, count, 0.0, grid, fit, score))
    return sorted(readings, key=lambda reading: -reading.score)


def _trimmed_bpm(onsets: Onsets, metre: Metre, bars: int) -> float:
    return 60.0 / onsets.duration_s * bars * metre.bar_ticks / 960


def _may_be(onsets: Onsets, metre: Metre, bars: int) -> bool:
    """Whether a loop of so many bars would be neither too slow nor too fast."""
    tempo_bpm = _trimmed_bpm(onsets, metre, bars)
    counted_bpm = tempo_bpm * 960 / metre.pulse_ticks
    low_bpm = MIN_TEMPO_BPM * (0.7 if metre.compound else 1.0)
    return low_bpm <= counted_bpm and MIN_TEMPO_BPM <= tempo_bpm <= MAX_TEMPO_BPM


def compound_evidence(onsets: Onsets, metre: Metre, beat_s: float, grid: Grid, one_s: float = 0.0) -> float:
    """6/8 counts all three of its 8ths; a shuffle in 4/4 leaves the middle one out, and its beats are played.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    metre
        Metre of the bars.
    beat_s
        Length of a beat in seconds.
    grid
        Grid that fits best.
    one_s
        Time of the first beat in seconds.

    Returns
    -------
    float
        How much speaks for this metre; 0 is neutral.
    """
    place = np.rint((onsets.time_s - one_s) / beat_s * 3).astype(int)
    thirds = place % 3
    middle = float((thirds == 1).sum() / max(len(thirds), 1))
    if metre.compound:
        return 0.0 if grid.per_beat in (3, 6) and middle > 0.15 else -0.6
    if grid.per_beat != 3:
        return 0.0
    beats = place[thirds == 0] // 3
    empty = 1.0 - len(np.unique(beats)) / max(float(np.ptp(place)) / 3, 1.0)
    return float(np.clip((middle - 0.12) / 0.08, 0.0, 1.0)) * (-0.25 - 0.4 * max(empty, 0.0))


def _weights(onsets: Onsets) -> Floats:
    return np.sqrt(np.maximum(onsets.strength, 1e-3))


TIME_STEP_S = 0.016  # how finely times are kept while lengths are searched; a hit is shared by the steps round it
LIKELY_BEATS = 18  # beat lengths worth trying every downbeat for
KEPT = 6


def read_free(onsets: Onsets, metres: tuple[Metre, ...] = METRES) -> list[Reading]:
    """Readings of a recording that is not trimmed: tempo, phase and downbeat are all looked for."""
    weights = _weights(onsets)
    span_s = float(onsets.time_s[-1] - onsets.time_s[0])
    if len(onsets) < 4 or span_s < 0.5:
        return []
    slots = [(one, phase_s, per) for one, phase_s in _steady_slots(onsets.time_s, weights) for per in (2, 3, 4, 6)]
    slots = [one for one in slots if 60 / MAX_TEMPO_BPM <= one[0] * one[2] <= 60 / (MIN_TEMPO_BPM * 0.7)]
    beats_s = np.array([slot_s * per_beat for slot_s, _, per_beat in slots])
    fits = grid_fits(onsets.time_s, weights, beats_s, np.array([phase_s for _, phase_s, _ in slots]))
    beats = []
    for (fit, _), (slot_s, phase_s, per_beat) in zip(fits, slots, strict=True):
        counted_bpm = 60.0 / (slot_s * per_beat)
        usually = usual(counted_bpm, Metre(), 2)
        if per_beat in (3, 6):  # it may as well be a dotted beat
            usually = max(usually, usual(1.5 * counted_bpm, Metre(6, 8), 2))
        beats.append((1.2 * fit + usually, slot_s, phase_s, per_beat))
    readings = []
    for rank, (_, slot_s, phase_s, per_beat) in enumerate(sorted(beats, reverse=True)[:LIKELY_BEATS]):
        tried = metres if rank < LIKELY_BEATS // 3 else metres[:3]  # rare metres only where the beat is plain
        readings += _place_bars(onsets, weights, slot_s, phase_s, per_beat, tried)
    unique: dict[tuple[int, str, int], Reading] = {}
    for reading in sorted(readings, key=lambda reading: -reading.score):
        unique.setdefault((round(reading.tempo_bpm), str(reading.metre), reading.bars), reading)
    return [_settle(onsets, reading) for reading in list(unique.values())[:KEPT]]


def _steady_slots(times_s: Floats, weights: Floats) -> list[tuple[float, float]]:
    """Slot lengths (70-500 ms) on which the hits agree best, each refined, with the phase of its grid.

    The length is first searched by how well the hits point the same way round the slot, then fitted by least squares
    on the slots they are nearest to.
    """
    span_s = float(times_s[-1] - times_s[0])
    step = min(0.004, 0.1 * 0.07 / span_s)  # a tenth of a turn over the recording
    lengths = np.exp(np.arange(np.log(0.07), np.log(0.5), max(step, 2e-4)))
    agreement = _agreement(times_s - times_s[0], weights, lengths)
    is_peak = (agreement[1:-1] >= agreement[:-2]) & (agreement[1:-1] > agreement[2:])
    peaks = np.flatnonzero(is_peak) + 1
    found = []
    for slot_s in lengths[peaks[np.argsort(-agreement[peaks])][:6]]:
        phase_s = float(np.angle(np.exp(2j * np.pi * times_s / slot_s) @ weights) * slot_s / (2 * np.pi))
        for _ in range(2):
            slot = np.rint((times_s - phase_s) / slot_s)
            slot_s, phase_s = np.polyfit(slot, times_s, 1, w=weights)
        found.append((float(slot_s), float(phase_s)))
    return found


def _agreement(times_s: Floats, weights: Floats, lengths_s: Floats) -> Floats:
    """How far hits point the same way round each length: the spectrum of their times.

    Each hit is spread over four steps of a cubic B-spline, and the spectrum is cleared of what that takes away
    (Greengard & Lee 2004).
    """
    count = scipy.fft.next_fast_len(int(16 * times_s[-1] / TIME_STEP_S) + 4, real=True)
    at = times_s / TIME_STEP_S
    first = at.astype(np.intp)
    past = at - first
    struck = np.zeros(count, dtype=np.float32)
    shares = ((1 - past) ** 3, 4 - 6 * past**2 + 3 * past**3, 1 + 3 * past + 3 * past**2 - 3 * past**3, past**3)
    for step, share in enumerate(shares):
        np.add.at(struck, first + step, (weights * share / 6).astype(np.float32))
    spectrum = np.abs(scipy.fft.rfft(struck))
    found = np.interp(count * TIME_STEP_S / lengths_s, np.arange(len(spectrum)), spectrum)
    return np.asarray(found / np.sinc(TIME_STEP_S / lengths_s) ** 4)


def _place_bars(
    onsets: Onsets, weights: Floats, slot_s: float, phase_s: float, per_beat: int, metres: tuple[Metre, ...]
) -> list[Reading]:
    """For one beat length: try every slot near the start as the one, in every metre, and keep the best of each."""
    beat_s = slot_s * per_beat
    low, middle = low_and_middle(onsets)
    slot = np.rint((onsets.time_s - phase_s) / slot_s).astype(np.intp)
    near = np.abs(onsets.time_s - phase_s - slot * slot_s) < min(0.045, 0.2 * beat_s)
    first, count = int(slot.min()), int(np.ptp(slot)) + 1
    low_at, middle_at = np.zeros(count), np.zeros(count)
    np.maximum.at(low_at, slot[near] - first, low[near])
    np.maximum.at(middle_at, slot[near] - first, middle[near])
    phases_s = np.asarray(phase_s + (first + np.arange(per_beat)) * slot_s, dtype=np.float64)
    fits = grid_fits(onsets.time_s, weights, np.full(per_beat, beat_s), phases_s)
    readings = []
    for metre in metres:
        counted = counted_beats(metre)
        per_bar = per_beat * counted
        tempo_bpm = 60.0 / (per_bar * slot_s * 960 / metre.bar_ticks)
        if not MIN_TEMPO_BPM <= tempo_bpm <= MAX_TEMPO_BPM:
            continue
        best: Reading | None = None
        # A bar begins where something low sounds, or with the first hit.
        starts = np.flatnonzero(low_at[:per_bar] >= 0.25 * max(low_at.max(), 1e-9))
        for shift in sorted({0, *starts.tolist()}):
            bars = max(-(-(count - shift) // per_bar), 1)
            on_beats = [np.zeros(bars * counted) for _ in range(2)]
            for target, source in zip(on_beats, (low_at, middle_at), strict=True):
                there = source[shift::per_beat]
                target[: len(there)] = there
            share = float(on_beats[1].sum() / max(middle_at.sum(), 1e-9))
            accents = Accents(on_beats[0] / max(low_at.max(), 1e-9), on_beats[1] / max(middle_at.max(), 1e-9), share)
            fit, grid = fits[shift % per_beat]
            score = 1.2 * fit + bar_evidence(accents, counted) + usual(tempo_bpm, metre, bars)
            score -= 0.12 * np.sqrt(shift / per_bar) + 0.2 * shift / per_bar  # a recording mostly starts on its one
            if best is None or score > best.score:
                one_s = phase_s + (first + shift) * slot_s
                best = Reading(tempo_bpm, metre, bars, one_s, grid, fit, float(score), trimmed=False)
        if best is not None:
            evidence = compound_evidence(onsets, metre, beat_s, best.grid, best.bar_one_s)
            readings.append(replace(best, score=best.score + evidence))
    return readings


def _settle(onsets: Onsets, reading: Reading) -> Reading:
    """Fit tempo and first line of a free reading once more, now that its swing is known."""
    slot_s = reading.slot_s
    place = reading.nearest_places(reading.slot_at(onsets.time_s))
    if np.ptp(place) == 0:
        return reading
    fitted_s, one_s = np.polyfit(place, onsets.time_s, 1, w=_weights(onsets))
    return replace(reading, bar_one_s=float(one_s), tempo_bpm=float(reading.tempo_bpm * slot_s / fitted_s))
