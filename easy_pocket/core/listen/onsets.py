"""Onsets: the candidates that are hits, with their strength, certainty and bands."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.block_energy import mean_between
from easy_pocket.core.listen.candidates import JUST_BEFORE, SPANS, Candidates, detect_candidates, hit_pictures
from easy_pocket.core.listen.hit_classifier import DB_OF_ODDS, MERGE_S, needed_log_odds, network, select_separated
from easy_pocket.core.listen.preparation import BLOCK, Prepared, prepare
from easy_pocket.core.listen.signals import RATE_HZ, Floats, Ints
from easy_pocket.core.progress import OnProgress, no_progress

RINGING_ON = 0.7  # how much of what rang before a hit still rings in its first 60 ms
SEAM = 132  # samples, 3 ms
FAINTEST = 1e-6  # of the loudest hit
FEWEST_LEVELS = 4  # hits that are told beside each other
QUIET_DB, FULL_DB = -34.0, -24.0  # of what sounds between hits: from where the network is believed, and wholly
ALONE_MS, TOGETHER_MS = 1.5, 3.5  # the network may say so much for a single drum; from the second on it is two
NEAR, PLAIN_DB = 180, 18.0  # samples, 4 ms: an attack farther off, or hardly over what rang before, is not trusted


@dataclass(frozen=True)
class Onsets:
    """Hits heard, sorted by time.

    time_s: shape (n,), from the first sample. strength: 0-1, RMS of the first 60 ms, the loudest hit 1. log_odds_db:
    how likely it is a hit, as odds in dB: 0 is as likely as not, 10 is ten to one. bands: shape (n, 3), energy of low,
    mid and high in the first 60 ms, as shares of one. middle_ms: how much later than its start the middle of all
    that is struck with it lies; zeros unless said. level: 0-1, how strong the drums alone are, without what else sounds
    and before what pressed them together, as far as can be told; the strength unless said.
    """

    time_s: Floats
    strength: Floats
    log_odds_db: Floats
    bands: Floats
    duration_s: float
    middle_ms: Floats = field(default_factory=lambda: np.zeros(0))
    level: Floats = field(default_factory=lambda: np.zeros(0))

    def __post_init__(self) -> None:
        if not len(self.level):
            object.__setattr__(self, "level", self.strength)
        if not len(self.middle_ms):
            object.__setattr__(self, "middle_ms", np.zeros(len(self.time_s)))
        if np.any(np.diff(self.time_s) < 0):
            raise ValueError("onset times must be sorted")

    def __len__(self) -> int:
        return len(self.time_s)

    @property
    def digest(self) -> bytes:
        """Equal for equal hits, as a key under which results of them are kept."""
        found = hashlib.blake2b(repr(self.duration_s).encode(), digest_size=16)
        for column in (self.time_s, self.strength, self.log_odds_db, self.bands, self.middle_ms, self.level):
            found.update(np.ascontiguousarray(column).tobytes())
        return found.digest()

    @property
    def certainty(self) -> Floats:
        """How sure each hit is, 0-1: the chance that it is one."""
        return np.asarray(1.0 / (1.0 + 10 ** (-self.log_odds_db / 10)))

    def take(self, index: npt.NDArray[np.bool_] | Ints) -> Onsets:
        """The chosen hits; `index` is a mask or sorted positions."""
        return Onsets(
            self.time_s[index],
            self.strength[index],
            self.log_odds_db[index],
            self.bands[index],
            self.duration_s,
            self.middle_ms[index],
            self.level[index],
        )


def detect_onsets(audio: Audio, sensitivity: float = 0.5, on_progress: OnProgress = no_progress) -> Onsets:
    """Find the hits of a recording. sensitivity: 0 (only the plainest) to 1 (every candidate), 0.5 as tuned.

    Parameters
    ----------
    audio
        The recording.
    sensitivity
        0 (only the plainest) to 1 (every candidate), 0.5 as tuned.
    on_progress
        Called with the share that is done, 0 to 1, and words.

    Returns
    -------
    Onsets
        Hits in order of time, with strength and bands.

    Raises
    ------
    NoHitsError
        When no candidate is likely enough, saying how likely the best one is.
    """
    return detect_prepared_onsets(prepare(audio, on_progress), sensitivity, on_progress)


def detect_prepared_onsets(
    prepared: Prepared, sensitivity: float = 0.5, on_progress: OnProgress = no_progress
) -> Onsets:
    """The same, of audio that was prepared.

    Parameters
    ----------
    prepared
        Audio as the detection needs it.
    sensitivity
        0 to 1, 0.5 as tuned.
    on_progress
        Called with the share that is done, 0 to 1, and words.

    Returns
    -------
    Onsets
        Hits in order of time, with strength and bands.
    """
    candidates = find_candidates(prepared, on_progress)
    return chosen(prepared, candidates, sound_log_odds(candidates), sensitivity)


def find_candidates(prepared: Prepared, on_progress: OnProgress = no_progress) -> Candidates:
    """Every place that may be a hit."""
    on_progress(0.62, "finding where hits begin")
    return detect_candidates(prepared)


def sound_log_odds(candidates: Candidates) -> Floats:
    """Log odds of each being a hit, by its sound alone."""
    return network("sound").of(candidates.pictures)


def chosen(prepared: Prepared, candidates: Candidates, odds: Floats, sensitivity: float) -> Onsets:
    """Those with the odds that the sensitivity asks for, measured.

    Parameters
    ----------
    prepared
        Audio as the detection needs it.
    candidates
        Places that may be hits.
    odds
        Log-odds of each candidate, shape (n,).
    sensitivity
        0 to 1, 0.5 as tuned.

    Returns
    -------
    Onsets
        Hits in order of time, measured.

    Raises
    ------
    NoHitsError
        When there are none.
    """
    needed = needed_log_odds(sensitivity, narrow=prepared.narrow)
    best = select_separated(candidates.at, odds, needed)
    starts = _at_attack(candidates, best)
    # What starts a trice before the seam is the first hit: the attack of a file that was cut there lies at its start.
    begin, end = prepared.context, prepared.context + prepared.length - SEAM
    starts = np.where((starts >= begin - SEAM) & (starts < begin), begin, starts)
    inside = (starts >= begin) & (starts < end)
    best, starts = best[inside], starts[inside]
    if not len(best):
        found = "nothing in it begins at once as a hit does"
        if len(odds):
            likely, asked = (100 / (1 + np.exp(-log_odds)) for log_odds in (float(odds.max()), needed))
            found = f"the likeliest place in it is a hit by {likely:.2g} %, {asked:.2g} % is asked for"
        raise NoHitsError(f"{prepared.name} holds no hits: {found}. Raise the sensitivity, or add hits by hand.")
    return measure(prepared, starts, odds[best] * DB_OF_ODDS, _middles_ms(candidates.pictures[best]))


def _middles_ms(pictures: Floats) -> Floats:
    """How much later than its start the middle of each hit lies. So little that a drum alone may look it is none."""
    told_ms = np.clip(network("together").of(pictures), 0.0, 1000 * MERGE_S)
    return np.asarray(told_ms * np.clip((told_ms - ALONE_MS) / (TOGETHER_MS - ALONE_MS), 0.0, 1.0))


def _at_attack(candidates: Candidates, index: Ints) -> Ints:
    """Places moved to the start of their attack, where it is near and plain."""
    at, attack = candidates.at[index], candidates.attack[index]
    plain = (candidates.over_db[index] >= PLAIN_DB) & (np.abs(attack - at) <= NEAR)
    return np.where(plain, attack, at)


def measure(prepared: Prepared, starts: Ints, log_odds_db: Floats, middle_ms: Floats | None = None) -> Onsets:
    """Strength and band shares of hits at known samples of the prepared signal.

    A hit is measured over 60 ms or up to the next hit, whichever is shorter.

    Parameters
    ----------
    prepared
        Audio as the detection needs it.
    starts
        First sample of each hit, rising, shape (n,).
    log_odds_db
        How sure each is, in dB, shape (n,).
    middle_ms
        Where each hit has its middle, in ms after its start; None when it is not known.

    Returns
    -------
    Onsets
        Hits with strength 0 to 1 and shares of the bands.
    """
    strength, bands = strengths(prepared, starts)
    return Onsets(
        time_s=(starts - prepared.context) / RATE_HZ,
        strength=strength,
        log_odds_db=log_odds_db,
        bands=bands,
        duration_s=prepared.duration_s,
        middle_ms=np.zeros(len(starts)) if middle_ms is None else middle_ms,
        level=drum_levels(prepared, starts, strength, bands),
    )


def strengths(prepared: Prepared, starts: Ints) -> tuple[Floats, Floats]:
    """How strong the first 60 ms of each hit are, the loudest 1, and the shares of the three bands: (n,) and (n, 3)."""
    last = prepared.energy.shape[1]
    first = np.minimum(starts // BLOCK, last - 1)
    ends = np.minimum(first + int(0.060 * RATE_HZ / BLOCK), np.append(first[1:], last))
    energy = mean_between(prepared.energy, first, np.maximum(ends, first + 1))
    # What was ringing already is not this hit's.
    ringing = mean_between(prepared.energy, np.maximum(first - int(0.010 * RATE_HZ / BLOCK), 0), first)
    energy = np.maximum(energy - RINGING_ON * ringing, 0.02 * energy)
    rms = np.sqrt(energy.sum(axis=0))
    lanes = np.stack([energy[0], energy[1] + energy[2], energy[3] + energy[4]], axis=1)
    bands = lanes / np.maximum(lanes.sum(axis=1, keepdims=True), 1e-20)
    return rms / rms.max() if len(rms) else rms, bands


def level_features(prepared: Prepared, starts: Ints, strength: Floats, bands: Floats) -> Floats:
    """What the level of hits is told by: their picture, and how strong each is beside the others; (n, k)."""
    strength_db = 20 * np.log10(np.maximum(strength, FAINTEST))
    beside = strength_db - np.median(strength_db)
    spread = np.full(len(starts), np.std(strength_db))
    shares = np.log10(bands + 1e-3)
    return np.concatenate([hit_pictures(prepared, starts), np.stack([beside, spread], axis=1), shares], axis=1)


def drum_levels(prepared: Prepared, starts: Ints, strength: Floats, bands: Floats) -> Floats:
    """How strong the drums of each hit alone are, 0-1 with the strongest 1.

    Their strength in the recording also holds what else sounds, and what compression made of them. The louder it is
    between the hits, the more a network is believed that was fitted to loops whose drums are known; where it is quiet,
    the strength is the level.
    """
    if len(starts) < FEWEST_LEVELS:
        return strength
    features = level_features(prepared, starts, strength, bands)
    share = np.clip((_between_db(features) - QUIET_DB) / (FULL_DB - QUIET_DB), 0.0, 1.0)
    measured_db = 20 * np.log10(np.maximum(strength, FAINTEST))
    told_db = network("level").of(features)
    level_db = share * told_db + (1 - share) * measured_db
    return np.asarray(10 ** ((level_db - level_db.max()) / 20))


def _between_db(features: Floats) -> float:
    """How loud the lower bands are just before hits, beside what is loud in them: the median of the hits."""
    levels_db = features[:, : 5 * SPANS].reshape(len(features), 5, SPANS)
    return float(np.median(levels_db[:, :3, JUST_BEFORE].mean(axis=(1, 2))))
