"""The mix as audio: the same events, gains and pans as the player."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.sound.backwards import backwards
from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN, Event
from easy_pocket.core.sound.kit import Kit, KitVoice, voice_audio
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import SampleSource, no_samples
from easy_pocket.core.sound.tones import RATE_HZ

MAX_TAIL_S = 4.0
Floats = npt.NDArray[np.floating]


def pan_gains(pan: float) -> tuple[float, float]:
    """Left and right gain at constant power; in the middle both are 0.707."""
    angle = (pan + 1.0) * np.pi / 4
    return float(np.cos(angle)), float(np.sin(angle))


def panned(line: npt.NDArray[np.floating], pan: float) -> npt.NDArray[np.floating]:
    """Shape (frames, 1 or 2) to (2, frames), as the Web Audio API's stereo panner does it.

    A single channel is placed at constant power; of two, the one on the far side is carried over to the near side.
    """
    if line.shape[1] == 1:
        return np.asarray(np.multiply.outer(np.array(pan_gains(pan), dtype=line.dtype), line[:, 0]))
    left, right = line.T
    angle = (pan + 1 if pan <= 0 else pan) * np.pi / 2
    keep, carry = np.cos(angle), np.sin(angle)
    if pan <= 0:
        return np.stack([left + right * keep, right * carry])
    return np.stack([left * keep, right + left * carry])


def add_hits(
    line: Floats, events: list[Event], voice: KitVoice, *, loop: bool, samples: SampleSource = no_samples
) -> None:
    """Add the hits of one voice to a line of shape (2, frames), each at its level and pan, as loud as in a mix.

    Parameters
    ----------
    line
        Samples of shape (2, frames); filled here.
    events
        The hits of the voice.
    voice
        How it sounds.
    loop
        Whether what reaches past the end goes on at the start; else it is cut off there.
    samples
        Gives the recording of a sound by its key.
    """
    sounds = {
        (number, other): voice_audio(voice.alternate(other), number, samples)
        for number, other in {(event.stretch, event.alternate) for event in events}
    }
    for event in events:
        sound = _shaped(event, sounds[event.stretch, event.alternate])
        gain, start = MASTER_GAIN * event.gain, round(event.start_s * RATE_HZ)
        if sound.shape[1] == 1:  # a side after the other: nothing is made for both
            for side, share in zip(line, pan_gains(event.pan), strict=True):
                _add_from(side, start, sound[:, 0] * np.float32(gain * share), loop=loop)
        else:
            for side, placed in zip(line, panned(gain * sound, event.pan), strict=True):
                _add_from(side, start, placed, loop=loop)


def _add_from(side: npt.NDArray[np.floating], start: int, sound: npt.NDArray[np.floating], *, loop: bool) -> None:
    """Add a sound of one channel from a frame on: round and round in a loop, else up to the end."""
    total, first = len(side), 0
    while first < len(sound) and start < total:
        count = min(len(sound) - first, total - start)
        side[start : start + count] += sound[first : first + count]
        first += count
        start = 0 if loop else total


def _shaped(event: Event, sound: Frames) -> Frames:
    """The sound of one hit: backwards, tuned, and cut off where the next of its group chokes it."""
    if event.back:
        sound = backwards(sound, event.back, event.fade)
    if event.rate != 1.0:
        sound = at_rate(sound, event.rate)
    if event.cut_s is None:
        return sound
    fade = int(CUT_FADE_S * RATE_HZ)
    whole = max(round((event.cut_s - event.start_s) * RATE_HZ), 0)
    if whole + fade >= len(sound):
        return sound
    sound = sound[: whole + fade].copy()
    sound[whole:] *= np.linspace(1, 0, fade, dtype=np.float32)[:, None]
    return sound


def mixdown(
    events: list[Event],
    kit: Kit,
    length_s: float,
    *,
    loop: bool = True,
    name: str = "mix",
    samples: SampleSource = no_samples,
    layers: Sequence[npt.NDArray[np.float32]] = (),
) -> Audio:
    """Stereo audio at 44.1 kHz.

    A loop has exactly round(length_s x rate) samples and its tails wrap to the start; otherwise tails ring out
    after the end. Events must not start before 0: shift them by a pre-roll first. layers: what loops play under the
    stack, shape (frames, 2), from the start.

    Parameters
    ----------
    events
        What sounds when, from 0 s on.
    kit
        Voices, and how they sound.
    length_s
        Length of the music in seconds.
    loop
        Whether tails wrap to the start.
    name
        What it is called.
    samples
        Gives the recording of a sound by its key.
    layers
        What loops play under it, each of shape (frames, 2).

    Returns
    -------
    Audio
        Stereo at 44.1 kHz.
    """
    length = round(length_s * RATE_HZ)
    total = length if loop else length + int(MAX_TAIL_S * RATE_HZ)
    mixed = np.zeros((2, total))
    by_voice: dict[str, list[Event]] = {}
    for event in events:
        by_voice.setdefault(event.voice, []).append(event)
    for voice, own in by_voice.items():
        add_hits(mixed, own, kit.voice(voice), loop=loop, samples=samples)
    for audio in layers:
        frames = min(len(audio), length)
        mixed[:, :frames] += MASTER_GAIN * audio[:frames].T
    if not loop:
        heard = np.flatnonzero(np.abs(mixed[:, length:]).max(axis=0) > 1e-5)
        mixed = mixed[:, : length + (int(heard[-1]) + 1 if len(heard) else 0)]
    return Audio(np.ascontiguousarray(mixed.T, dtype=np.float32), RATE_HZ, name)


def at_rate(sound: Frames, rate: float) -> Frames:
    """Played faster or slower, interpolated between samples as the player does."""
    at = np.arange(0, len(sound) - 1, rate)
    return np.stack([np.interp(at, np.arange(len(sound)), channel) for channel in sound.T], axis=1).astype(np.float32)
