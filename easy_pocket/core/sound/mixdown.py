"""The mix as audio: the same events, gains and pans as the player."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.sound.backwards import backwards
from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN, Event
from easy_pocket.core.sound.headroom import MeasuredMix, block_peaks, louder
from easy_pocket.core.sound.kit import Kit, voice_audio
from easy_pocket.core.sound.models import RATE_HZ
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import SampleSource, no_samples

MAX_TAIL_S = 4.0
UNDER = "the loops under it"
Floats = npt.NDArray[np.float64]


def pan_gains(pan: float) -> tuple[float, float]:
    """Left and right gain at constant power; in the middle both are 0.707."""
    angle = (pan + 1.0) * np.pi / 4
    return float(np.cos(angle)), float(np.sin(angle))


def panned(line: Floats, pan: float) -> Floats:
    """Shape (frames, 1 or 2) to (2, frames), as the Web Audio API's stereo panner does it.

    A single channel is placed at constant power; of two, the one on the far side is carried over to the near side.
    """
    if line.shape[1] == 1:
        return np.outer(pan_gains(pan), line[:, 0])
    left, right = line.T
    angle = (pan + 1 if pan <= 0 else pan) * np.pi / 2
    keep, carry = np.cos(angle), np.sin(angle)
    if pan <= 0:
        return np.stack([left + right * keep, right * carry])
    return np.stack([left * keep, right + left * carry])


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
    """As `measured_mixdown`, the audio alone."""
    return measured_mixdown(events, kit, length_s, loop=loop, name=name, samples=samples, layers=layers).audio


def measured_mixdown(
    events: list[Event],
    kit: Kit,
    length_s: float,
    *,
    loop: bool = True,
    name: str = "mix",
    samples: SampleSource = no_samples,
    layers: Sequence[npt.NDArray[np.float32]] = (),
) -> MeasuredMix:
    """Stereo audio at 44.1 kHz, and the peaks of each voice and of the loops under it.

    A loop has exactly round(length_s x rate) samples and its tails wrap to the start; otherwise tails ring out after
    the end. Events must not start before 0: shift them by a pre-roll first. layers: what loops play under the stack,
    shape (frames, 2), from the start.
    """
    length = round(length_s * RATE_HZ)
    total = length if loop else length + int(MAX_TAIL_S * RATE_HZ)
    mixed = np.zeros((2, total))
    peaks: dict[str, Floats] = {}
    by_place: dict[tuple[str, float], list[Event]] = {}
    for event in events:
        by_place.setdefault((event.voice, event.pan), []).append(event)
    for (voice, pan), own in by_place.items():
        struck_voice = kit.voice(voice)
        sounds = {
            (number, other): voice_audio(struck_voice.alternate(other), number, samples)
            for number, other in {(event.stretch, event.alternate) for event in own}
        }
        line = _line(own, sounds, total, loop)
        placed = MASTER_GAIN * panned(line, pan)
        mixed += placed
        called = voice_name(voice)
        peaks[called] = louder(peaks.get(called, np.zeros(0)), block_peaks(placed.T))
    for audio in layers:
        frames = min(len(audio), length)
        mixed[:, :frames] += MASTER_GAIN * audio[:frames].T
        peaks[UNDER] = louder(peaks.get(UNDER, np.zeros(0)), MASTER_GAIN * block_peaks(audio[:frames]))
    if not loop:
        heard = np.flatnonzero(np.abs(mixed[:, length:]).max(axis=0) > 1e-5)
        mixed = mixed[:, : length + (int(heard[-1]) + 1 if len(heard) else 0)]
    return MeasuredMix(Audio(np.ascontiguousarray(mixed.T, dtype=np.float32), RATE_HZ, name), peaks)


def _line(events: list[Event], sounds: dict[tuple[int, int], Frames], total: int, loop: bool) -> Floats:
    """One voice's hits: shape (total, 1 or 2)."""
    slowest = min(event.rate for event in events)
    reach = max(int(max(len(sound) for sound in sounds.values()) / slowest), max(event.back for event in events)) + 2
    channels = max(sound.shape[1] for sound in sounds.values())
    line = np.zeros((total + reach, channels))
    fade = int(CUT_FADE_S * RATE_HZ)
    for event in events:
        sound = sounds[event.stretch, event.alternate]
        if sound.shape[1] < channels:
            sound = np.repeat(sound * np.float32(np.sqrt(0.5)), 2, axis=1)
        if event.back:
            sound = backwards(sound, event.back, event.fade)
        if event.rate != 1.0:
            sound = at_rate(sound, event.rate)
        start = round(event.start_s * RATE_HZ)
        count = len(sound)
        if event.cut_s is not None:
            whole = max(round((event.cut_s - event.start_s) * RATE_HZ), 0)
            if whole + fade < count:
                sound = sound[: whole + fade].copy()
                sound[whole:] *= np.linspace(1, 0, fade)[:, None]
                count = whole + fade
        line[start : start + count] += event.gain * sound
    if not loop:
        return line[:total]
    folded = line[:total].copy()
    for start in range(total, len(line), total):
        piece = line[start : start + total]
        folded[: len(piece)] += piece
    return folded


def at_rate(sound: Frames, rate: float) -> Frames:
    """Played faster or slower, interpolated between samples as the player does."""
    at = np.arange(0, len(sound) - 1, rate)
    return np.stack([np.interp(at, np.arange(len(sound)), channel) for channel in sound.T], axis=1).astype(np.float32)
