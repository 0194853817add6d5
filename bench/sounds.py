"""The synthesized kits against what played drums measure: pitch, decay, brightness, and what velocity does."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import KitVoice, voice_audio
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.sound.velocity import gains

Floats = npt.NDArray[np.float64]
STRUCK, SOFT, HARD = 110, 40, 120


def struck(voice: KitVoice, velocity: int) -> Floats:
    """A voice struck once, as loud as it is played, mono."""
    stretch = int(voice.stretch_of[velocity])
    sound = voice_audio(voice, stretch).mean(axis=1, dtype=np.float64)
    return np.asarray(sound * gains(voice.velocity_level)[velocity])


def spectrum(x: Floats, begin_s: float = 0.0, end_s: float = 0.25) -> tuple[Floats, Floats]:
    """Frequencies and power of a stretch."""
    piece = x[int(begin_s * RATE_HZ) : int(end_s * RATE_HZ)]
    piece = piece * np.hanning(2 * len(piece))[len(piece) :]
    power = np.abs(np.fft.rfft(piece, 1 << 16)) ** 2
    return np.fft.rfftfreq(1 << 16, 1 / RATE_HZ), power


def strongest_hz(x: Floats, low_hz: float, high_hz: float, begin_s: float = 0.0, end_s: float = 0.25) -> float:
    hz, power = spectrum(x, begin_s, end_s)
    inside = (hz >= low_hz) & (hz <= high_hz)
    return float(hz[inside][power[inside].argmax()])


def centroid_hz(x: Floats, begin_s: float = 0.0, end_s: float = 0.1) -> float:
    hz, power = spectrum(x, begin_s, end_s)
    return float((hz * power).sum() / max(power.sum(), 1e-30))


def t60_s(x: Floats) -> float:
    """Time of a decay by 60 dB, from how long it takes from -5 to -35 dB of its smoothed energy, reversed and summed
    (Schroeder 1965)."""
    left = np.cumsum((x**2)[::-1])[::-1]
    level = 10 * np.log10(left / max(left[0], 1e-30) + 1e-12)
    first, last = (int(np.argmax(level <= db)) for db in (-5.0, -35.0))
    return float(2 * (last - first) / RATE_HZ)


def band_db(x: Floats, low_hz: float, high_hz: float) -> float:
    hz, power = spectrum(x, 0.0, 0.2)
    return float(10 * np.log10(power[(hz >= low_hz) & (hz < high_hz)].sum() + 1e-30))


def bend_semitones(x: Floats) -> float:
    """How far the pitch falls from its first 12 ms to 60 ms later."""
    early, late = (strongest_hz(x, 50, 420, at, at + 0.05) for at in (0.0, 0.08))
    return float(12 * np.log2(early / late))


@dataclass(frozen=True)
class Range:
    """What is measured of a role, and between what it should lie."""

    role: str
    words: str
    measure: Callable[[Floats], float]
    low: float
    high: float


def _click_under_body(x: Floats) -> float:
    return band_db(x, 20, 300) - band_db(x, 2000, 20_000)


RANGES = (
    Range("kick", "fundamental Hz", lambda x: strongest_hz(x, 30, 120, 0.05, 0.3), 45, 75),
    Range("kick", "T60 s", t60_s, 0.15, 0.6),
    Range("kick", "click under body dB", _click_under_body, 10, 25),
    Range("snare", "body Hz", lambda x: strongest_hz(x, 140, 280), 170, 250),
    Range("snare", "T60 s", t60_s, 0.12, 0.35),
    Range("clap", "centroid Hz", centroid_hz, 1000, 3000),
    Range("hat_closed", "centroid Hz", centroid_hz, 7000, 11_000),
    Range("hat_closed", "T60 s", t60_s, 0.04, 0.15),
    Range("hat_open", "T60 s", t60_s, 0.4, 1.4),
    Range("ride", "centroid Hz", lambda x: centroid_hz(x, 0, 0.4), 3000, 8000),
    Range("ride", "T60 s", t60_s, 2.0, 6.0),
    Range("crash", "T60 s", t60_s, 1.5, 5.0),
    Range("crash", "centroid falls by Hz", lambda x: centroid_hz(x, 0, 0.2) - centroid_hz(x, 0.8, 1.2), 200, 9000),
    Range("tom_high", "fundamental Hz", lambda x: strongest_hz(x, 60, 260, 0.05, 0.3), 70, 220),
    Range("tom_mid", "fundamental Hz", lambda x: strongest_hz(x, 60, 260, 0.05, 0.3), 70, 220),
    Range("tom_low", "fundamental Hz", lambda x: strongest_hz(x, 60, 260, 0.05, 0.3), 70, 220),
    Range("tom_high", "bend semitones", bend_semitones, 1, 4),
    Range("tom_low", "bend semitones", bend_semitones, 1, 4),
)
BRIGHTENED = ("snare", "hat_closed", "hat_open", "ride", "crash")


def velocity_figures(voice: KitVoice) -> tuple[float, float]:
    """How much louder 120 is than 40, in dB, and how much more so above 4 kHz than below."""
    soft, hard = struck(voice, SOFT), struck(voice, HARD)
    louder, low, high = (
        band_db(hard, *band) - band_db(soft, *band) for band in ((20, 20_000), (20, 4000), (4000, 20_000))
    )
    return louder, high - low


def judged() -> list[tuple[str, str, float, bool]]:
    """Kit and role, what is measured, the figure, and whether it lies where it should."""
    found = []
    for kit in HOUSE_KITS.values():
        for one in RANGES:
            if one.role not in kit.roles:
                continue
            value = one.measure(struck(kit.voice(one.role), STRUCK))
            found.append((f"{kit.name} {one.role}", one.words, value, one.low <= value <= one.high))
        for voice in kit.voices:
            louder, brighter = velocity_figures(voice)
            found.append((f"{kit.name} {voice.role}", "dB from 40 to 120", louder, 12 <= louder <= 22))
            if voice.role in BRIGHTENED:
                found.append((f"{kit.name} {voice.role}", "dB more above 4 kHz", brighter, 3 <= brighter <= 9))
    return found


def run() -> None:
    found = judged()
    good = sum(fine for *_, fine in found)
    print(f"the synthesized kits: {good} of {len(found)} figures lie where played drums' do")
    for name, words, value, fine in found:
        if not fine:
            print(f"  {name}: {words} {value:.2f}")
