"""A loop at another length or pitch: each slice keeps its attack, what rings after it is stretched."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
import soxr
from python_stretch.Signalsmith import Stretch

from easy_pocket.core.audio import Audio
from easy_pocket.core.listen.slices import FADE_S, Slices, place_pieces, slice_audio, slice_starts

ATTACK_S = 0.030  # so much from the beginning of a slice is its attack, and is not stretched
BLEND_S = 0.006  # over which the attack passes into what is stretched
LONGEST, SHORTEST = 4.0, 0.25  # a tail is not made longer or shorter than so many times: it dies away, or is cut
SEED = 1  # the library sets phases by chance from twice the length on: the same ones in each render
SAME_FRAMES = 2  # a slice whose room differs by no more stays as it is
TONAL_LIMIT_HZ = 8000.0  # above it, what is transposed is noise: it is not spread out further

Floats = npt.NDArray[np.float64]
Samples = npt.NDArray[np.float32]


def stretched(audio: Audio, slices: Slices, to_s: Floats, length_s: float, semitones: float = 0.0) -> Audio:
    """Slices set so that their attacks fall at `to_s`, each as long as the room it has, at another pitch if wanted.

    The first 30 ms of a slice are its attack and stay as they are (resampled, if the pitch changes); what follows is
    stretched with a phase vocoder by spectral peaks (the library's; after Laroche & Dolson, "Improved phase vocoder
    time-scale modification of audio", 1999). At the loop's own times and pitch the loop comes back. What reaches past
    the end goes on at the beginning.

    Parameters
    ----------
    audio
        The recording.
    slices
        Where the audio is cut.
    to_s
        When the attack of each slice shall be, in seconds, rising, shape (n,).
    length_s
        Length of the result in seconds, 0.05 to 1,200.
    semitones
        By how much it is higher, -24 to 24; its length stays.

    Returns
    -------
    Audio
        round(length_s x rate) samples at the audio's own rate. Equal calls give equal samples.

    Raises
    ------
    BadValueError
        For a length out of range.
    """
    rate = audio.rate_hz
    total = round(length_s * rate)
    starts = slice_starts(slices, to_s, rate)
    order = np.argsort(starts, kind="stable")
    room = np.zeros(len(starts), dtype=np.intp)
    room[order] = np.diff(np.append(starts[order], starts[order[0]] + total))
    engine = Stretch(SEED)
    engine.preset(audio.samples.shape[1], rate, False)
    overlap = max(int(FADE_S * rate), 1)
    before = np.rint((slices.attack_s - slices.start_s) * rate).astype(np.intp)
    pieces = slice_audio(audio, slices)
    for at, piece in enumerate(pieces):
        if room[at] <= 0 or (not semitones and abs(room[at] - len(piece)) <= SAME_FRAMES):
            continue
        attack = _attack(piece, int(before[at]), semitones, rate)
        pieces[at] = _fitted(engine, piece, attack, int(room[at]) + overlap, semitones, rate)
    return place_pieces(audio, pieces, starts, length_s, wraps=True)


def _attack(piece: Samples, ahead: int, semitones: float, rate: int) -> Samples:
    """The beginning of a slice at its pitch, its hit so many frames ahead as before."""
    if not semitones:
        return piece
    longer = 2.0 ** (-semitones / 12)
    attack = soxr.resample(piece[: round(4 * ATTACK_S * rate)], 1.0, longer, quality="HQ")
    moved = round(ahead * (longer - 1))
    return attack[moved:] if moved > 0 else np.pad(attack, ((-moved, 0), (0, 0)))


def _fitted(engine: Stretch, piece: Samples, attack: Samples, frames: int, semitones: float, rate: int) -> Samples:
    """A slice of about so many frames: its attack, then its tail at the length that is left."""
    blend = round(BLEND_S * rate)
    kept = min(round(ATTACK_S * rate), len(attack), len(piece), frames)
    tail = piece[kept - blend :] if kept > blend else piece[:0]
    wanted = frames - kept + blend
    if len(tail) <= 2 * blend or wanted <= 2 * blend:
        return np.asarray(attack if len(attack) else piece, dtype=np.float32)
    factor = min(max(wanted / len(tail), SHORTEST), LONGEST)
    rung = _ring(engine, tail, factor, semitones)
    into = np.linspace(0, 1, blend, dtype=np.float32)[:, None]
    joint = attack[kept - blend : kept] * (1 - into) + rung[:blend] * into
    return np.concatenate([attack[: kept - blend], joint, rung[blend:]])


def _ring(engine: Stretch, tail: Samples, factor: float, semitones: float) -> Samples:
    """A tail so many times as long; both ends are mirrored while it is computed, so that neither swells or dies."""
    side = min(engine.blockSamples(), len(tail) - 1)
    mirrored = np.pad(tail, ((side, side), (0, 0)), mode="reflect")
    engine.reset()
    engine.timeFactor = 1 / factor
    engine.setTransposeSemitones(semitones, TONAL_LIMIT_HZ / engine.sampleRate)
    done = np.asarray(engine.process(np.ascontiguousarray(mirrored.T)), dtype=np.float32).T
    first = round(side * factor)
    return done[first : first + max(round(len(tail) * factor), 1)]
