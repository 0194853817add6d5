"""The echo: what comes again after so many beats, softer and darker each time, from side to side if wanted."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import signal

from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.filters import cut

Floats = npt.NDArray[np.floating]
FEWEST = 256  # frames of the shortest delay: two of the browser's blocks, which a loop of its graph needs
MOST_S = 8.0


def echo_frames(beats: float, beat_s: float) -> int:
    """The delay in whole frames, so that the page and the file agree."""
    return int(np.clip(round(beats * beat_s * RATE_HZ), FEWEST, MOST_S * RATE_HZ))


def echoes(audio: Floats, settings: Mapping[str, Any], delays: list[tuple[int, int]]) -> Floats:
    """What comes after: shape (2, frames) to the same, the sound itself left out.

    Parameters
    ----------
    audio
        Samples, shape (2, frames).
    settings
        Values of the echo by field.
    delays
        From which frame on the echo comes after how many frames, ascending, the first from 0: a tempo that
        changes moves the delay with it.

    Returns
    -------
    Floats
        The echo alone, shape (2, frames).
    """
    sections = np.concatenate(
        [cut(settings["low_cut_hz"], 12, high=True), cut(settings["high_cut_hz"], 12, high=False)]
    )
    again, cross = settings["feedback_percent"] / 100, settings["sides_percent"] / 100
    frames = audio.shape[1]
    found = np.zeros_like(audio)
    line = np.zeros_like(audio)  # what goes into the delay
    entering = _entering(audio, cross)
    state = np.zeros((len(sections), 2, 2))
    edges = [at for at, _ in delays] + [frames]
    for (start, delay), end in zip(delays, edges[1:], strict=True):
        for begin in range(start, min(end, frames), delay):
            stop = min(begin + delay, end, frames)
            read = slice(begin - delay, stop - delay)
            out = np.zeros((2, stop - begin))
            if read.stop > 0:
                there = line[:, max(read.start, 0) : read.stop]
                out[:, out.shape[1] - there.shape[1] :] = there
            out, state = signal.sosfilt(sections, out, axis=1, zi=state)
            found[:, begin:stop] = out
            turned = (1 - cross) * out + cross * out[::-1]
            line[:, begin:stop] = entering[:, begin:stop] + again * turned
    return found


def _entering(audio: Floats, cross: float) -> Floats:
    """Both sides as they are; the more it goes from side to side, the more enters on the left alone."""
    middle = audio.mean(axis=0)
    return np.stack([(1 - cross) * audio[0] + 2 * cross * middle, (1 - cross) * audio[1]])
