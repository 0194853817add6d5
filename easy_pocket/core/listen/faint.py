"""Faint hits: what stirs too little to be believed alone is believed where the bars around it say a hit belongs."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.onsets import MERGE_S, RATE_HZ, Onsets, Prepared, hits_in, measure
from easy_pocket.core.listen.reading import Reading

MORE_SENSITIVE = 0.16
MOST_BARS = 0.6  # of the others, in which a place stirs that is plainly hit in none
ON_PLACE_S = 0.010  # off where the hits of its slot lie
BELIEVED = 0.5  # the reading's confidence and fit, or its bars say nothing
FAINT_DB = 0.5  # how far a faint hit counts as risen: it stays among the doubtful ones

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]


def with_faint_hits(prepared: Prepared, onsets: Onsets, reading: Reading, sensitivity: float) -> Onsets:
    """The hits, and those faint ones that lie where their slot is played while the same slot of another bar holds a
    hit, or of most others a faint one too. Without a reading one can lean on, or with one bar only: the hits alone."""
    if reading.confidence < BELIEVED or reading.fit < BELIEVED or reading.bars < 2:
        return onsets
    try:
        # One who turns the sensitivity down wants less heard, not the same by another way.
        more = MORE_SENSITIVE * min(sensitivity / 0.5, 1.0)
        starts, _ = hits_in(prepared, min(sensitivity + more, 1.0))
    except NoHitsError:
        return onsets
    time_s = (starts - prepared.context) / RATE_HZ
    after = np.searchsorted(onsets.time_s, time_s)
    known_s = np.concatenate([[-np.inf], onsets.time_s, [np.inf]])
    new = np.minimum(time_s - known_s[after], known_s[after + 1] - time_s) > MERGE_S
    time_s, starts = time_s[new], starts[new]
    bar, slot, off_s = _places(onsets.time_s, reading)
    new_bar, new_slot, new_off_s = _places(time_s, reading)
    per_bar, bars = reading.slots_per_bar, reading.bars
    heard, stirs = (_there(b, s, bars, per_bar) for b, s in ((bar, slot), (new_bar, new_slot)))
    inside = (new_bar >= 0) & (new_bar < bars)
    new_bar, new_slot, new_off_s, starts = new_bar[inside], new_slot[inside], new_off_s[inside], starts[inside]
    played = heard.sum(axis=0)[new_slot] - heard[new_bar, new_slot] > 0
    stirring = stirs.sum(axis=0)[new_slot] - stirs[new_bar, new_slot] >= MOST_BARS * (bars - 1)
    usual_s = np.full(per_bar, off_s.mean())
    count = np.bincount(slot, minlength=per_bar)
    sums = np.bincount(slot, off_s, per_bar)
    usual_s[count > 0] = sums[count > 0] / count[count > 0]
    believed = (played | stirring) & (np.abs(new_off_s - usual_s[new_slot]) < ON_PLACE_S)
    if not believed.any():
        return onsets
    known = np.rint(onsets.time_s * RATE_HZ).astype(np.intp) + prepared.context
    merged = np.concatenate([known, starts[believed]])
    rise_db = np.concatenate([onsets.rise_db, np.full(int(believed.sum()), FAINT_DB)])
    order = np.argsort(merged, kind="stable")
    return measure(prepared, merged[order], rise_db[order])


def _places(time_s: Floats, reading: Reading) -> tuple[Ints, Ints, Floats]:
    """Bar (counted from 0), slot in it, and how far off its played place in seconds each hit is."""
    place = reading.slot_at(time_s)
    played = reading.nearest_places(place)
    whole = np.floor(played + 1e-9).astype(np.intp)
    if reading.trimmed:
        whole = np.mod(whole, reading.slots_per_bar * reading.bars)
    bar, slot = np.divmod(whole, reading.slots_per_bar)
    return bar, slot, (place - played) * reading.slot_s


def _there(bar: Ints, slot: Ints, bars: int, per_bar: int) -> npt.NDArray[np.intp]:
    """Which slots of which bars hold a hit: shape (bars, per_bar), 0 or 1."""
    held = np.zeros((bars, per_bar), dtype=np.intp)
    inside = (bar >= 0) & (bar < bars)
    held[bar[inside], slot[inside]] = 1
    return held
