"""Hits in audio: two detectors for candidates, then the start of each attack to the sample.

The first detector is a log-magnitude spectral flux against the recent maximum in neighbouring bands, after Bello et
al. (2005), Dixon (2006) and Böck & Widmer (2013): sure of itself, but deaf to a hat struck while another rings. The
second compares the energy just after with that just before, in three broad bands above 1 kHz, and hears those. Each
candidate is then refined in the time domain: the moment its envelope rises to -20 dB of its peak, in the band where
it stands out.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt
import scipy.fft
import soxr
from scipy import ndimage, signal

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import NoHitsError

RATE_HZ = 44_100
CONTEXT_S = 0.25  # of the loop's end set before its start and the other way round: the seam is heard like the inside
MERGE_S = 0.030  # sounds closer than this are one hit, at the earliest
ECHO_S = 0.045  # what comes so soon after a hit is one of its own only when it rises ECHO_OVER_DB over the threshold
ECHO_OVER_DB = 2.5

FLUX_WINDOW, FLUX_HOP = 1024, 256  # 23 ms and 5.8 ms: parts two 16ths at 220 bpm and still sees a kick
FLUX_BANDS, FLUX_LOW_HZ, FLUX_HIGH_HZ = 40, 60.0, 16_000.0
FLUX_PIECE = 256  # frames transformed at a time: they stay in the cache, and ten minutes fit in memory
FLUX_LAG = 2  # frames: 12 ms, half the window
FLUX_FLOOR_DB = -65.0  # below the loudest band; rises under it are room noise
FLUX_MIN_DB = 3.1  # mean rise over the bands; ringing stays below
FLUX_SURE_DB = 6.0  # under this a hit must also rise above 1 kHz, which a bass note does not
FLUX_UPPER_DB = 1.0

BLOCK = 16  # samples, 0.36 ms: how finely energy is kept
LOW_STEP, LOW_BELOW_HZ = 8, 1000  # what is kept of a band below 1 kHz is its energy, for which 5.5 kHz is enough
RISE_HOP = 64  # samples, 1.5 ms
RISE_BEFORE_S, RISE_GAP_S, RISE_AFTER_S = 0.008, 0.0007, 0.005
RISE_BANDS_HZ = ((60, 200), (200, 1000), (1000, 4000), (4000, 8000), (8000, 16_000))
RISE_MIN_DB = 3.0  # mean of the three upper bands; noise of a ringing cymbal stays under
RISE_FLOOR = 1e-4  # of the loudest moment of a band, in energy
RISE_FLOOR_OVERALL = 1e-6  # of the loudest moment of all bands: a band the recording does not have is no evidence

RINGING_ON = 0.7  # how much of what rang before a hit still rings in its first 60 ms
HEARD_DB = -72.0  # full scale; a file that never gets louder is silent
Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Singles = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Onsets:
    """Hits heard, sorted by time.

    time_s: shape (n,), from the first sample. strength: 0-1, RMS of the first 60 ms, the loudest hit 1. rise_db: how
    far the hit rose above what was there. bands: shape (n, 3), energy of low, mid and high in the first 60 ms, as
    shares of one.
    """

    time_s: Floats
    strength: Floats
    rise_db: Floats
    bands: Floats
    duration_s: float

    def __post_init__(self) -> None:
        if np.any(np.diff(self.time_s) < 0):
            raise ValueError("onset times must be sorted")

    def __len__(self) -> int:
        return len(self.time_s)

    @property
    def certainty(self) -> Floats:
        """How sure each hit is, 0-1, by how far it rose above what was needed: half at 2 dB."""
        return np.asarray(1.0 - 0.5 ** (np.maximum(self.rise_db, 0.0) / 2.0))

    def take(self, index: npt.NDArray[np.bool_] | Ints) -> Onsets:
        """The chosen hits; `index` is a mask or sorted positions."""
        return Onsets(self.time_s[index], self.strength[index], self.rise_db[index], self.bands[index], self.duration_s)


@dataclass(frozen=True)
class Prepared:
    """Mono signal at 44.1 kHz with `context` samples of the other end on either side, and energies per band."""

    samples: Singles
    rise_db: Floats  # flux: mean log-magnitude rise over the bands, one value per FLUX_HOP
    energy: Floats  # (5, n // BLOCK + 1), energy of RISE_BANDS_HZ summed up to every BLOCK-th sample
    context: int
    duration_s: float
    name: str

    @property
    def length(self) -> int:
        return len(self.samples) - 2 * self.context


Progress = Callable[[float, str], None]  # share done, 0-1, and what is being done; may raise to stop


def quietly(share: float, words: str) -> None:
    """Progress nobody asked for."""


def prepare(audio: Audio, told: Progress = quietly) -> Prepared:
    """Resample, mix and filter. Raises NoHitsError for silence."""
    mono = audio.mono()
    mono = mono - mono.mean(dtype=np.float64).astype(np.float32)
    if audio.rate_hz != RATE_HZ:
        mono = soxr.resample(mono, audio.rate_hz, RATE_HZ)
    peak = float(np.abs(mono).max()) if len(mono) else 0.0
    if peak < 10 ** (HEARD_DB / 20):
        found = f"{20 * np.log10(peak):.0f} dB" if peak > 0 else "digital silence"
        raise NoHitsError(
            f"{audio.name} holds no hits: its loudest sample is {found}, {HEARD_DB:.0f} dB of full scale is needed. "
            "Check that the right track was exported."
        )
    context = min(int(CONTEXT_S * RATE_HZ), len(mono))
    samples = np.concatenate([mono[-context:], mono, mono[:context]])
    del mono  # of ten minutes it is a hundred megabytes
    rise_db = _flux(samples, told)
    energies = []
    for number, band_hz in enumerate(RISE_BANDS_HZ):
        told(0.45 + 0.15 * number / len(RISE_BANDS_HZ), "listening by bands")
        energies.append(_band_energy(samples, band_hz))
    return Prepared(
        samples=samples,
        rise_db=rise_db,
        energy=np.stack(energies),
        context=context,
        duration_s=audio.duration_s,
        name=audio.name,
    )


def _band_energy(samples: Singles, band_hz: tuple[float, float]) -> Floats:
    """Energy of one band summed up to every BLOCK-th sample; low bands are filtered at an eighth of the rate."""
    blocks = len(samples) // BLOCK
    step = LOW_STEP if band_hz[1] <= LOW_BELOW_HZ else 1
    whole = samples[: blocks * BLOCK]
    slow = whole.reshape(-1, step).sum(axis=1) / np.float32(step) if step > 1 else whole
    band = signal.sosfilt(_filter("band", band_hz, RATE_HZ // step), slow).reshape(blocks, BLOCK // step)
    energy = np.zeros(blocks + 1)
    np.cumsum(np.einsum("ij,ij->i", band, band), out=energy[1:])
    return energy * step


@lru_cache
def _filter(kind: str, corner_hz: float | tuple[float, float], rate_hz: int = RATE_HZ) -> Singles:
    return signal.butter(2, corner_hz, kind, fs=rate_hz, output="sos").astype(np.float32)


def _flux(samples: Singles, told: Progress = quietly) -> Floats:
    """Mean log-magnitude rise over the bands in dB, one value per FLUX_HOP."""
    count = (FLUX_WINDOW // 2 + len(samples)) // FLUX_HOP + 1
    window = np.hanning(FLUX_WINDOW).astype(np.float32)
    weights = _flux_filters()
    level = np.empty((count, FLUX_BANDS), dtype=np.float32)
    for start in range(0, count, FLUX_PIECE):
        told(0.4 * start / count, "listening for attacks")
        stop = min(start + FLUX_PIECE, count)
        begin, end = start * FLUX_HOP - FLUX_WINDOW // 2, (stop - 1) * FLUX_HOP + FLUX_WINDOW // 2
        piece = samples[max(begin, 0) : end]
        piece = np.pad(piece, (max(-begin, 0), end - max(begin, 0) - len(piece)))
        frames = np.lib.stride_tricks.sliding_window_view(piece, FLUX_WINDOW)[::FLUX_HOP]
        spectrum = scipy.fft.rfft(frames * window, axis=1)
        level[start:stop] = (spectrum.real**2 + spectrum.imag**2) @ weights
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
def _flux_filters() -> npt.NDArray[np.float32]:
    """Power of rfft bins averaged into FLUX_BANDS log-spaced bands, shape (bins, bands)."""
    bins_hz = np.fft.rfftfreq(FLUX_WINDOW, 1 / RATE_HZ)
    edges = np.geomspace(FLUX_LOW_HZ, FLUX_HIGH_HZ, FLUX_BANDS + 1)
    weights = np.zeros((len(bins_hz), FLUX_BANDS), dtype=np.float32)
    for band in range(FLUX_BANDS):
        inside = (bins_hz >= edges[band]) & (bins_hz < edges[band + 1])
        if not inside.any():
            inside[np.argmin(np.abs(bins_hz - np.sqrt(edges[band] * edges[band + 1])))] = True
        weights[inside, band] = 1.0 / inside.sum()
    return weights


def rises(prepared: Prepared, centres: Ints) -> Floats:
    """Energy just after against just before each centre (sample) in the three bands above 1 kHz, in dB: (3, n)."""
    energy = prepared.energy[2:]
    before, gap, after = (round(seconds * RATE_HZ / BLOCK) for seconds in (RISE_BEFORE_S, RISE_GAP_S, RISE_AFTER_S))
    last = prepared.energy.shape[1] - 1
    at = [np.clip(centres // BLOCK + shift, 0, last) for shift in (-gap - before, -gap, gap, gap + after)]
    was, now = ((energy[:, at[b]] - energy[:, at[a]]) / blocks for a, b, blocks in ((0, 1, before), (2, 3, after)))
    loudest = now.max(axis=1, keepdims=True)
    floor = loudest * RISE_FLOOR + loudest.max() * RISE_FLOOR_OVERALL + 1e-12
    return 10 * np.log10((now + floor) / (was + floor))


def pick(prepared: Prepared, sensitivity: float = 0.5) -> tuple[Ints, Floats]:
    """Candidate samples (in the prepared signal) and how far above the threshold each is, in dB.

    sensitivity 0-1; 0.5 is the tuned place, and each 0.1 more lowers both thresholds by about a third.
    """
    factor = 2.0 ** ((0.5 - sensitivity) * 5.0)
    rise = prepared.rise_db
    strong, _ = signal.find_peaks(rise, height=FLUX_MIN_DB * factor, distance=3)
    centres = np.arange(0, len(prepared.samples) - 1, RISE_HOP)
    high = rises(prepared, centres).mean(axis=0)
    nearby = ndimage.maximum_filter1d(high, 15)  # +-10 ms
    upper = nearby[np.minimum(strong * FLUX_HOP // RISE_HOP, len(high) - 1)]
    strong = strong[(rise[strong] >= FLUX_SURE_DB * factor) | (upper >= FLUX_UPPER_DB * factor)]
    weak, _ = signal.find_peaks(high, height=RISE_MIN_DB * factor, distance=20)
    where = np.concatenate([strong * FLUX_HOP, centres[weak]])
    over = np.concatenate([rise[strong] - FLUX_MIN_DB * factor, high[weak] - RISE_MIN_DB * factor])
    order = np.argsort(where, kind="stable")
    return where[order], over[order]


# Refining: (band, share of the peak that counts as the start). Above 2.5 kHz sounds start steeply and little rings, so
# a smaller share is safe there; it also hears the hat that comes a few ms before a kick.
ATTACK_SHARES = (("full", 0.1), ("upper", 0.05))
BACKGROUND_S = (-0.040, -0.018)  # where the sound before a candidate is measured
SEARCH_S = (-0.018, 0.030)  # where its attack may lie
BACKGROUND_MARGIN = 1.6  # over the loudest of the background
SETTLING_S = 0.010  # of the filter for the upper band
CLEAR_DB = 9.0  # a band this far above its background is believed
UPPER_HZ = 2500.0


REFINED_AT_ONCE = 600  # candidates, for what is looked at round each of them takes 100 KB


def refine(prepared: Prepared, candidates: Ints) -> tuple[Ints, Floats]:
    """The sample where each candidate's attack starts, and how far it stands above its background in dB."""
    pieces = [
        _refined(prepared, candidates[start : start + REFINED_AT_ONCE])
        for start in range(0, max(len(candidates), 1), REFINED_AT_ONCE)
    ]
    return np.concatenate([starts for starts, _ in pieces]), np.concatenate([over for _, over in pieces])


