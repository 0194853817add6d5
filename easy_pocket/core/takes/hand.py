"""A player's hand, learned from takes: lean and accent by slot and voice, swing, drift, jitter, touch."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from scipy import stats

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from easy_pocket.core.takes.alignment import SWUNG_STEPS, fit_grids, swung_slots_ms
from easy_pocket.core.takes.played import Played, TakeBars
from easy_pocket.core.takes.strokes import BOUNCE_MS, Strokes, find_strokes
from easy_pocket.core.takes.wander_fit import Figure, Stretch, WanderFit, fit_wander, t_interval
from easy_pocket.core.text import counted

FEWEST_HITS = 32
FEWEST_IN_CELL = 2
FEWEST_FREE = 12  # hits more than slots and voices, below which drift and jitter are not told apart
FEWEST_TOGETHER = 8
TRUSTED_SHARE = 0.5  # of a slot: at so much off it a hit counts by exp(-1/2)
WEAKER_STEP = 2

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True)
class TakeToLearn:
    """A take: what was played, over which bars, how fast."""

    played: Played
    bars: TakeBars


@dataclass(frozen=True)
class Hand:
    """What takes say of a player.

    lean_ms, accents: by voice and slot of the bar, a Figure or None where too few hits were played there; off the
    swung grid, negative is early; accents in velocity. counts: hits by voice and slot. swing: of pairs of slots.
    drift_sd_ms, drift_slope, jitter_sd_ms: None where the hits are too few to tell them apart. touch_sd: of velocities
    around their accents; touch_slow_sd: its slow part. flam_ms: how far grace strokes lie before theirs. weaker:
    what every second stroke of the busiest voice is softer (velocity) and later (ms). together: correlations of voices
    struck at once. tempos_bpm: of the takes. swing_by_tempo: points of swing for 10 bpm more, with several tempos.
    """

    name: str
    metre: Metre
    step_ticks: int
    tempos_bpm: tuple[float, ...]
    count: int
    lean_ms: Mapping[str, tuple[Figure | None, ...]]
    accents: Mapping[str, tuple[Figure | None, ...]]
    counts: Mapping[str, tuple[int, ...]]
    swing_percent: Figure
    drift_sd_ms: Figure | None
    drift_slope: Figure | None
    jitter_sd_ms: Figure | None
    touch_sd: Figure
    touch_slow_sd: float
    flam_ms: Figure | None = None
    weaker: tuple[float, float] | None = None
    together: Mapping[str, float] = field(default_factory=dict)
    swing_by_tempo: float | None = None

    @property
    def slots(self) -> int:
        return self.metre.bar_ticks // self.step_ticks

    @property
    def tempo_bpm(self) -> float:
        return float(np.median(self.tempos_bpm))

    @property
    def unknown(self) -> str:
        """What the takes are too short to say, in words."""
        if self.drift_sd_ms is None:
            return "Too few hits to tell drift from jitter: play some bars more."
        return ""


@dataclass(frozen=True)
class _Laid:
    """A take on the slots of its own swung grid."""

    voices: list[str]
    slot: npt.NDArray[np.int64]
    off_ms: Floats
    velocity: Floats
    strokes: Strokes
    tempo_bpm: float


def learn_hand(takes: Sequence[TakeToLearn], name: str = "hand") -> Hand:
    """Learn a hand from takes of one metre.

    Parameters
    ----------
    takes
        Together at least 32 hits.
    name
        What the hand is called.

    Raises
    ------
    BadValueError
        For too few hits, or takes in several metres.
    """
    if not takes or sum(len(take.played) for take in takes) < FEWEST_HITS:
        hits = sum(len(take.played) for take in takes)
        raise BadValueError(
            f"{counted(hits, 'hit')} {'was' if hits == 1 else 'were'} played; a hand is learned from {FEWEST_HITS} at "
            "least: play some bars more, or choose more passes."
        )
    metres = {str(take.bars.metre) for take in takes}
    if len(metres) > 1:
        raise BadValueError(f"These takes are in {', '.join(sorted(metres))}: learn a hand from takes of one metre.")
    metre = takes[0].bars.metre
    step = _step(takes)
    swings = [_swing(take, step) for take in takes]
    laid = [_laid(take, step, swing) for take, swing in zip(takes, swings, strict=True)]
    slots = max(metre.bar_ticks // step, 1)
    cells = _Cells(laid, slots)
    pairs = _off_pairs(laid, step) if step in SWUNG_STEPS else 0.0
    swings = [swing + pairs for swing in swings]
    if pairs:
        laid = [_laid(take, step, swing) for take, swing in zip(takes, swings, strict=True)]
        cells = _Cells(laid, slots)
    weights = [_weights(one, step) for one in laid]
    stretches = [
        Stretch(one.slot, cell, one.off_ms, weight) for one, cell, weight in zip(laid, cells.of, weights, strict=True)
    ]
    fit = fit_wander(stretches, cells.count) if cells.hits - cells.count >= FEWEST_FREE else None
    lean, lean_error, freedom = _leans(stretches, cells, fit)
    accent, accent_error, touch = cells.means([one.velocity for one in laid])
    return Hand(
        name,
        metre,
        step,
        tuple(take.bars.tempo_bpm for take in takes),
        cells.hits,
        cells.by_voice(lean, lean_error, freedom),
        cells.by_voice(accent, accent_error, max(cells.hits - cells.count, 1)),
        cells.counts,
        _swing_figure(takes, swings, lean_error, step),
        fit.drift_sd if fit else None,
        fit.slope if fit else None,
        fit.jitter_sd if fit else None,
        touch,
        _slow_sd(laid, cells, accent),
        _flams(laid),
        _weaker(laid, step, slots),
        _together(laid, cells, lean),
        _by_tempo(takes, swings),
    )


def _step(takes: Sequence[TakeToLearn]) -> int:
    """The grid all of it was played on, no finer than a 64th of the bar and no coarser than 16ths or triplets."""
    longest = max(takes, key=lambda take: len(take.played))
    step = fit_grids(longest.played.time_ms, longest.bars)[0].step_ticks
    step = {480: 240, 320: 160}.get(step, step)
    return step if longest.bars.metre.bar_ticks % step == 0 else 120


def _swing(take: TakeToLearn, step: int) -> float:
    """A first guess, to find the slots by."""
    if step not in SWUNG_STEPS or not len(take.played):
        return 50.0
    fits = [one for one in fit_grids(take.played.time_ms, take.bars) if one.step_ticks == step]
    return fits[0].swing_percent if fits else 50.0


def _laid(take: TakeToLearn, step: int, swing_percent: float) -> _Laid:
    strokes = find_strokes(take.played, take.bars, BOUNCE_MS)
    played, tick_ms = strokes.played, take.bars.tick_ms
    pair_ms = 2 * step * tick_ms
    if step in SWUNG_STEPS:
        put_ms = swung_slots_ms(played.time_ms, step, swing_percent, tick_ms)
        slot = 2 * np.floor(put_ms / pair_ms + 1e-9) + (np.mod(put_ms + 1e-6, pair_ms) > 1e-3)
    else:
        slot = np.rint(played.time_ms / (step * tick_ms))
        put_ms = slot * step * tick_ms
    whole = strokes.strokes == 0  # rolls say nothing of slots
    names = [voice for voice, keep in zip(played.names, whole.tolist(), strict=True) if keep]
    return _Laid(
        names,
        slot.astype(np.int64)[whole],
        (played.time_ms - put_ms)[whole],
        played.velocity.astype(np.float64)[whole],
        strokes,
        take.bars.tempo_bpm,
    )


def _off_pairs(laid: Sequence[_Laid], step: int) -> float:
    """What the second notes of pairs lie behind the first still, in points of swing: means of slots, then of pairs."""
    points, weights = [], []
    for one in laid:
        second = one.slot % 2 == 1
        if second.any() and (~second).any():
            gap_ms = float(one.off_ms[second].mean() - one.off_ms[~second].mean())
            points.append(100 * gap_ms / (2 * step * ms_per_tick(one.tempo_bpm)))
            weights.append(len(one.slot))
    return float(np.average(points, weights=weights)) if points else 0.0


class _Cells:
    """Hits by voice and slot of the bar. of: the number of the cell of each hit, by take."""

    def __init__(self, laid: Sequence[_Laid], slots: int) -> None:
        self.slots = slots
        self.voices = sorted({voice for one in laid for voice in one.voices})
        number = {voice: place for place, voice in enumerate(self.voices)}
        raw = [
            np.array([number[voice] for voice in one.voices], dtype=np.int64) * slots + one.slot % slots for one in laid
        ]
        everything = np.concatenate(raw) if raw else np.zeros(0, dtype=np.int64)
        self.names, index = np.unique(everything, return_inverse=True)
        ends = np.cumsum([len(one) for one in raw])
        self.of = np.split(index, ends[:-1])
        self.count, self.hits = len(self.names), len(everything)
        self.sizes = np.bincount(index, minlength=self.count)

    @property
    def counts(self) -> dict[str, tuple[int, ...]]:
        found = np.zeros(len(self.voices) * self.slots, dtype=np.int64)
        found[self.names] = self.sizes
        return dict(zip(self.voices, (tuple(row) for row in found.reshape(-1, self.slots).tolist()), strict=True))

    def by_voice(self, values: Floats, errors: Floats, freedom: int) -> dict[str, tuple[Figure | None, ...]]:
        found: dict[str, list[Figure | None]] = {voice: [None] * self.slots for voice in self.voices}
        for cell, name in enumerate(self.names.tolist()):
            if self.sizes[cell] >= FEWEST_IN_CELL:
                voice, slot = divmod(name, self.slots)
                found[self.voices[voice]][slot] = t_interval(float(values[cell]), float(errors[cell]), freedom)
        return {voice: tuple(row) for voice, row in found.items()}

    def means(self, values: Sequence[Floats]) -> tuple[Floats, Floats, Figure]:
        """Means of cells, their standard errors, and the standard deviation around them."""
        index, together = np.concatenate(self.of), np.concatenate(values)
        mean = np.bincount(index, together, self.count) / self.sizes
        rest = together - mean[index]
        freedom = max(self.hits - self.count, 1)
        sd = float(np.sqrt((rest**2).sum() / freedom))
        low, high = np.sqrt(freedom / np.array(_chi(freedom)))
        return mean, sd / np.sqrt(self.sizes), Figure(sd, float(sd * low), float(sd * high))


def _chi(freedom: int) -> tuple[float, float]:
    return float(stats.chi2.ppf(0.975, freedom)), float(stats.chi2.ppf(0.025, freedom))


def _weights(one: _Laid, step: int) -> Floats:
    """They fall with the distance from the slot."""
    half_ms = TRUSTED_SHARE * step * ms_per_tick(one.tempo_bpm)
    return np.asarray(np.exp(-0.5 * (one.off_ms / half_ms) ** 2))


def _leans(stretches: Sequence[Stretch], cells: _Cells, fit: WanderFit | None) -> tuple[Floats, Floats, int]:
    if fit is not None:
        return fit.means, fit.errors, fit.freedom
    mean, error, _ = cells.means([one.y for one in stretches])
    return mean, error, max(cells.hits - cells.count, 1)


def _swing_figure(takes: Sequence[TakeToLearn], swings: Sequence[float], errors: Floats, step: int) -> Figure:
    value = float(np.average(swings, weights=[max(len(take.played), 1) for take in takes]))
    pair_ms = 2 * step * float(np.median([take.bars.tick_ms for take in takes]))
    error = 100 * 2 * float(np.sqrt((errors**2).mean() / max(len(errors), 1))) / pair_ms
    return Figure(value, value - 2.6 * error, value + 2.6 * error)  # leans of neighbours go together


def _by_tempo(takes: Sequence[TakeToLearn], swings: Sequence[float]) -> float | None:
    tempos = np.array([take.bars.tempo_bpm for take in takes])
    if len(np.unique(np.round(tempos))) < 2:
        return None
    return float(10 * np.polyfit(tempos, np.asarray(swings), 1)[0])


def _slow_sd(laid: Sequence[_Laid], cells: _Cells, accent: Floats) -> float:
    """From how alike the velocities of slots beside each other are off their accents."""
    products = []
    for one, cell in zip(laid, cells.of, strict=True):
        slots, index = np.unique(one.slot, return_inverse=True)
        rest = np.bincount(index, one.velocity - accent[cell]) / np.bincount(index)
        beside = np.diff(slots) == 1
        products.append((rest[1:] * rest[:-1])[beside])
    together = np.concatenate(products) if products else np.zeros(0)
    return float(np.sqrt(max(together.mean(), 0.0))) if len(together) else 0.0


def _flams(laid: Sequence[_Laid]) -> Figure | None:
    gaps = np.concatenate([one.strokes.grace_ms[one.strokes.grace_ms > 0] for one in laid])
    if len(gaps) < 2:
        return None
    return t_interval(float(gaps.mean()), float(gaps.std(ddof=1) / np.sqrt(len(gaps))), len(gaps) - 1)


def _weaker(laid: Sequence[_Laid], step: int, slots: int) -> tuple[float, float] | None:
    """Of the voice with most hits: every second stroke against the first."""
    names = [voice for one in laid for voice in one.voices]
    busiest = max(dict.fromkeys(names), key=names.count, default="")
    own = [np.array([voice == busiest for voice in one.voices], dtype=np.bool_) for one in laid]
    slot = np.concatenate([one.slot[mine] for one, mine in zip(laid, own, strict=True)])
    second = slot % WEAKER_STEP == 1
    if second.sum() < FEWEST_TOGETHER or (~second).sum() < FEWEST_TOGETHER:
        return None
    velocity = np.concatenate([one.velocity[mine] for one, mine in zip(laid, own, strict=True)])
    off_ms = np.concatenate([one.off_ms[mine] for one, mine in zip(laid, own, strict=True)])
    softer = float(velocity[~second].mean() - velocity[second].mean())
    return softer, float(off_ms[second].mean() - off_ms[~second].mean())


def _together(laid: Sequence[_Laid], cells: _Cells, lean: Floats) -> dict[str, float]:
    """How alike two voices struck in one slot lie off their leans."""
    rests: dict[tuple[str, str], list[tuple[float, float]]] = {}
    for one, cell in zip(laid, cells.of, strict=True):
        rest = one.off_ms - lean[cell]
        order = np.argsort(one.slot, kind="stable")
        for group in np.split(order, np.flatnonzero(np.diff(one.slot[order])) + 1):
            ordered = sorted(group.tolist(), key=lambda hit: one.voices[hit])
            for first, second in pairwise(ordered):
                pair = (one.voices[first], one.voices[second])
                rests.setdefault(pair, []).append((float(rest[first]), float(rest[second])))
    found = {}
    for (one_voice, other), pairs in rests.items():
        if len(pairs) >= FEWEST_TOGETHER and one_voice != other:
            found[f"{one_voice} {other}"] = float(np.corrcoef(np.array(pairs).T)[0, 1])
    return found
