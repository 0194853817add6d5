"""A groove template from hits heard and a reading of their bars."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.feel.lane_from_hits import lane_from_hits
from easy_pocket.core.feel.template import BAND_LANES, MAX_TEMPLATE_BARS, GrooveTemplate
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading, with_grid

BETWEEN = 0.3  # of a slot: hits farther off where it is played lie between slots, ...
ON_PLACE_S = 0.030  # ... where slots are longer than a player is loose
LANE_SHARE = 0.25  # of a hit's energy in a band before the hit belongs to it; a hit can belong to two

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]


def slots_and_offsets(onsets: Onsets, reading: Reading) -> tuple[Ints, Floats]:
    """For each hit its slot counted from bar one, and its offset in ms from that slot's straight place.

    A hit belongs to the slot whose swung place is nearest, so heavy swing does not change slots. In a trimmed loop
    a hit before the first line wraps: slot 0, early.
    """
    total = reading.slots_per_bar * reading.bars
    slot = np.floor(reading.nearest_places(reading.slot_at(onsets.time_s)))
    offset_ms = (onsets.time_s - reading.time_at(slot)) * 1000
    if reading.trimmed:
        slot = np.mod(slot, total)
    return slot.astype(np.intp), offset_ms


def struck_together_ms(onsets: Onsets, offset_ms: Floats) -> Floats:
    """Offsets of hits as a groove counts them: where the middle of all that is struck together lies, not its first."""
    return offset_ms + onsets.middle_ms


def found_swing_percent(onsets: Onsets, reading: Reading) -> float | None:
    """Where the second slot of a pair is played, in percent of the pair; None when no hit falls there.

    Measured against the hits on the first slots, so that a loop which is late as a whole does not swing for it. On a
    triplet grid the lilt is in which slots are played: 50.
    """
    if reading.grid.per_beat % 2:
        return 50.0
    slot, offset_ms = slots_and_offsets(onsets, reading)
    off = slot % 2 == 1
    if not off.any():
        return None
    level_ms = float(np.median(offset_ms[~off])) if (~off).any() else 0.0
    pair_ms = 2000.0 * reading.slot_s
    return float(np.clip(50.0 + 100.0 * (np.median(offset_ms[off]) - level_ms) / pair_ms, 25.0, 80.0))


def hits_that_count(
    onsets: Onsets, slot: Ints, reading: Reading, from_bars: Sequence[int] = (), lane: str = "all"
) -> npt.NDArray[np.bool_]:
    """Which hits a groove is made of.

    Those in its bars that belong to the lane, and lie on slots: a 16th between 8ths says nothing about either.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    slot
        Slot of each hit as `slots_and_offsets` gives it, shape (n,).
    reading
        Tempo, bars, metre and grid in which the hits are read.
    from_bars
        Bars of the loop, counted from 1; none for all.
    lane
        Name of the lane: all, low, mid or high.

    Returns
    -------
    npt.NDArray[np.bool_]
        True for each hit that counts, shape (n,).

    Raises
    ------
    BadValueError
        For a bar the loop has not.
    """
    for bar in from_bars:
        require_range("A bar to take the groove from", bar, 1, reading.bars)
    counts = (slot >= 0) & (slot < reading.slots_per_bar * reading.bars)
    place = reading.slot_at(onsets.time_s)
    astray = np.abs(place - reading.nearest_places(place))
    counts &= (astray < BETWEEN) | (astray * reading.slot_s < ON_PLACE_S)
    if from_bars:
        counts &= np.isin(slot // reading.slots_per_bar + 1, list(from_bars))
    if lane != "all":
        counts &= onsets.bands[:, BAND_LANES.index(lane)] >= LANE_SHARE
    return counts


def extract_template(
    onsets: Onsets,
    reading: Reading,
    name: str,
    source: str = "",
    bars: int = 1,
    *,
    from_bars: Sequence[int] = (),
    per_beat: int | None = None,
) -> GrooveTemplate:
    """Mean offset (weighted by the root of strength), spread, accent and count of every slot of `bars` bars.

    from_bars: the bars of the loop, counted from 1, that are listened to; none for all. per_beat: slots in a beat
    as one counts it, where they shall be others than those the loop is read in. An empty slot carries the mean of
    the slots of its swing phase, marked as guessed; where a lane has none of that phase, what all hits do there.
    Hits before bar one are left out.

    Parameters
    ----------
    onsets
        Hits that were heard, in order of time.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    name
        What it is called.
    source
        Where it was taken from, in words.
    bars
        Bars of the groove.
    from_bars
        Bars of the loop that are listened to, counted from 1; none for all.
    per_beat
        Slots in a beat as one counts it; None as the loop was read.

    Returns
    -------
    GrooveTemplate
        The groove, with guessed slots marked.

    Raises
    ------
    BadValueError
        For bars the loop has not, and when they hold no hit.
    """
    require_range("The bars of the groove", bars, 1, MAX_TEMPLATE_BARS)
    reading = with_grid(reading, per_beat)
    slot, offset_ms = slots_and_offsets(onsets, reading)
    offset_ms = struck_together_ms(onsets, offset_ms)
    slots = reading.slots_per_bar * bars
    heard = hits_that_count(onsets, slot, reading, from_bars)
    if from_bars and not heard.any():
        named = ", ".join(map(str, from_bars))
        raise BadValueError(f"There is no hit in bar {named}: take the groove from other bars too.")
    lanes = {"all": lane_from_hits(slot, offset_ms, onsets.level, heard, slots)}
    for band, lane in enumerate(BAND_LANES):
        belongs = hits_that_count(onsets, slot, reading, from_bars, lane)
        if belongs.any():
            lanes[lane] = lane_from_hits(
                slot, offset_ms, onsets.level * np.sqrt(onsets.bands[:, band]), belongs, slots, lanes["all"]
            )
    return GrooveTemplate(
        name=name,
        tempo_bpm=reading.tempo_bpm,
        slots_per_bar=reading.slots_per_bar,
        lanes=lanes,
        bars=bars,
        metre=reading.metre,
        source=source,
    )
