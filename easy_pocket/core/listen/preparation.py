"""Audio made ready for listening: mono at one rate with its seam closed, its spectral flux and its energies by band."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
import soxr
from scipy import signal

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.block_energy import loud_energy
from easy_pocket.core.listen.flux import flux_db
from easy_pocket.core.listen.lanes import measure_bands
from easy_pocket.core.listen.signals import RATE_HZ, Floats, Singles
from easy_pocket.core.progress import OnProgress, no_progress

CONTEXT_S = 0.25  # of the loop's end set before its start and the other way round: the seam is heard like the inside

BLOCK = 16  # samples, 0.36 ms: how finely energy is kept
WARM_UP = 1024  # samples of what a band is filtered at: until then even the lowest has forgotten that it began
LOUD_BLOCKS = 14  # 5 ms: the level of a band is that of its loudest hundredth of such spans
BANDS_HZ = ((60, 200), (200, 1000), (1000, 4000), (4000, 8000), (8000, 16_000))
FILTERED = ((0, 2, 8), (2, 5, 1))  # bands from, to, at every so manieth sample: below 1 kHz 5.5 kHz are enough

NARROW_HZ = 10_000
HEARD_DB = -72.0  # full scale; a file that never gets louder is silent


@dataclass(frozen=True)
class Prepared:
    """Mono signal at 44.1 kHz with `context` samples of the other end on either side, and energies per band."""

    samples: Singles
    log_odds_db: Floats  # flux: mean log-magnitude rise over the bands, one value per FLUX_HOP
    energy: Singles  # (5, n // BLOCK), energy of BANDS_HZ in every BLOCK samples
    context: int
    duration_s: float
    name: str
    narrow: bool = False  # it was recorded at so few samples a second that hats are hardly in it
    count: int = 0  # of the samples, where they are gone

    @property
    def length(self) -> int:
        return (self.count or len(self.samples)) - 2 * self.context

    @cached_property
    def loud(self) -> Floats:
        """Energy of a block where each band is loud, shape (5,)."""
        return loud_energy(self.energy, LOUD_BLOCKS)


def prepare(audio: Audio, on_progress: OnProgress = no_progress) -> Prepared:
    """Resample, mix and filter. Raises NoHitsError for silence."""
    mono, name, rate_hz, duration_s = audio.mono(), audio.name, audio.rate_hz, audio.duration_s
    middle = mono.mean()
    del audio  # if nobody else holds it
    if rate_hz != RATE_HZ:
        mono = soxr.resample(mono, rate_hz, RATE_HZ)
    peak = float(max(mono.max() - middle, middle - mono.min())) if len(mono) else 0.0
    if peak < 10 ** (HEARD_DB / 20):
        found = f"{20 * np.log10(peak):.0f} dB" if peak > 0 else "digital silence"
        raise NoHitsError(
            f"{name} holds no hits: its loudest sample is {found}, {HEARD_DB:.0f} dB of full scale is needed. "
            "Check that the right track was exported."
        )
    context = min(int(CONTEXT_S * RATE_HZ), len(mono))
    samples = np.empty(len(mono) + 2 * context, dtype=np.float32)
    np.subtract(mono, middle, out=samples[context:-context])
    samples[:context], samples[-context:] = mono[-context:] - middle, mono[:context] - middle
    del mono  # of ten minutes it is a hundred megabytes
    energy = np.empty((len(BANDS_HZ), len(samples) // BLOCK), dtype=np.float32)
    on_progress(0.05, "listening by bands")
    for number, (first, last, step) in enumerate(FILTERED, start=1):
        _measure(energy[first:last], samples, BANDS_HZ[first:last], step)
        on_progress(0.05 + 0.25 * number / len(FILTERED), "listening by bands")
    rises_db = flux_db(samples)
    on_progress(0.6, "listening by bands")
    return Prepared(
        samples=samples,
        log_odds_db=rises_db,
        energy=energy,
        context=context,
        duration_s=duration_s,
        name=name,
        narrow=rate_hz < NARROW_HZ,
    )


def _measure(energy: Singles, samples: Singles, bands_hz: tuple[tuple[int, int], ...], step: int) -> None:
    """Energy of each BLOCK in bands, heard at every `step`-th sample, into `energy`."""
    filters = np.stack([filter_of("band", band_hz, RATE_HZ // step) for band_hz in bands_hz])
    heard = samples[: len(samples) // BLOCK * BLOCK]
    if step > 1:
        heard = heard.reshape(-1, step) @ np.full(step, 1 / step, dtype=np.float32)
    measure_bands(heard, filters, WARM_UP, BLOCK // step, energy)
    energy *= step


@lru_cache
def filter_of(kind: str, corner_hz: float | tuple[float, float], rate_hz: int = RATE_HZ) -> Singles:
    """Design a Butterworth filter of second order, as second-order sections.

    Parameters
    ----------
    kind
        "low", "high" or "band".
    corner_hz
        Corner, or both corners of a band, in Hz.
    rate_hz
        Sample rate in Hz.

    Returns
    -------
    Singles
        Sections of shape (n, 6), in single floats.
    """
    return np.asarray(signal.butter(2, corner_hz, kind, fs=rate_hz, output="sos"), dtype=np.float32)
