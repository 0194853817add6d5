"""Filters: second-order sections of the W3C Audio EQ Cookbook, as the browser's own filter node has them.

Sections have shape (sections, 6), as scipy.signal.sosfilt takes them. Frequencies in Hz below 22,050, gains in dB.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.oversampling import both_same

Floats = npt.NDArray[np.floating]
# Q of the second-order sections of Butterworth filters, and whether a first-order one goes before, by dB an octave.
BUTTERWORTH: dict[int, tuple[bool, tuple[float, ...]]] = {
    6: (True, ()),
    12: (False, (2**-0.5,)),
    18: (True, (1.0,)),
    24: (False, (0.541196100146197, 1.3065629648763766)),
}


def _section(b: tuple[float, float, float], a: tuple[float, float, float]) -> Floats:
    return np.array([[*b, *a]]) / a[0]


def _turn(hz: float) -> tuple[float, float]:
    angle = 2 * np.pi * hz / RATE_HZ
    return float(np.cos(angle)), float(np.sin(angle))


def bell(hz: float, gain_db: float, quality: float) -> Floats:
    """A lift or cut round a frequency; quality is Q: larger is narrower.

    Parameters
    ----------
    hz
        Middle frequency in Hz.
    gain_db
        Lift (above 0) or cut, in dB.
    quality
        Q: larger is narrower.

    Returns
    -------
    Floats
        One second-order section, shape (1, 6).
    """
    cos, sin = _turn(hz)
    size = 10 ** (gain_db / 40)
    alpha = sin / (2 * quality)
    return _section(
        (1 + alpha * size, -2 * cos, 1 - alpha * size),
        (1 + alpha / size, -2 * cos, 1 - alpha / size),
    )


def shelf(hz: float, gain_db: float, *, high: bool) -> Floats:
    """All below (or above) a frequency lifted or cut, with the slope 1 of the cookbook.

    Parameters
    ----------
    hz
        Corner frequency in Hz.
    gain_db
        Lift (above 0) or cut, in dB.
    high
        Whether it is what lies above that changes.

    Returns
    -------
    Floats
        One second-order section, shape (1, 6).
    """
    cos, sin = _turn(hz)
    size = 10 ** (gain_db / 40)
    root = 2 * np.sqrt(size) * sin / 2 * np.sqrt(2)
    sign = -1 if high else 1
    up, down = size + 1, size - 1
    return _section(
        (size * (up - sign * down * cos + root), sign * 2 * size * (down - sign * up * cos),
         size * (up - sign * down * cos - root)),
        (up + sign * down * cos + root, sign * -2 * (down + sign * up * cos), up + sign * down * cos - root),
    )  # fmt: skip


def second_order_cut(hz: float, quality: float, *, high: bool) -> Floats:
    """What lies below (high: above) a frequency is let through, 12 dB an octave.

    Parameters
    ----------
    hz
        Corner frequency in Hz.
    quality
        Q at the corner; 0.707 is flat.
    high
        Whether what lies above is let through.

    Returns
    -------
    Floats
        One second-order section, shape (1, 6).
    """
    cos, sin = _turn(hz)
    alpha = sin / (2 * quality)
    edge = (1 + cos) if high else (1 - cos)
    middle = -edge if high else edge
    return _section((edge / 2, middle, edge / 2), (1 + alpha, -2 * cos, 1 - alpha))


def first_order_cut(hz: float, *, high: bool) -> Floats:
    """The same with 6 dB an octave, by the bilinear transform."""
    k = float(np.tan(np.pi * hz / RATE_HZ))
    b = (1.0, -1.0, 0.0) if high else (k, k, 0.0)
    return _section(b, (k + 1, k - 1, 0.0))


def cut(hz: float, slope_db: int, *, high: bool) -> Floats:
    """A Butterworth cut of 6, 12, 18 or 24 dB an octave; `high` lets the high ones through (a low cut).

    Parameters
    ----------
    hz
        Corner frequency in Hz.
    slope_db
        6, 12, 18 or 24 dB an octave.
    high
        Whether what lies above is let through.

    Returns
    -------
    Floats
        Second-order sections, shape (n, 6).
    """
    first, qualities = BUTTERWORTH[slope_db]
    sections = [first_order_cut(hz, high=high)] if first else []
    sections += [second_order_cut(hz, quality, high=high) for quality in qualities]
    return np.concatenate(sections)


def filtered(sections: Floats, audio: Floats) -> Floats:
    """Audio of shape (channels, frames) through sections in a row; none leave it as it is."""
    if not len(sections):
        return audio
    if both_same(audio):
        return np.repeat(filtered(sections, audio[:1]), 2, axis=0)
    return np.asarray(signal.sosfilt(sections, audio, axis=1), dtype=audio.dtype)


def response_db(sections: Floats, hz: Floats) -> Floats:
    """What the sections do to tones, in dB."""
    if not len(sections):
        return np.zeros(len(hz))
    _, found = signal.sosfreqz(sections, worN=np.asarray(hz) * 2 * np.pi / RATE_HZ)
    return np.asarray(20 * np.log10(np.maximum(np.abs(found), 1e-9)))
