"""Audio made ready for listening: mono at one rate with its seam closed, its spectral flux and its energies by band."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
import scipy.fft
import soxr
from scipy import ndimage, signal

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.progress import OnProgress, no_progress

RATE_HZ = 44_100
CONTEXT_S = 0.25  # of the loop's end set before its start and the other way round: the seam is heard like the inside

FLUX_WINDOW, FLUX_HOP = 1024, 256  # 23 ms and 5.8 ms: parts two 16ths at 220 bpm and still sees a kick
FLUX_BANDS, FLUX_LOW_HZ, FLUX_HIGH_HZ = 40, 60.0, 16_000.0
FLUX_PIECE = 256  # frames transformed at a time: they stay in the cache, and ten minutes fit in memory
FLUX_LAG = 2  # frames: 12 ms, half the window
FLUX_FLOOR_DB = -65.0  # below the loudest band; rises under it are room noise

BLOCK = 16  # samples, 0.36 ms: how finely energy is kept
BAND_PIECE = 1 << 16  # blocks filtered at a time: a filtered copy of ten minutes would be a hundred megabytes
LOW_STEP, LOW_BELOW_HZ = 8, 1000  # what is kept of a band below 1 kHz is its energy, for which 5.5 kHz is enough
AT_ONCE = 2  # of what is computed of a recording, so many beside each other
BANDS_HZ = ((60, 200), (200, 1000), (1000, 4000), (4000, 8000), (8000, 16_000))

NARROW_HZ = 10_000
HEARD_DB = -72.0  # full scale; a file that never gets louder is silent
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Singles = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Prepared:
    """Mono signal at 44.1 kHz with `context` samples of the other end on either side, and energies per band."""

    samples: Singles
    log_odds_db: Floats  # flux: mean log-magnitude rise over the bands, one value per FLUX_HOP
    energy: Floats  # (5, n // BLOCK + 1), energy of BANDS_HZ summed up to every BLOCK-th sample
    context: int
    duration_s: float
    name: str
    narrow: bool = False  # it was recorded at so few samples a second that hats are hardly in it
    count: int = 0  # of the samples, where they are gone

    @property
    def length(self) -> int:
        return (self.count or len(self.samples)) - 2 * self.context


def prepare(audio: Audio, on_progress: OnProgress = no_progress) -> Prepared:
    """Resample, mix and filter. Raises NoHitsError for silence."""
    mono, name, rate_hz, duration_s = audio.mono(), audio.name, audio.rate_hz, audio.duration_s
    mono = mono - mono.mean(dtype=np.float64).astype(np.float32)
    del audio  # if nobody else holds it
    if rate_hz != RATE_HZ:
        mono = soxr.resample(mono, rate_hz, RATE_HZ)
    peak = float(np.abs(mono).max()) if len(mono) else 0.0
    if peak < 10 ** (HEARD_DB / 20):
        found = f"{20 * np.log10(peak):.0f} dB" if peak > 0 else "digital silence"
        raise NoHitsError(
            f"{name} holds no hits: its loudest sample is {found}, {HEARD_DB:.0f} dB of full scale is needed. "
            "Check that the right track was exported."
        )
    context = min(int(CONTEXT_S * RATE_HZ), len(mono))
    samples = np.concatenate([mono[-context:], mono, mono[:context]])
    del mono  # of ten minutes it is a hundred megabytes
    energy = np.zeros((len(BANDS_HZ), len(samples) // BLOCK + 1))
    on_progress(0.05, "listening by bands")
    with ThreadPoolExecutor(AT_ONCE) as pool:  # transforms and filters let other threads run
        rise = pool.submit(_flux, samples)
        bands = [pool.submit(_add_up_band, energy[at], samples, band_hz) for at, band_hz in enumerate(BANDS_HZ)]
        for number, band in enumerate(bands, start=1):
            band.result()
            on_progress(0.05 + 0.5 * number / len(bands), "listening by bands")
        log_odds_db = rise.result()
    return Prepared(
        samples=samples,
        log_odds_db=log_odds_db,
        energy=energy,
        context=context,
        duration_s=duration_s,
        name=name,
        narrow=rate_hz < NARROW_HZ,
    )


def _add_up_band(energy: Floats, samples: Singles, band_hz: tuple[float, float]) -> None:
    """Energy of one band summed up to every BLOCK-th sample, into `energy`.

    Low bands are filtered at an eighth of the rate.
    """
    blocks = len(samples) // BLOCK
    step = LOW_STEP if band_hz[1] <= LOW_BELOW_HZ else 1
    sos = filter_of("band", band_hz, RATE_HZ // step)
    state = np.zeros((len(sos), 2), dtype=np.float32)
    for first in range(0, blocks, BAND_PIECE):
        last = min(first + BAND_PIECE, blocks)
        piece = samples[first * BLOCK : last * BLOCK]
        slow = piece.reshape(-1, step).sum(axis=1) / np.float32(step) if step > 1 else piece
        band, state = signal.sosfilt(sos, slow, zi=state)
        band = band.reshape(last - first, BLOCK // step)
        np.einsum("ij,ij->i", band, band, out=energy[first + 1 : last + 1], dtype=np.float64, casting="safe")
    np.cumsum(energy, out=energy)
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


def _flux(samples: Singles) -> Floats:
    """Mean log-magnitude rise over the bands in dB, one value per FLUX_HOP."""
    count = (FLUX_WINDOW // 2 + len(samples)) // FLUX_HOP + 1
    window = np.hanning(FLUX_WINDOW).astype(np.float32)
    edges, counts = _flux_bands()
    level = np.empty((count, FLUX_BANDS), dtype=np.float32)
    for start in range(0, count, FLUX_PIECE):
        stop = min(start + FLUX_PIECE, count)
        begin, end = start * FLUX_HOP - FLUX_WINDOW // 2, (stop - 1) * FLUX_HOP + FLUX_WINDOW // 2
        piece = samples[max(begin, 0) : end]
        piece = np.pad(piece, (max(-begin, 0), end - max(begin, 0) - len(piece)))
        frames = np.lib.stride_tricks.sliding_window_view(piece, FLUX_WINDOW)[::FLUX_HOP]
        spectrum = scipy.fft.rfft(frames * window, axis=1)
        power = spectrum.real**2
        power += spectrum.imag**2
        level[start:stop] = np.add.reduceat(power, edges, axis=1)[:, ::2]
    level /= counts
    level += max(float(level.max()), 1e-20) * 10 ** (FLUX_FLOOR_DB / 10)
    np.log10(level, out=level)
    level *= 10
    rise = np.zeros(count)
    recent = ndimage.maximum_filter1d(level[:-FLUX_LAG] if count > FLUX_LAG else level[:0], 3, axis=1)
    later = level[FLUX_LAG:]
    later -= recent  # in place: of ten minutes each of these is sixty megabytes
    rise[FLUX_LAG:] = np.maximum(later, 0, out=later).mean(axis=1)
    return rise


@lru_cache
def _flux_bands() -> tuple[Ints, Singles]:
    """Of FLUX_BANDS log-spaced bands the first bin of an rfft and the one after its last, and how many they are."""
    bins_hz = np.fft.rfftfreq(FLUX_WINDOW, 1 / RATE_HZ)
    edges_hz = np.geomspace(FLUX_LOW_HZ, FLUX_HIGH_HZ, FLUX_BANDS + 1)
    first, last = np.searchsorted(bins_hz, edges_hz[:-1]), np.searchsorted(bins_hz, edges_hz[1:])
    for band in np.flatnonzero(first == last).tolist():  # a band between two bins is the nearer one
        first[band] = np.argmin(np.abs(bins_hz - np.sqrt(edges_hz[band] * edges_hz[band + 1])))
        last[band] = first[band] + 1
    return np.stack([first, last], axis=1).ravel(), (last - first).astype(np.float32)
