"""The Bench as a whole, and the fragments of it an edit changes."""

from __future__ import annotations

from functools import cached_property
from typing import Any

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.pattern.timebase import GRID_NAMES, GRID_TICKS
from easy_pocket.core.song.cycles import describe_meeting
from easy_pocket.core.sound.events import audible
from easy_pocket.store.database import Reader
from easy_pocket.store.grooves.templates import groove_names
from easy_pocket.store.kits.kits import kit_names
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.bench.feel_panel import feel_panel
from easy_pocket.web.screens.bench.other_parts import other_heads
from easy_pocket.web.screens.bench.pocket_chart import pocket_piece
from easy_pocket.web.screens.bench.rails_view import rail_data, rail_heads
from easy_pocket.web.screens.bench.shapes import OtherHead, RailData
from easy_pocket.web.screens.song.part_description import cycles_of, part_words
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.render import render


class BenchView:
    """Everything the Bench's templates ask for."""

    def __init__(self, song: LoadedSong, view: View, reader: Reader) -> None:
        self.song = song
        self.view = view
        self.reader = reader
        self.performance: Performance = song.performance()
        voices = tuple(song.part.voices)
        self.rails = rail_heads(voices, song.mix, audible(voices, song.mix), song.kit)
        self.grid_name = next(
            (GRID_NAMES[key] for key, ticks in GRID_TICKS.items() if ticks == song.part.step_ticks), ""
        )
        self.panel = feel_panel(song, view.scope)
        self.addable = [(voice.role, voice.title) for voice in song.kit.voices if voice.role not in voices]
        self.takeable = set(voices) - set(song.pattern.arrays.voices)

    @property
    def patterns(self) -> list[tuple[int, str]]:
        """Of the selected part."""
        part = next(part for part in self.song.parts if part.id == self.song.part.id)
        return [(row.id, row.name) for row in part.patterns]

    @property
    def part_words(self) -> str:
        part = next(part for part in self.song.parts if part.id == self.song.part.id)
        return part_words(part, self.song)

    @cached_property
    def others(self) -> list[OtherHead]:
        """The other parts, for their heads."""
        return other_heads(self.song)

    @property
    def together(self) -> str:
        """When all parts begin together again, where there are several."""
        if len(self.song.parts) < 2:
            return ""
        return describe_meeting(cycles_of(self.song), self.song.metre)

    @property
    def groove_names(self) -> list[tuple[int, str]]:
        return groove_names(self.reader)

    @cached_property
    def kit_names(self) -> dict[str, str]:
        return kit_names(self.reader)

    @property
    def length_words(self) -> str:
        bars = self.song.pattern.length_ticks / self.song.metre.bar_ticks
        return f"{bars:.3g} bar{'s' if bars != 1 else ''}"

    @property
    def length_steps(self) -> str:
        return f"{self.song.pattern.length_ticks / self.song.part.step_ticks:g}"

    def rail_data(self, only: frozenset[str] | None = None) -> RailData:
        return rail_data(self.song, self.performance, only)

    def fragments(self, only: frozenset[str] | None = None) -> dict[str, str]:
        """HTML by element id. When only hits of some voices changed, their heads stay as they are but for what hangs
        on whether a row has hits."""
        values: dict[str, Any] = {"bench": self, "song": self.song}
        fragments = {"pocket": self.pocket()}
        if only is None:
            fragments |= {
                "rails": render("bench/_rails.html", **values),
                "tools": render("bench/_tools.html", **values),
            }
            fragments["feel"] = render("bench/_feel.html", panel=self.panel, song=self.song)
        else:
            for rail in self.rails:
                if rail.voice in only:
                    fragments[f"head-{rail.voice}"] = render("bench/_rail_head.html", rail=rail, **values)
        return fragments

    def felt_fragments(self) -> dict[str, str]:
        """What a change of the feel changes, besides the hits."""
        return {"pocket": self.pocket(), "feel": render("bench/_feel.html", panel=self.panel, song=self.song)}

    def pocket(self) -> str:
        return pocket_piece(self.song)