def _refined(prepared: Prepared, candidates: Ints) -> tuple[Ints, Floats]:
    last = len(prepared.samples) - 1
    # Round each candidate its background, its search, and before both what the filter needs to come to rest.
    edges = [int(at_s * RATE_HZ) for at_s in (BACKGROUND_S[0] - SETTLING_S, *BACKGROUND_S, *SEARCH_S)]
    begin, search_from = edges[0], edges[3]
    quiet, search = (slice(low - begin, high - begin) for low, high in (edges[1:3], edges[3:5]))
    around = prepared.samples[np.clip(candidates[:, None] + np.arange(begin, edges[4]), 0, last)]
    starts = np.empty((len(ATTACK_SHARES), len(candidates)), dtype=np.intp)
    contrast = np.empty(starts.shape)
    for row, (band, share) in enumerate(ATTACK_SHARES):
        heard = np.abs(around if band == "full" else signal.sosfilt(_filter("high", UPPER_HZ), around, axis=1))
        near, background = heard[:, search], heard[:, quiet].max(axis=1)
        peak = near.max(axis=1)
        threshold = np.maximum(share * peak, np.minimum(BACKGROUND_MARGIN * background, 0.7 * peak))
        starts[row] = candidates + search_from + np.argmax(near >= threshold[:, None], axis=1)
        contrast[row] = 20 * np.log10((peak + 1e-9) / (background + 1e-9))
    clear = contrast >= CLEAR_DB
    earliest = np.where(clear, starts, np.iinfo(np.intp).max).min(axis=0)
    # A hit that stands out nowhere is best placed where its rise was steepest: that is the candidate itself.
    return np.where(clear.any(axis=0), earliest, candidates), contrast.max(axis=0)


