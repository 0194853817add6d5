"""Rooms as impulse responses of our own: early reflections of a box, then noise that decays, shorter on top.

Early reflections are image sources (Allen and Berkley 1979), their walls as absorbing as the length asks (Sabine). The
tail is noise in octave bands, each dying away by its own T30. Left and right are different noise, so the room is wide.
"""

from __future__ import annotations

from collections.abc import Mapping
from itertools import product
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.cache import ResultCache
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.keyed_random import normal
from easy_pocket.core.sound.loudness import K_WEIGHTING
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.filters import cut, filtered

Floats = npt.NDArray[np.floating]
SOUND_M_S = 343.0
# Length, width and height of each size, in m.
BOXES_M: dict[str, tuple[float, float, float]] = {
    "booth": (2.3, 2.9, 2.5),
    "room": (5.2, 6.9, 3.1),
    "hall": (15.0, 22.0, 9.0),
}
SOURCE, EARS = (0.43, 0.31, 0.45), ((0.47, 0.72, 0.5), (0.58, 0.74, 0.5))  # as shares of the box
ORDER = 4  # reflections along each side
BANDS_HZ = (125.0, 250.0, 500.0, 1_000.0, 2_000.0, 4_000.0, 8_000.0)
BAND_LENGTHS = (1.05, 1.05, 1.0, 1.0, 0.85, 0.66, 0.45)  # T30 of each, to that in the middle
RINGS_DB = 75.0  # how far it dies away before it ends
TAIL_SHARE = 0.8  # of the early reflections' energy at the place where the tail takes over
_rooms: ResultCache[npt.NDArray[np.float32]] = ResultCache("rooms", 16 << 20)


NAMES = ("length_s", "pre_delay_ms", "low_cut_hz", "high_cut_hz", "size")


def room_key(settings: Mapping[str, Any]) -> str:
    """A word for a room of these settings, which an address can hold; `settings_of_key` reads it."""
    return "_".join(f"{settings[name]:g}" if name != "size" else str(settings[name]) for name in NAMES)


def settings_of_key(key: str) -> dict[str, Any]:
    """Raises BadValueError for a word that names no room."""
    words = key.split("_")
    if len(words) != len(NAMES):
        raise BadValueError("This room is not known: reload the page.")
    try:
        numbers = {name: word if name == "size" else float(word) for name, word in zip(NAMES, words, strict=True)}
    except ValueError as error:
        raise BadValueError("This room is not known: reload the page.") from error
    return numbers


def impulse_response(settings: Mapping[str, Any]) -> npt.NDArray[np.float32]:
    """The room of these settings (unit_fields.ROOM_FIELDS without its level): shape (2, frames), kept by settings.

    As loud for drums in every room at the same send: its K-weighted energy is 1.
    """
    words = settings_of_key(room_key(settings))  # as the page asks for it
    return _rooms.get(room_key(settings), lambda: _made(**words))


def _made(
    length_s: float, pre_delay_ms: float, low_cut_hz: float, high_cut_hz: float, size: str
) -> npt.NDArray[np.float32]:
    frames = int(length_s * BAND_LENGTHS[0] * RINGS_DB / 60 * RATE_HZ) + int(0.01 * RATE_HZ)
    early, mixing = _early(length_s, size, frames)
    found: Floats = early + _tail(length_s, size, frames, mixing, early)
    found = filtered(np.concatenate([cut(low_cut_hz, 12, high=True), cut(high_cut_hz, 12, high=False)]), found)
    fade = int(0.01 * RATE_HZ)
    found[:, -fade:] *= np.linspace(1, 0, fade)
    weighted = signal.sosfilt(K_WEIGHTING, found, axis=1)
    found = found / np.sqrt((weighted**2).sum() / 2)
    before = np.zeros((2, round(pre_delay_ms * RATE_HZ / 1000)))
    return np.concatenate([before, found], axis=1).astype(np.float32)


def _early(length_s: float, size: str, frames: int) -> tuple[Floats, int]:
    """Reflections at their times for each ear, and the frame from which on the tail takes over."""
    box = np.array(BOXES_M[size])
    volume = float(box.prod())
    surface = 2 * float(box[0] * box[1] + box[1] * box[2] + box[0] * box[2])
    path_m = 4 * volume / surface
    wall = 10 ** (-3 * path_m / (SOUND_M_S * length_s))  # what a reflection keeps, as an amplitude
    source = np.array(SOURCE) * box
    found = np.zeros((2, frames))
    steps = np.array(list(product(range(-ORDER, ORDER + 1), repeat=3)))
    images = np.where(steps % 2 == 0, steps * box + source, (steps + 1) * box - source)
    order = np.abs(steps).sum(axis=1)
    mixing = round(2.5 * path_m / SOUND_M_S * RATE_HZ)
    for ear, place in enumerate(EARS):
        distance = np.linalg.norm(images - np.array(place) * box, axis=1)
        at = distance / SOUND_M_S * RATE_HZ
        first = at.min()
        amplitude = wall ** np.maximum(order, 0) / np.maximum(distance, 0.5)
        frame = np.rint(at - first).astype(np.int64)
        heard = (order > 0) & (frame < min(mixing * 2, frames))  # the direct sound is there already
        fading = np.clip(2 - frame / mixing, 0, 1)
        signs = np.where(normal(7, "wall", frame[heard]) > 0, 1.0, -1.0)
        np.add.at(found[ear], frame[heard], (amplitude * fading)[heard] * signs)
    return found, mixing


def _tail(length_s: float, size: str, frames: int, mixing: int, early: Floats) -> Floats:
    count = int(2 ** np.ceil(np.log2(frames)))
    hz = np.fft.rfftfreq(count, 1 / RATE_HZ)
    octave = np.log2(np.maximum(hz, 1.0) / BANDS_HZ[0])
    time = np.arange(frames) / RATE_HZ
    found = np.zeros((2, frames))
    for ear in range(2):
        spectrum = np.fft.rfft(normal(11 + ear, f"room {size}", np.arange(count)))
        for band, share in enumerate(BAND_LENGTHS):
            # Raised cosines over an octave that add up to one; the outer bands reach to the ends.
            inside = np.cos(np.clip(octave - band, -1, 1) * np.pi / 2) ** 2
            if band == 0:
                inside = np.where(octave < 0, 1.0, inside)
            if band == len(BANDS_HZ) - 1:
                inside = np.where(octave > band, 1.0, inside)
            found[ear] += np.fft.irfft(spectrum * inside, count)[:frames] * 10 ** (-3 * time / (length_s * share))
    rises = np.clip(np.arange(frames) / mixing - 0.25, 0, 1)
    around = slice(mixing // 2, mixing * 3 // 2)
    energy = np.sqrt((early[:, around] ** 2).mean() / max((found[:, around] ** 2).mean(), 1e-20))
    return np.asarray(found * rises * energy * TAIL_SHARE)
