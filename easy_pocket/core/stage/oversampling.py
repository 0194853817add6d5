"""Four times as many samples, for what bends a waveform, and back: short filters of least phase, so no hit moves."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from scipy import signal

Floats = npt.NDArray[np.float64]
Singles = npt.NDArray[np.float32]
AnyFloats = npt.NDArray[np.floating]
TIMES = 4
TAPS = 96


def _least_phase() -> Floats:
    """A low pass at 20 kHz for 176.4 kHz, its energy as early as can be."""
    linear = signal.firwin(2 * TAPS - 1, 20_000, fs=TIMES * 44_100, window=("kaiser", 8.0))
    taps = signal.minimum_phase(linear, method="homomorphic", half=False)
    found = np.asarray(taps[:TAPS], dtype=np.float64)
    return np.asarray(found / found.sum())


UP_AND_DOWN = _least_phase()


BLOCK = 32  # frames; a filter over a block is one matrix, and all blocks together one product
REACH = TAPS // TIMES  # frames a value is made of
AT_ONCE = 512  # blocks, so that what is multiplied stays near the processor


def _matrix_up() -> Floats:
    """From REACH - 1 frames before a block and the block to its 4 x BLOCK values."""
    found = np.zeros((BLOCK + REACH - 1, BLOCK * TIMES))
    for frame in range(BLOCK):
        for tap, value in enumerate(UP_AND_DOWN):
            found[frame + REACH - 1 - tap // TIMES, frame * TIMES + tap % TIMES] = TIMES * value
    return found


def _matrix_down() -> Floats:
    """From TAPS - 1 values before a block and its 4 x BLOCK values to the block."""
    found = np.zeros((BLOCK * TIMES + TAPS - 1, BLOCK))
    for frame in range(BLOCK):
        found[frame * TIMES : frame * TIMES + TAPS, frame] = UP_AND_DOWN[::-1]
    return found


UP, DOWN = _matrix_up().astype(np.float32), _matrix_down().astype(np.float32)


def _by_blocks(audio: AnyFloats, matrix: Singles, times: int, before: int) -> Singles:
    """Each channel in blocks of BLOCK x times values, with what lies before each, times a matrix."""
    step = BLOCK * times
    blocks = -(-audio.shape[1] // step)
    found = np.empty((len(audio), blocks, matrix.shape[1]), dtype=np.float32)
    padded = np.zeros((len(audio), before + blocks * step), dtype=np.float32)
    padded[:, before : before + audio.shape[1]] = audio
    for channel, out in zip(padded, found, strict=True):
        windows = np.lib.stride_tricks.sliding_window_view(channel, len(matrix))[::step]
        for start in range(0, blocks, AT_ONCE):
            piece = np.ascontiguousarray(windows[start : start + AT_ONCE])
            np.matmul(piece, matrix, out=out[start : start + AT_ONCE])
    return found.reshape(len(audio), -1)


def up(audio: AnyFloats) -> Singles:
    """Shape (channels, frames) to (channels, 4 frames), in single floats: what they lose lies 130 dB down."""
    return _by_blocks(audio, UP, 1, REACH - 1)[:, : audio.shape[1] * TIMES]


def down(audio: AnyFloats) -> Singles:
    """Shape (channels, 4 frames) to (channels, frames)."""
    return _by_blocks(audio, DOWN, TIMES, TAPS - 1)[:, : audio.shape[1] // TIMES]


def both_same(audio: AnyFloats) -> bool:
    """Whether it has two channels and they are the same, as of a sound in the middle."""
    return len(audio) == 2 and bool(np.array_equal(audio[0], audio[1]))


def bent_between(audio: AnyFloats, bend: Callable[[Singles], AnyFloats]) -> Singles:
    """Shape (channels, frames): up, through a function of single values, and down, piece by piece.

    What is worked on stays near the processor, so that several of these can run beside each other. Two channels that
    are the same are worked on once.
    """
    if both_same(audio):
        return np.repeat(bent_between(audio[:1], bend), 2, axis=0)
    channels, frames = audio.shape
    step = BLOCK * TIMES
    blocks = -(-frames // BLOCK)
    padded = np.zeros((channels, REACH - 1 + blocks * BLOCK), dtype=np.float32)
    padded[:, REACH - 1 : REACH - 1 + frames] = audio
    found = np.empty((channels, blocks * BLOCK), dtype=np.float32)
    at_once = AT_ONCE // 2
    many = np.zeros(TAPS - 1 + at_once * step, dtype=np.float32)  # what lay before, and a piece of many values
    windows = np.lib.stride_tricks.sliding_window_view(many, len(DOWN))[::step]
    for channel, out in zip(padded, found, strict=True):
        frame_windows = np.lib.stride_tricks.sliding_window_view(channel, len(UP))[::BLOCK]
        many[: TAPS - 1] = 0
        for start in range(0, blocks, at_once):
            piece = np.ascontiguousarray(frame_windows[start : start + at_once]) @ UP
            values = many[TAPS - 1 : TAPS - 1 + piece.size]
            values[:] = bend(piece).reshape(-1)
            found_here = np.ascontiguousarray(windows[: len(piece)]) @ DOWN
            out[start * BLOCK : start * BLOCK + len(piece) * BLOCK] = found_here.reshape(-1)
            many[: TAPS - 1] = many[piece.size : piece.size + TAPS - 1].copy()
    return found[:, :frames]