def find_onsets(audio: Audio, sensitivity: float = 0.5, told: Progress = quietly) -> Onsets:
    """Hear the hits. sensitivity: 0 (only the plainest) to 1 (everything that stirs), 0.5 as tuned.

    Raises NoHitsError when nothing rises far enough, saying how far the loudest rise came.
    """
    return onsets_in(prepare(audio, told), sensitivity, told)


def onsets_in(prepared: Prepared, sensitivity: float = 0.5, told: Progress = quietly) -> Onsets:
    """The same, of audio that was prepared."""
    told(0.62, "finding where hits begin")
    return measure(prepared, *hits_in(prepared, sensitivity))


def hits_in(prepared: Prepared, sensitivity: float) -> tuple[Ints, Floats]:
    """Where hits start, in samples of the prepared signal, and how far each rose over the threshold in dB. Raises
    NoHitsError when there are none."""
    candidates, over_db = pick(prepared, sensitivity)
    inside = (candidates >= prepared.context - int(MERGE_S * RATE_HZ)) & (
        candidates < prepared.context + prepared.length + int(MERGE_S * RATE_HZ)
    )
    candidates, over_db = candidates[inside], over_db[inside]
    if not len(candidates):
        best = float(prepared.rise_db.max())
        found = f"the plainest rise is {best:.1f} dB over the bands, {FLUX_MIN_DB:.1f} dB is needed"
        if best >= FLUX_MIN_DB:
            found = "it swells and fades, but nothing in it begins at once as a hit does"
        raise NoHitsError(f"{prepared.name} holds no hits: {found}. Raise the sensitivity, or add hits by hand.")
    starts, _ = refine(prepared, candidates)
    starts, over_db = _without_echoes(*_merge(starts, over_db), sensitivity)
    keep = (starts >= prepared.context) & (starts < prepared.context + prepared.length)
    starts, over_db = starts[keep], over_db[keep]
    return starts, over_db


