"""Signals and patterns whose answer is known, made with our own kits."""

from __future__ import annotations

import io
import struct
from dataclasses import replace
from typing import Any

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import Performance, perform
from easy_pocket.core.feel.template import GrooveTemplate, Lane
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.exchange import KitToWrite
from easy_pocket.core.formats.sfz_writing import SfzOptions, write_sfz
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.core.sound.sound import SampleSource, no_samples

LEVELS = {"X": 112, "x": 88, "o": 60, "-": 40}


def beat(lines: dict[str, str], metre: Metre = COMMON_TIME, step: int = 240) -> Pattern:
    """Lines of X x o - and . to a pattern; '|' may part the bars."""
    hits, length = [], 0
    for voice, line in lines.items():
        marks = line.replace("|", "")
        length = max(length, len(marks) * step)
        hits += [Hit(voice, i * step, LEVELS[mark]) for i, mark in enumerate(marks) if mark != "."]
    return Pattern(length, tuple(hits), metre)


ROCK = {
    "kick": "X.......X.x.....|X.....x.X.......",
    "snare": "....X.......X...|....X.......X...",
    "hat_closed": "x.o.x.o.x.o.x.o.|x.o.x.o.x.o.x.o.",
}
SWUNG = {
    "kick": "X..x..X...x.....|x......X..Xx....",
    "snare": "....X.......X..-|....X..-....X...",
    "hat_closed": "x.x.x.xxx.x.x.x.|x.x.x.xxx.x.x.x.",
}


def rendered(
    pattern: Pattern, tempo_bpm: float, feel: Feel | None = None, kit: str = "boathouse"
) -> tuple[Audio, Performance]:
    """A loop as audio, and the performance it was made from."""
    performance = perform(pattern, FeelScopes(feel or Feel()), tempo_bpm=tempo_bpm)
    chosen = HOUSE_KITS[kit]
    return mixdown(play_events(performance, chosen), chosen, performance.length_ms / 1000), performance


def drifting(
    pattern: Pattern, tempo_bpm: float, speeds: tuple[float, ...], feel: Feel | None = None, lead_s: float = 0.7
) -> tuple[Audio, np.ndarray]:
    """A recording with a lead-in and a ragged end whose tempo goes through `speeds` (1 = tempo_bpm, evenly spread,
    straight lines between them), and the true times of its bar lines in seconds."""
    performance = perform(pattern, FeelScopes(feel or Feel()), tempo_bpm=tempo_bpm)
    length_s, kit = performance.length_ms / 1000, HOUSE_KITS["boathouse"]
    written = np.linspace(-0.5, length_s + 0.5, 4001)
    speed = np.interp(written / length_s, np.linspace(0, 1, len(speeds)), speeds)
    played = np.concatenate([[0.0], np.cumsum(np.diff(written) * 2 / (speed[1:] + speed[:-1]))])

    def at(time_s):
        return lead_s + np.interp(time_s, written, played) - np.interp(0.0, written, played)

    events = [
        replace(event, start_s=float(at(event.start_s)), cut_s=None if event.cut_s is None else float(at(event.cut_s)))
        for event in play_events(performance, kit, loop=False)
    ]
    bars = round(pattern.length_ticks / pattern.metre.bar_ticks)
    return mixdown(events, kit, float(at(length_s)) + 0.9, loop=False), at(np.arange(bars + 1) * length_s / bars)


def merged_ms(performance: Performance, gap_ms: float = 30.0) -> np.ndarray:
    """Times at which something starts, hits within the gap as one at the earliest, as a listener hears them."""
    times = np.sort(performance.loop_ms)
    kept = [times[0]]
    for time in times[1:]:
        if time - kept[-1] > gap_ms:
            kept.append(time)
    return np.array(kept)


def template(offsets_ms: list[float], tempo_bpm: float = 104.0, accents: list[float] | None = None) -> GrooveTemplate:
    lane = Lane(tuple(offsets_ms), tuple(accents or [1.0] * len(offsets_ms)))
    return GrooveTemplate("test", tempo_bpm, len(offsets_ms), {"all": lane})


def wav_bytes(samples: np.ndarray, rate_hz: int = 44_100, bits: int = 16) -> bytes:
    return write_audio(Audio(np.asarray(samples, dtype=np.float32), rate_hz), "WAV", bits)


def raw_wav(data: bytes, *, rate_hz: int = 44_100, bits: int = 16, claimed: int | None = None) -> bytes:
    """A WAV file whose header may claim more data than there is."""
    size = len(data) if claimed is None else claimed
    out = io.BytesIO()
    out.write(b"RIFF" + struct.pack("<I", (36 + size) & 0xFFFFFFFF) + b"WAVEfmt ")
    out.write(struct.pack("<IHHIIHH", 16, 1, 1, rate_hz, rate_hz * bits // 8, bits // 8, bits))
    out.write(b"data" + struct.pack("<I", size & 0xFFFFFFFF) + data)
    return out.getvalue()


def written_sfz(kit: Kit, samples: SampleSource = no_samples, **options: Any) -> bytes:
    """A kit as SFZ in a zip."""
    return write_sfz(KitToWrite(kit, samples), SfzOptions(**options)).data


def one_stroke(kit: Kit) -> Kit:
    """The kit with one stroke of each sound: equal hits are equal samples."""
    return replace(kit, voices=tuple(replace(voice, strokes=1) for voice in kit.voices))
