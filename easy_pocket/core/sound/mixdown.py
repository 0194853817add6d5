"""The mix as audio: the same events, gains and pans as the player."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN, Event
from easy_pocket.core.sound.kit import Kit, voice_audio
from easy_pocket.core.sound.models import RATE_HZ

MAX_TAIL_S = 4.0


def pan_gains(pan: float) -> tuple[float, float]:
    """Left and right gain at constant power; in the middle both are 0.707."""
    angle = (pan + 1.0) * np.pi / 4
    return float(np.cos(angle)), float(np.sin(angle))


def mixdown(events: list[Event], kit: Kit, length_s: float, *, loop: bool = True, name: str = "mix") -> Audio:
    """Stereo audio at 44.1 kHz. A loop has exactly round(length_s x rate) samples and its tails wrap to the start;
    otherwise tails ring out after the end. Events must not start before 0: shift them by a pre-roll first."""
    length = round(length_s * RATE_HZ)
    total = length if loop else length + int(MAX_TAIL_S * RATE_HZ)
    mixed = np.zeros((2, total))
    by_place: dict[tuple[str, float], list[Event]] = {}
    for event in events:
        by_place.setdefault((event.voice, event.pan), []).append(event)
    for (voice, pan), own in by_place.items():
        line = _line(own, {zone: voice_audio(kit.voice(voice), zone) for zone in {e.zone for e in own}}, total, loop)
        for channel, gain in enumerate(pan_gains(pan)):
            mixed[channel] += (gain * MASTER_GAIN) * line
    if not loop:
        heard = np.flatnonzero(np.abs(mixed[:, length:]).max(axis=0) > 1e-5)
        mixed = mixed[:, : length + (int(heard[-1]) + 1 if len(heard) else 0)]
    return Audio(np.ascontiguousarray(mixed.T, dtype=np.float32), RATE_HZ, name)


def _line(
    events: list[Event], sounds: dict[int, npt.NDArray[np.float32]], total: int, loop: bool
) -> npt.NDArray[np.float64]:
    """One voice's hits in mono."""
    reach = max(len(sound) for sound in sounds.values())
    line = np.zeros(total + reach)
    fade = int(CUT_FADE_S * RATE_HZ)
    for event in events:
        sound = sounds[event.zone]
        start = round(event.start_s * RATE_HZ)
        count = len(sound)
        if event.cut_s is not None:
            whole = max(round((event.cut_s - event.start_s) * RATE_HZ), 0)
            if whole + fade < count:
                sound = sound[: whole + fade].copy()
                sound[whole:] *= np.linspace(1, 0, fade)
                count = whole + fade
        line[start : start + count] += event.gain * sound
    if not loop:
        return line[:total]
    folded = line[:total].copy()
    for start in range(total, len(line), total):
        piece = line[start : start + total]
        folded[: len(piece)] += piece
    return folded
