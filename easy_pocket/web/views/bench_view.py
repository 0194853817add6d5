"""The Bench as a whole, and the pieces of it an edit changes."""

from __future__ import annotations

from typing import Any

from easy_pocket.core.perform import Performance, perform
from easy_pocket.core.sound.events import audible
from easy_pocket.core.timebase import GRID_NAMES, GRID_TICKS
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.edit_requests import View
from easy_pocket.web.render import render
from easy_pocket.web.views.feel_panel import feel_panel
from easy_pocket.web.views.place import Window, fit_window, grid_lines
from easy_pocket.web.views.pocket_chart import pocket_chart
from easy_pocket.web.views.rails import rails


class BenchView:
    """Everything the Bench's templates ask for; `only` limits which rails are drawn."""

    def __init__(self, song: LoadedSong, view: View, only: set[str] | None = None) -> None:
        self.song = song
        self.view = view
        self.only = only
        self.window: Window = fit_window(song.metre, song.pattern.length_ticks, view.from_bar, view.bars)
        self.performance: Performance = perform(song.pattern, song.feel, tempo_bpm=song.row.tempo_bpm)
        voices = tuple(song.part.voices)
        shown = [voice for voice in voices if only is None or voice in only]
        sounding = audible(voices, song.mix)
        self.rails = rails(shown, self.performance, self.window, view.magnify, song.mix, sounding, song.kit)
        self.lines = grid_lines(self.window, song.part.step_ticks)
        self.grid_name = next(
            (GRID_NAMES[key] for key, ticks in GRID_TICKS.items() if ticks == song.part.step_ticks), ""
        )
        self.panel = feel_panel(song, view.scope)
        self.addable = [(voice.role, voice.title) for voice in song.kit.voices if voice.role not in voices]
        self.takeable = set(voices) - set(song.pattern.arrays.voices)

    def pieces(self) -> dict[str, str]:
        """HTML by element id: the rails drawn (with ruler and tools when all are), chart and panel."""
        values: dict[str, Any] = {"bench": self, "song": self.song}
        if self.only is None:
            pieces = {"rails": render("_rails.html", **values), "tools": render("_tools.html", **values)}
        else:
            pieces = {f"rail-{rail.voice}": render("_rail.html", rail=rail, **values) for rail in self.rails}
        pieces["pocket"] = self.pocket()
        pieces["feel"] = render("_feel.html", panel=self.panel, song=self.song)
        return pieces

    def pocket(self) -> str:
        chart = pocket_chart(self.performance, list(self.song.part.voices))
        return render("_pocket.html", chart=chart)
