"""How a loop plays under the stack, as the panel shows it."""

from __future__ import annotations

from typing import Any

from easy_pocket.core.listen.layered_loop import LayerSettings
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.store.database import Reader
from easy_pocket.store.grooves.templates import groove_names
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.shared.voice_title import voice_title

EIGHTH = 480
SPEED_WORDS = {0.5: "half, twice the bars", 1.0: "its own", 2.0: "double, half the bars"}
MOST_BARS_NAMED = 64


class LayeredLoopView:
    """What the template asks for; a loop that is not under the stack shows only how to put it there."""

    def __init__(self, reader: Reader, song: LoadedSong, loop_id: int, loop_bars: int) -> None:
        found = next((one for one in song.layered_loops if one.id == loop_id), None)
        self.there = found is not None
        self.settings = found.settings if found else LayerSettings()
        self.speeds = list(SPEED_WORDS.items())
        bars = min(song.pattern.bars, MOST_BARS_NAMED)
        self.from_bars = _with(self.settings.from_bar, [(bar, f"{bar}") for bar in range(1, bars + 1)])
        self.to_bars = _with(self.settings.to_bar, [(0, "the end"), *((bar, f"{bar}") for bar in range(1, bars + 1))])
        self.sections = [("", "the bars below"), *((row.id, row.name) for row in song.sections)]
        bar_ticks = song.metre.bar_ticks
        turns = [(0, f"its own, {loop_bars} bar{'s' if loop_bars != 1 else ''}")]
        turns += [(EIGHTH * count, f"{count} eighth{'s' if count != 1 else ''}") for count in (1, 2, 3, 5, 6, 7, 9)]
        turns += [(bar_ticks * count, f"{count} bar{'s' if count != 1 else ''}") for count in (1, 2, 4)]
        self.cycles = _with(self.settings.cycle_ticks, turns)
        beats = range(0, loop_bars * bar_ticks, song.metre.beat_ticks)
        self.starts = _with(self.settings.start_ticks, [(tick, place_name(tick, song.metre)) for tick in beats][:64])
        ducked = self.settings.duck_voices
        rails = [*song.part.voices, *(voice for voice in ducked if voice not in song.part.voices)]
        self.voices = [(voice, voice_title(song.kit, voice), voice in ducked) for voice in rails]
        self.grooves = groove_names(reader) if self.settings.to == "groove" else []
        self.chosen: dict[str, object] = {
            **{
                name: getattr(self.settings, name)
                for name in ("how", "speed", "from_bar", "to_bar", "cycle_ticks", "start_ticks")
            },
            "section_id": (found.section_id if found else None) or "",
            "to": self.settings.to,
            "template_id": found.template_id if found else None,
        }


def _with(value: Any, options: list[tuple[Any, str]]) -> list[tuple[Any, str]]:
    """The options, and the value that was set elsewhere if it is none of them."""
    return options if any(value == one for one, _ in options) else [*options, (value, f"{value}")]
