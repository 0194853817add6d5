"""Getting a recording of a single hit ready to be struck: at our rate, from its attack to where it is gone."""

from __future__ import annotations

import hashlib

import numpy as np
import soxr

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import AudioRefusedError
from easy_pocket.core.sound.sample_format import Frames, as_kept
from easy_pocket.core.sound.tones import RATE_HZ

MAX_ONE_SHOT_S = 30.0
ATTACK_DB = 50.0  # the attack begins where the sound first comes within this of its peak
GONE_DB = 72.0
SILENT_PEAK = 10 ** (-70 / 20)
SAME_SIDES_DB = 60.0  # a stereo file whose sides differ less than this is mono


def one_shot(audio: Audio) -> Frames:
    """The hit alone: 44.1 kHz, one channel or two, no DC, trimmed at both ends, its peak at 0.9.

    Raises AudioRefusedError for silence or more than 30 s.
    """
    if audio.duration_s > MAX_ONE_SHOT_S:
        raise AudioRefusedError(
            f"{audio.name} lasts {audio.duration_s / 60:.1f} minutes; a single sound lasts at most "
            f"{MAX_ONE_SHOT_S:.0f} s: cut it out first, or bring the file in on the Loops screen."
        )
    x = audio.samples[:, :2].astype(np.float64)
    if audio.channels > 2:
        x = audio.mono()[:, None].astype(np.float64)
    if audio.rate_hz != RATE_HZ:
        x = soxr.resample(x, audio.rate_hz, RATE_HZ, quality="VHQ")
    if x.shape[1] == 2 and _same_sides(x):
        x = x.mean(axis=1, keepdims=True)
    height = np.abs(x - np.median(x, axis=0)).max(axis=1)
    peak = float(height.max(initial=0.0))
    if peak < SILENT_PEAK:
        raise AudioRefusedError(
            f"{audio.name} is silent: its peak is {20 * np.log10(max(peak, 1e-9)):.0f} dB, "
            f"{20 * np.log10(SILENT_PEAK):.0f} dB is needed. Record or export it louder."
        )
    start = int(np.flatnonzero(height >= peak * 10 ** (-ATTACK_DB / 20))[0])
    end = int(np.flatnonzero(height >= peak * 10 ** (-GONE_DB / 20))[-1]) + 1
    x = x[start:end] - x[start:end].mean(axis=0)  # no DC; what was before the attack has no say in it
    x *= 0.9 / np.abs(x).max()
    fade = min(int(0.003 * RATE_HZ), len(x))
    x[-fade:] *= np.linspace(1, 0, fade)[:, None]
    return np.ascontiguousarray(x, dtype=np.float32)


def _same_sides(x: np.ndarray) -> bool:
    difference = float(((x[:, 0] - x[:, 1]) ** 2).sum())
    return difference <= 10 ** (-SAME_SIDES_DB / 10) * float((x**2).sum())


def content_key(x: Frames) -> str:
    """Name audio by what it holds: equal audio has an equal key, whatever file it came in.

    It is hashed as 16 bit, so that a copy in another format of at least that depth is the same sound; before that it is
    rounded as it is when it is kept, so that what is read again has the same key.

    Parameters
    ----------
    x
        Shape (frames, channels).

    Examples
    --------
    >>> tone = np.sin(np.arange(400) / 9)[:, None].astype(np.float32)
    >>> content_key(tone) == content_key(tone.copy()), content_key(tone) == content_key(-tone)
    (True, False)
    """
    return hashlib.sha256(np.rint(as_kept(x) * 32_767).astype("<i2").tobytes() + bytes([x.shape[1]])).hexdigest()
