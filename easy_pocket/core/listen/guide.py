"""A guide: a long piece of audio under everything. Its tempo and the beat its first bar begins on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import soxr

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import AudioRefusedError, BadValueError, NoHitsError, require_range
from easy_pocket.core.listen.drifting_tempo import followed
from easy_pocket.core.listen.onsets import detect_onsets
from easy_pocket.core.listen.ranked_readings import rank_readings
from easy_pocket.core.listen.typical_bars import cut_exactly
from easy_pocket.core.pattern.timebase import MAX_BARS, Metre, check_tempo
from easy_pocket.core.sound.tones import RATE_HZ

LISTENS_S = 600.0  # from where it begins to sound
QUIET = 0.003
COLUMNS = 240
OFF_MS = 12.0
MOST_IN_STRETCH = 16
AROUND_S = 1.0  # so much on either side of a bar line is listened to, for a hit that comes early
REACHES_S = 0.05  # so much of the last bar may be missing


@dataclass(frozen=True)
class GuideBeat:
    """tempo_bpm and bar_one_s, in seconds of the file; None where no beat was found. slowest, fastest: of its bars.

    lines_s: where its bars begin and the last one ends, in seconds of the file.
    """

    tempo_bpm: float | None
    bar_one_s: float
    slowest_bpm: float = 0.0
    fastest_bpm: float = 0.0
    lines_s: tuple[float, ...] = ()

    @property
    def words(self) -> str:
        if self.tempo_bpm is None:
            return "no beat was found: say where its bar one is"
        moves = self.fastest_bpm - self.slowest_bpm > 1.0
        told = f"{self.tempo_bpm:.1f} bpm"
        return f"{told}, it moves from {self.slowest_bpm:.0f} to {self.fastest_bpm:.0f}" if moves else told


def guide_beat(audio: Audio, metre: Metre) -> GuideBeat:
    """Listen to it as to a loop; readings in the song's metre come first.

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
        onsets = detect_onsets(cut)
        readings = rank_readings(onsets)
    except NoHitsError:
        return GuideBeat(None, begins_s)
    best = next((one for one in readings if one.metre == metre), readings[0])
    slowest, fastest = best.tempo_range_bpm
    lines = followed(onsets, best).bar_lines_s
    return GuideBeat(
        best.tempo_bpm,
        begins_s + max(best.bar_one_s, 0.0),
        slowest,
        fastest,
        tuple(round(begins_s + line, 4) for line in lines if begins_s + line >= 0),
    )


@dataclass(frozen=True)
class TempoStretch:
    """Bars of a guide that are near enough to one tempo: the first of them from 0, and by how much lines lie off."""

    first: int
    bars: int
    tempo_bpm: float
    off_ms: float


def stretch_of(lines_s: Sequence[float], first: int, bars: int, metre: Metre) -> TempoStretch:
    """So many bars of a guide at the tempo that makes them just as long."""
    lines = np.asarray(lines_s[first : first + bars + 1])
    even = np.linspace(lines[0], lines[-1], bars + 1)
    tempo_bpm = bars * metre.bar_ticks / 960 * 60 / float(lines[-1] - lines[0])
    off_ms = float(np.abs(lines - even).max()) * 1000
    return TempoStretch(first, bars, round(check_tempo(tempo_bpm), 6), off_ms)


def tempo_stretches(
    lines_s: Sequence[float], metre: Metre, *, off_ms: float = OFF_MS, most_bars: int = MOST_IN_STRETCH
) -> list[TempoStretch]:
    """A guide's bars as stretches of one tempo each, as long as they can be.

    Parameters
    ----------
    lines_s
        Where bars begin and the last one ends, in seconds, ascending.
    metre
        Metre of the bars.
    off_ms
        So much a bar line may lie off where its stretch's tempo puts it.
    most_bars
        How many bars a stretch has at most.

    Returns
    -------
    list[TempoStretch]
        One after another; together all bars.
    """
    found: list[TempoStretch] = []
    first, count = 0, len(lines_s) - 1
    while first < count:
        longest = stretch_of(lines_s, first, 1, metre)
        for bars in range(2, min(most_bars, count - first) + 1):
            longer = stretch_of(lines_s, first, bars, metre)
            if longer.off_ms <= off_ms:
                longest = longer
        found.append(longest)
        first += longest.bars
    return found


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


def bars_under(audio: Audio, first_s: float, length_s: float, what: str) -> tuple[Audio, float]:
    """What of a guide lies under some bars of the song, exactly as long as these.

    Parameters
    ----------
    audio
        The whole guide.
    first_s
        Where in it the bars begin, in seconds.
    length_s
        How long they are, in seconds.
    what
        What is cut out, as its name says it.

    Returns
    -------
    tuple[Audio, float]
        The audio, and seconds from its start to the first bar: 0, unless its first hit came early.

    Raises
    ------
    BadValueError
        When the guide does not lie under all of them.
    """
    if first_s < 0 or first_s + length_s > audio.duration_s + REACHES_S:
        there = f"{max(first_s, 0):.1f} to {min(first_s + length_s, audio.duration_s):.1f} s"
        held = "nothing of it" if first_s >= audio.duration_s or first_s + length_s <= 0 else f"only {there} of it"
        raise BadValueError(
            f"The guide does not lie under all of these bars, {held} does: look at another section, or place the guide."
        )
    begin = max(round((first_s - AROUND_S) * audio.rate_hz), 0)
    near = audio.samples[begin : round((first_s + AROUND_S) * audio.rate_hz)]
    try:
        hits_s = detect_onsets(Audio(near, audio.rate_hz, audio.name)).time_s + begin / audio.rate_hz
    except (NoHitsError, AudioRefusedError):
        hits_s = np.zeros(0)
    return cut_exactly(audio, hits_s, first_s, length_s, what)


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
