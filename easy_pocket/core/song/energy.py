"""How much goes on in each bar of a song, and sections that do not keep what their names promise."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.ideas.build_up import BAND_ENERGY
from easy_pocket.core.pattern.voices import band_of
from easy_pocket.core.song.arrangement import Span
from easy_pocket.core.song.flatten import Flat, bar_numbers
from easy_pocket.core.song.hit_columns import HitColumns
from easy_pocket.core.song.part import audible_parts

Floats = npt.NDArray[np.float64]
# Names that say: now there is more. Compared with the section before.
PROMISING = ("chorus", "lift", "build", "drop", "peak", "climax", "refrain", "full", "big", "louder", "rise")
CLEARLY = 1.03  # times the energy before, from which on it counts as more


@dataclass(frozen=True)
class Energy:
    """Per bar of the song, each of shape (bars,).

    Hits a beat, mean velocity (0 to 1, 0 in silence), share of hits in the high band, and energy a beat: squared
    velocities weighed by band, by the level of part and cell.
    """

    density: Floats
    level: Floats
    brightness: Floats
    energy: Floats


@dataclass(frozen=True)
class Promise:
    """A section that is named as if more went on in it than in the one before, and does not."""

    section: int
    words: str


def energy_of(flat: Flat) -> Energy:
    """Of the parts that sound, muted voices of the mix left out."""
    starts = bar_numbers(flat)
    bars = len(starts) - 1
    of_bar = [s.metre.bar_ticks / s.metre.pulse_ticks for s in flat.song.spans for _ in range(s.bars)]
    beats = np.array(of_bar, dtype=np.float64)
    count, loud, high, power = (np.zeros(bars) for _ in range(4))
    heard = audible_parts(flat.song.parts)
    for part in flat.song.parts:
        if part.key not in heard:
            continue
        for span, line in flat.pieces(part.key):
            cell = span.section.cells.get(part.key)
            gain = 10 ** ((part.level_db + (cell.level_db if cell else 0.0)) / 10)
            silent = frozenset(voice for voice, mix in part.mix.items() if mix.mute)
            here = slice(span.first_bar - 1, span.first_bar - 1 + span.bars)
            sums = _bar_sums(line, silent, span)
            count[here] += sums[0]
            loud[here] += sums[1]
            high[here] += sums[2]
            power[here] += sums[3] * gain
    struck = np.maximum(count, 1)
    return Energy(count / beats, loud / struck, high / struck, power / beats)


def _bar_sums(line: HitColumns, silent: frozenset[str], span: Span) -> Floats:
    """Per bar of the span, shape (4, bars): hits, their velocities, those in the high band, and power.

    Kept with the line, which is often the same in many spans.
    """
    kept: dict[object, Floats] = line.__dict__.setdefault("bar_sums", {})
    key = (silent, span.metre, span.bars)
    if key not in kept:
        heard = line.take(~line.of(silent)) if silent else line
        bands = [band_of(voice) for voice in heard.voices]
        weight = np.array([BAND_ENERGY[band] for band in bands] or [0.0])[heard.voice]
        bright = np.array([band == "high" for band in bands] or [False])[heard.voice]
        bar, velocity = heard.tick // span.metre.bar_ticks, heard.velocity / 127
        columns = (np.ones(len(heard)), velocity, bright, velocity**2 * weight)
        kept[key] = np.array([np.bincount(bar, column, minlength=span.bars) for column in columns])
    return kept[key]


def broken_promises(flat: Flat, energy: Energy) -> list[Promise]:
    """Sections whose name promises more than the one before them, and that are neither denser nor louder."""
    song = flat.song
    found = []
    spans = [[span for span in song.spans if span.section is section] for section in song.sections]
    means = [
        np.mean([_mean(energy, span.first_bar, span.bars) for span in of], axis=0) if of else np.zeros(2)
        for of in spans
    ]
    for number in range(1, len(song.sections)):
        section, before = song.sections[number], song.sections[number - 1]
        if not any(word in section.name.lower() for word in PROMISING):
            continue
        (dense, strong), (dense_before, strong_before) = means[number], means[number - 1]
        if dense <= dense_before * CLEARLY and strong <= strong_before * CLEARLY:
            words = (
                f"{section.name} has {dense:.1f} hits a beat and {before.name} before it {dense_before:.1f}: it is "
                f"neither denser nor louder."
            )
            found.append(Promise(section.key, words))
    return found


def _mean(energy: Energy, first_bar: int, bars: int) -> Floats:
    here = slice(first_bar - 1, first_bar - 1 + bars)
    return np.array([energy.density[here].mean(), energy.energy[here].mean()])
