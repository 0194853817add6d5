"""The Bench as a whole, and the fragments of it an edit changes."""

from __future__ import annotations

from functools import cached_property

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.pattern.timebase import GRID_NAMES, GRID_TICKS
from easy_pocket.store.database import Reader
from easy_pocket.store.grooves.templates import groove_names
from easy_pocket.store.kits.kits import kit_names
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.bench.feel_panel import feel_panel
from easy_pocket.web.screens.bench.other_parts import PartGroup, part_groups
from easy_pocket.web.screens.bench.pocket_chart import pocket_piece
from easy_pocket.web.screens.bench.rail_heads import Rail
from easy_pocket.web.screens.bench.rails_view import rail_data
from easy_pocket.web.screens.bench.shapes import RailData
from easy_pocket.web.screens.song.part_description import part_words
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
        if len(self.song.parts) > 1 or len(self.patterns) > 1:
            part = next(part for part in self.song.parts if part.id == self.song.part.id)
            return part_words(part, self.song)
        bars = self.song.pattern.bars
        return f"{bars} bar{'s' if bars != 1 else ''} · {self.grid_name}"

    @cached_property
    def groups(self) -> list[PartGroup]:
        """All parts in their order, the written one among them."""
        return part_groups(self.song, self.part_words)

    @property
    def rails(self) -> list[Rail]:
        """Of the written part."""
        return next(group.rails for group in self.groups if group.own)

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
        values: dict[str, object] = {"bench": self, "song": self.song}
        fragments = {"pocket": self.pocket()}
        if only is None:
            fragments |= {
                "rails": render("bench/_rails.html", **values),
                "tools": render("bench/_tools.html", **values),
            }
            fragments["feel"] = render("bench/_feel.html", panel=self.panel, song=self.song)
        else:
            group = next(group for group in self.groups if group.own)
            for rail in group.rails:
                if rail.voice in only:
                    fragments[f"head-{rail.voice}"] = render("bench/_rail_head.html", rail=rail, group=group, **values)
        return fragments

    def felt_fragments(self) -> dict[str, str]:
        """What a change of the feel changes, besides the hits."""
        return {"pocket": self.pocket(), "feel": render("bench/_feel.html", panel=self.panel, song=self.song)}

    def pocket(self) -> str:
        return pocket_piece(self.song)
