"""A guide: a long piece of audio under everything. Its tempo and the beat its first bar begins on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import soxr

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import AudioRefusedError, NoHitsError, require_range
from easy_pocket.core.listen.onsets import detect_onsets
from easy_pocket.core.listen.ranked_readings import rank_readings
from easy_pocket.core.pattern.timebase import MAX_BARS, Metre, check_tempo
from easy_pocket.core.sound.tones import RATE_HZ

LISTENS_S = 60.0  # from where it begins to sound; the rest is taken to go on like that
QUIET = 0.003
COLUMNS = 240


@dataclass(frozen=True)
class GuideBeat:
    """tempo_bpm and bar_one_s, in seconds of the file; None where no beat was found. slowest, fastest: of its bars."""

    tempo_bpm: float | None
    bar_one_s: float
    slowest_bpm: float = 0.0
    fastest_bpm: float = 0.0

    @property
    def words(self) -> str:
        if self.tempo_bpm is None:
            return "no beat was found: say where its bar one is"
        moves = self.fastest_bpm - self.slowest_bpm > 1.0
        told = f"{self.tempo_bpm:.1f} bpm"
        return f"{told}, it moves from {self.slowest_bpm:.0f} to {self.fastest_bpm:.0f}" if moves else told


def guide_beat(audio: Audio, metre: Metre) -> GuideBeat:
    """Listen to its beginning as to a loop; readings in the song's metre come first.

    Raises
    ------
    AudioRefusedError
        For silence.
    """
    loud = np.abs(audio.samples).max(axis=1)
    if not len(loud) or float(loud.max()) < QUIET:
        raise AudioRefusedError(f"{audio.name} is silent: choose another file.")
    first = int(np.argmax(loud >= QUIET))
    cut = Audio(audio.samples[first : first + round(LISTENS_S * audio.rate_hz)], audio.rate_hz, audio.name)
    begins_s = first / audio.rate_hz
    try:
        readings = rank_readings(detect_onsets(cut))
    except NoHitsError:
        return GuideBeat(None, begins_s)
    best = next((one for one in readings if one.metre == metre), readings[0])
    slowest, fastest = best.tempo_range_bpm
    return GuideBeat(best.tempo_bpm, begins_s + max(best.bar_one_s, 0.0), slowest, fastest)


def whole_bars(length_s: float, metre: Metre, near_bpm: float) -> tuple[int, float]:
    """How many bars a span of a guide is, and the tempo at which it is just these.

    Parameters
    ----------
    length_s
        Length of the span in seconds.
    metre
        Metre of the bars.
    near_bpm
        The tempo next to which it is looked for.

    Returns
    -------
    tuple[int, float]
        Bars, and the tempo in quarter notes a minute.

    Raises
    ------
    BadValueError
        For a span that is no bar long, or more than 512.

    Examples
    --------
    >>> whole_bars(7.8, Metre(4, 4), 120.0)
    (4, 123.076923)
    """
    bars = round(length_s / (metre.bar_ticks / 960 * 60 / near_bpm))
    require_range("The bars in this span", bars, 1, MAX_BARS)
    return bars, round(check_tempo(bars * metre.bar_ticks / 960 * 60 / length_s), 6)


def guide_frames(audio: Audio) -> npt.NDArray[np.float32]:
    """As it is played: shape (frames, 2) at 44.1 kHz."""
    x = audio.samples if audio.rate_hz == RATE_HZ else soxr.resample(audio.samples, audio.rate_hz, RATE_HZ)
    sides = x[:, :2] if x.shape[1] > 1 else np.repeat(x, 2, axis=1)
    return np.ascontiguousarray(sides, dtype=np.float32)


def guide_picture(audio: Audio) -> tuple[float, ...]:
    """Its size in each of 240 columns, the loudest 1."""
    size = np.abs(audio.samples).max(axis=1)
    edges = np.linspace(0, len(size), COLUMNS + 1).astype(np.intp)[:-1]
    columns = np.maximum.reduceat(size, edges)
    return tuple(np.round(columns / max(float(columns.max()), 1e-9), 3).tolist())
