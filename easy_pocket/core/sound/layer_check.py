"""Layer check: where layers of a voice lie, how much they cancel, and what would give the most punch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.sound.kit import KitVoice, stretch_layers
from easy_pocket.core.sound.layer import LIMITS, layer_audio, placed
from easy_pocket.core.sound.sound import SampleSource, no_samples
from easy_pocket.core.sound.spectrum import THIRD_NAMES, decibels, third_energy
from easy_pocket.core.sound.tones import RATE_HZ

Floats = npt.NDArray[np.float64]

PUNCH_S = 0.060  # what happens later than this is tail, not punch
FURTHEST_MS = 6.0  # a layer moved further is heard as two hits
WORTH_DB = 0.5  # a gain smaller than this is not worth a proposal
NEARLY_DB = 0.1  # of proposals this close to the best the one that moves least is made
HEARD_DB = -24.0  # bands this far below the loudest do not count as cancelled
CANCELS_DB = -1.0


@dataclass(frozen=True)
class Proposal:
    """Move one layer to `delay_ms` and turn it over or not: the first 60 ms of the sum gain `gain_db`."""

    layer: int
    delay_ms: float
    invert: bool
    gain_db: float


@dataclass(frozen=True)
class LayerCheck:
    """levels_db: shape (layers, 30), 0 is the loudest band of any layer.

    sum_db: shape (30,). cancel_db: shape (30,), level of the sum against the sum of the levels, below 0 where layers
    cancel; 0 where there is nothing to cancel. layers: which layers of the voice these are (those that sound when it is
    struck hard).
    """

    layers: tuple[int, ...]
    levels_db: Floats
    sum_db: Floats
    cancel_db: Floats
    proposal: Proposal | None

    @property
    def worst(self) -> tuple[str, float] | None:
        """Band name and dB of the worst cancellation, or None when nothing cancels by 1 dB or more."""
        band = int(np.argmin(self.cancel_db))
        return (THIRD_NAMES[band], float(self.cancel_db[band])) if self.cancel_db[band] <= CANCELS_DB else None


def layer_check(voice: KitVoice, number: int, samples: SampleSource = no_samples) -> LayerCheck:
    """Compare the layers that sound in a stretch of velocities, as they are set now.

    Parameters
    ----------
    voice
        The voice.
    number
        Which stretch of velocities, 0 is the softest.
    samples
        Gives the recording of a sound by its key.

    Returns
    -------
    LayerCheck
        Curves, spectrum, and what would help.
    """
    sounding = stretch_layers(voice, number)
    numbers = tuple(voice.tuned_layers.index(layer) for layer in sounding)
    if len(set(numbers)) < len(numbers):  # two equal layers
        numbers = tuple(n for n, layer in enumerate(voice.tuned_layers) if layer in sounding)
    velocity = voice.stretches[number].middle
    rendered = [(layer, layer_audio(layer, velocity, voice.velocity_bright, samples)) for layer in sounding]
    lines = placed(rendered).astype(np.float64)
    if not len(lines) or not lines.any():
        silent = np.full(len(THIRD_NAMES), -120.0)
        return LayerCheck(numbers, np.tile(silent, (len(lines), 1)), silent, np.zeros(len(THIRD_NAMES)), None)
    energy = np.stack([third_energy(line) for line in lines])
    summed = third_energy(lines.sum(axis=0))
    loudest = energy.max()
    total = energy.sum(axis=0)
    shared = (np.sort(energy, axis=0)[-2:].min(axis=0) > total * 0.02) if len(lines) > 1 else np.zeros(30, dtype=bool)
    counts = shared & (total > loudest * 10 ** (HEARD_DB / 10))
    cancel = np.where(counts, 10 * np.log10(np.maximum(summed, 1e-12) / np.maximum(total, 1e-12)), 0.0)
    delays_ms = [layer.delay_ms for layer in sounding]
    inverted = [layer.invert for layer in sounding]
    best = most_punch(lines, delays_ms, inverted)
    if best is not None:
        best = Proposal(numbers[best.layer], best.delay_ms, best.invert, best.gain_db)
    return LayerCheck(numbers, decibels(energy / loudest), decibels(summed / loudest), cancel, best)


def most_punch(lines: Floats, delays_ms: list[float], inverted: list[bool]) -> Proposal | None:
    """The one change of delay or polarity that makes the first 60 ms of the sum the strongest, or None.

    lines: shape (layers, frames, channels), placed with their delays. The energy of a sum is the energies plus
    twice the correlation at that delay, so every delay is weighed at once. Rumble below 25 Hz is in nobody's punch.

    Parameters
    ----------
    lines
        Layers in their places, shape (layers, frames, channels).
    delays_ms
        Delay of each layer in ms.
    inverted
        Whether the polarity of each is flipped.

    Returns
    -------
    Proposal | None
        The change, or None when nothing gets stronger.
    """
    frames = int(PUNCH_S * RATE_HZ)
    reach = int(FURTHEST_MS * RATE_HZ / 1000)
    size = 1 << (lines.shape[1] + frames + 2 * reach).bit_length()
    now = lines[:, :frames].sum(axis=0)
    before = float((now**2).sum())
    found: list[Proposal] = []
    for number in range(len(lines)):
        if len(lines) < 2:
            break
        others = np.delete(lines, number, axis=0).sum(axis=0)[:frames]
        mine = lines[number]
        # correlation[k] = sum of others[t] x mine[t - k]: mine moved later by k frames
        spectrum = np.fft.rfft(others, size, axis=0) * np.conj(np.fft.rfft(mine, size, axis=0))
        correlation = np.fft.irfft(spectrum, size, axis=0).sum(axis=1)
        lags = np.arange(-min(reach, round(delays_ms[number] * RATE_HZ / 1000)), reach + 1)
        own_energy = np.concatenate([[0.0], np.cumsum((mine**2).sum(axis=1))])
        inside = own_energy[np.clip(frames - lags, 0, len(mine))]
        cross = correlation[lags % size]
        after = (others**2).sum() + inside + 2 * np.abs(cross)
        gains_db = 10 * np.log10(np.maximum(after, 1e-12) / max(before, 1e-12))
        close = np.flatnonzero(gains_db > gains_db.max() - NEARLY_DB)
        chosen = int(close[np.argmin(np.abs(lags[close]))])
        turned = bool(cross[chosen] < 0)
        delay_ms = round(delays_ms[number] + lags[chosen] * 1000 / RATE_HZ, 3)
        delay_ms = float(np.clip(delay_ms, LIMITS["delay_ms"][0], LIMITS["delay_ms"][1]))
        found.append(Proposal(number, delay_ms, inverted[number] != turned, float(gains_db[chosen])))
    best = max(found, key=lambda one: one.gain_db, default=None)
    return best if best is not None and best.gain_db >= WORTH_DB else None
