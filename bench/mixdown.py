"""How fast a mix of 12 voices is written."""

from __future__ import annotations

from bench.clock import median_ms
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.voices import DRUMS
from easy_pocket.core.sound.events import EventColumns, events_of, play_columns
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.mixdown import mixdown


def mixed_voices(count: int) -> tuple[EventColumns, float]:
    """Eight bars of so many voices on the Boathouse kit, and their length in s."""
    hits = tuple(
        Hit(voice, slot * 240, 40 + (7 * slot) % 80)
        for number, voice in enumerate(list(DRUMS)[:count])
        for slot in range(number % 4, 8 * 16, 1 + number % 4)
    )
    performance = perform(Pattern(8 * 3840, hits), tempo_bpm=104)
    return play_columns(performance, HOUSE_KITS["boathouse"]), performance.length_ms / 1000


def run() -> None:
    kit = HOUSE_KITS["boathouse"]
    columns, length_s = mixed_voices(12)
    events = events_of(columns)
    took = median_ms(lambda: mixdown(events, kit, length_s), 5)
    speed = 1000 * length_s / took
    print(
        f"8 bars, 12 voices, {len(events)} hits, {length_s:.1f} s: {took:.0f} ms, {speed:.0f} x real time (wanted: 60)"
    )
