"""Log-odds of onset candidates from their bar context: what the same slot holds in the other bars, and its neighbours.

A ghost note too faint to count alone counts where the same slot of another bar holds one like it. A candidate that no
other bar has, that is off where its slot is played, or far softer than what the slot holds elsewhere, counts less.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.candidates import AFTER, BEFORE, Candidates
from easy_pocket.core.listen.hit_classifier import needed_log_odds, network
from easy_pocket.core.listen.onsets import Onsets, chosen
from easy_pocket.core.listen.preparation import Prepared
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.signals import RATE_HZ, Floats, Ints

BELIEVED = 0.5  # the reading's confidence and fit, or its bars say nothing
ON_PLACE_S = 0.015  # off where the hits of its slot lie
SURE_ODDS = 8.0  # more than this says no more
ALIKE_DB = 30.0  # levels further apart than this are no further apart
HELD = 0.3  # probability from which another bar's candidate is a hit to compare with
FAINT_ODDS = 0.3  # over what is needed, for what only the bars speak for: it stays among the doubtful ones
BARS_PICTURE = 35


def bars_are_reliable(reading: Reading) -> bool:
    """Whether a reading is certain enough, and has at least two bars to compare."""
    return reading.confidence >= BELIEVED and reading.fit >= BELIEVED and reading.bars >= 2


def select_with_bars(
    prepared: Prepared, candidates: Candidates, odds: Floats, onsets: Onsets, reading: Reading, sensitivity: float
) -> Onsets:
    """The hits once the bars have spoken. Without a reading one can lean on, or with one bar only: `onsets`.

    Parameters
    ----------
    prepared
        Audio as the detection needs it.
    candidates
        Places that may be hits.
    odds
        Log-odds of each candidate, shape (n,).
    onsets
        Hits found without the bars.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    sensitivity
        0 to 1, 0.5 as tuned.

    Returns
    -------
    Onsets
        The hits.
    """
    if not bars_are_reliable(reading):
        return onsets
    time_s = (candidates.at - prepared.context) / RATE_HZ
    inside, pictures = bar_features(candidates, time_s, odds, reading)
    if not inside.any():
        return onsets
    spoken = odds.copy()
    spoken[inside] = network("bars").of(pictures[inside])
    needed = needed_log_odds(sensitivity, narrow=prepared.narrow)
    # One who turns the sensitivity down wants less heard, not the same by another way.
    faint = odds < needed
    spoken[faint] = np.minimum(spoken[faint], needed + FAINT_ODDS)
    try:
        return chosen(prepared, candidates, spoken, sensitivity)
    except NoHitsError:  # bars that would take everything away are not to be leaned on
        return onsets


def bar_features(
    candidates: Candidates, time_s: Floats, odds: Floats, reading: Reading
) -> tuple[npt.NDArray[np.bool_], Floats]:
    """Which places lie in the reading's bars, (n,), and a row of BARS_PICTURE for each: (n, BARS_PICTURE).

    Parameters
    ----------
    candidates
        Places that may be hits.
    time_s
        When each is, in seconds, shape (n,).
    odds
        Log-odds of each, shape (n,).
    reading
        Tempo, bars, metre and grid in which the hits are read.

    Returns
    -------
    tuple[npt.NDArray[np.bool_], Floats]
        The places within the bars, and their features.
    """
    bars, per_bar = reading.bars, reading.slots_per_bar
    bar, slot, off_s = _places(time_s, reading)
    inside = (bar >= 0) & (bar < bars)
    bar = np.clip(bar, 0, bars - 1)
    chance = 1 / (1 + np.exp(-odds))
    weight = np.where(inside, chance, 0.0) ** 2
    usual_s = _usual(slot, off_s, weight, per_bar)
    astray_s = np.abs(off_s - usual_s[slot])
    near = inside & (astray_s < ON_PLACE_S)

    bounded = np.clip(odds, -SURE_ODDS, SURE_ODDS)
    best = np.full((bars, per_bar), -SURE_ODDS)
    np.maximum.at(best, (bar[near], slot[near]), bounded[near])
    held = 1 / (1 + np.exp(-best))
    others_mean = (held.sum(axis=0)[slot] - held[bar, slot]) / max(bars - 1, 1)
    other = _strongest_other(held)[bar, slot]
    along = held.ravel()
    place = bar * per_bar + slot
    beat = reading.grid.per_beat
    steps = [along[(place + step) % len(along)] for step in (-beat, beat, -1, 1, -2, 2)]

    after = candidates.levels_db[:, :, AFTER].max(axis=2)
    before = 10 * np.log10((10 ** (candidates.levels_db[:, :, BEFORE] / 10)).mean(axis=2))
    which = np.full((bars, per_bar), -1)
    order = np.argsort(odds, kind="stable")
    order = order[near[order]]
    which[bar[order], slot[order]] = order  # the last written has the best odds
    likened = which[other, slot]
    comparable = (likened >= 0) & (held[other, slot] > HELD)
    apart_db = np.where(comparable[:, None], np.clip(after - after[likened], -ALIKE_DB, ALIKE_DB), 0.0)
    covered_db = np.where(comparable[:, None], np.clip(before - after[likened], -ALIKE_DB, ALIKE_DB), 0.0)
    pictures = np.column_stack([
        bounded, bounded - best[bar, slot],
        others_mean, held[other, slot], best[other, slot], comparable, *steps,
        1000 * np.minimum(astray_s, 0.1), 1000 * np.clip(off_s, -0.1, 0.1), np.full(len(odds), np.log2(bars)),
        np.full(len(odds), reading.fit), slot % beat == 0, np.full(len(odds), held.mean()), apart_db, covered_db,
        np.clip(after - before, -ALIKE_DB, ALIKE_DB), np.full(len(odds), reading.confidence), near,
    ])  # fmt: skip
    return inside, pictures.astype(np.float64)


def _places(time_s: Floats, reading: Reading) -> tuple[Ints, Ints, Floats]:
    """Bar (counted from 0), slot in it, and how far off its played place in seconds each time is."""
    place = reading.slot_at(time_s)
    played = reading.nearest_places(place)
    whole = np.floor(played + 1e-9).astype(np.intp)
    if reading.trimmed:
        whole = np.mod(whole, reading.slots_per_bar * reading.bars)
    bar, slot = np.divmod(whole, reading.slots_per_bar)
    return bar, slot, (place - played) * reading.slot_s


def _usual(slot: Ints, off_s: Floats, weight: Floats, per_bar: int) -> Floats:
    """How far off its played place each slot usually lies, drawn to how far all lie off where little is known."""
    total = max(float(weight.sum()), 1e-9)
    overall = float((weight * off_s).sum()) / total
    sums, weights = (np.bincount(slot, part, per_bar) for part in (weight * off_s, weight))
    return np.asarray((sums + 0.5 * overall) / (weights + 0.5))


def _strongest_other(held: Floats) -> Ints:
    """For each bar and slot, which other bar holds most there: shape of held, (bars, slots)."""
    order = np.argsort(-held, axis=0, kind="stable")
    first, second = order[0], order[1]
    own = np.arange(len(held))[:, None] == first
    return np.asarray(np.where(own, second, first))