def _merge(starts: Ints, over_db: Floats) -> tuple[Ints, Floats]:
    """Starts closer than MERGE_S to the first of their group become that first one."""
    order = np.argsort(starts, kind="stable")
    starts, over_db = starts[order], over_db[order]
    gap = int(MERGE_S * RATE_HZ)
    kept: list[int] = []
    strongest: list[float] = []
    for start, over in zip(starts.tolist(), over_db.tolist(), strict=True):
        if kept and start - kept[-1] <= gap:
            strongest[-1] = max(strongest[-1], over)
        else:
            kept.append(start)
            strongest.append(over)
    return np.array(kept, dtype=np.intp), np.array(strongest)


def _without_echoes(starts: Ints, over_db: Floats, sensitivity: float) -> tuple[Ints, Floats]:
    """Without those that stir only a little right after another: the body of a drum that comes behind its attack, or
    its room. A flam or a roll rises further."""
    after_another = np.diff(starts, prepend=-RATE_HZ) < ECHO_S * RATE_HZ
    keep = ~after_another | (over_db >= ECHO_OVER_DB * 2.0 ** ((0.5 - sensitivity) * 5.0))
    return starts[keep], over_db[keep]


def measure(prepared: Prepared, starts: Ints, rise_db: Floats) -> Onsets:
    """Strength and band shares of hits at known samples of the prepared signal.

    A hit is measured over 60 ms or up to the next hit, whichever is shorter.
    """
    last = prepared.energy.shape[1] - 1
    first = np.minimum(starts // BLOCK, last - 1)
    ends = np.minimum(first + int(0.060 * RATE_HZ / BLOCK), np.append(first[1:], last))
    ends = np.maximum(ends, first + 1)
    energy = (prepared.energy[:, ends] - prepared.energy[:, first]) / (ends - first)
    # What was ringing already is not this hit's.
    before = np.maximum(first - int(0.010 * RATE_HZ / BLOCK), 0)
    ringing = (prepared.energy[:, first] - prepared.energy[:, before]) / np.maximum(first - before, 1)
    energy = np.maximum(energy - RINGING_ON * ringing, 0.02 * energy)
    rms = np.sqrt(energy.sum(axis=0))
    lanes = np.stack([energy[0], energy[1] + energy[2], energy[3] + energy[4]], axis=1)
    return Onsets(
        time_s=(starts - prepared.context) / RATE_HZ,
        strength=rms / rms.max() if len(rms) else rms,
        rise_db=rise_db,
        bands=lanes / np.maximum(lanes.sum(axis=1, keepdims=True), 1e-20),
        duration_s=prepared.duration_s,
    )
