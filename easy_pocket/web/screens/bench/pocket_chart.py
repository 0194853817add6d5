"""The pocket chart: per voice every offset as a dot, the mean as a diamond, the figures beside."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from markupsafe import Markup

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.pocket import SwingMeasure, VoicePocket, measure_swing, pocket_by_voice
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.bench.rails_view import ON_GRID_MS, signed
from easy_pocket.web.shared.render import render

MAX_DOTS = 64
REACHES_MS = (10, 20, 30, 40, 60, 80, 120, 160, 300)


@dataclass(frozen=True)
class PocketRow:
    name: str
    dots: tuple[tuple[float, float], ...]  # percent across and down in the row
    mean_x: float
    lean: str
    words: str

    @property
    def drawn(self) -> Markup:
        """The dots as SVG: strokes of no length with round ends, all of them one path, for they are drawn anew many
        times a second."""
        path = "".join(f"M{x:g} {y:g}h0" for x, y in self.dots)
        box = '<svg width="100%" height="100%" viewBox="0 0 100 100" preserveAspectRatio="none">'
        return Markup(f'{box}<path class="dots" d="{path}"/></svg>')  # numbers of ours, nothing to escape


@dataclass(frozen=True)
class PocketChart:
    rows: tuple[PocketRow, ...]
    reach_ms: int
    swing: str


def pocket_piece(song: LoadedSong) -> str:
    """The chart beside the rails, as HTML."""
    return render("bench/_pocket.html", chart=pocket_chart(song.performance(), list(song.part.voices)))


def pocket_chart(performance: Performance, order: list[str]) -> PocketChart:
    """Offsets of the voices in the part's order; the scale is the smallest that holds them all."""
    pockets = {row.voice: row for row in pocket_by_voice(performance)}
    furthest = max((max(map(abs, row.offsets_ms)) for row in pockets.values()), default=0.0)
    reach = next((reach for reach in REACHES_MS if furthest <= reach), REACHES_MS[-1])
    rows = tuple(chart_row(pockets[voice], reach, ROLES[voice].name) for voice in order if voice in pockets)
    return PocketChart(rows, reach, swing_words(measure_swing(performance) if len(performance.straight_ms) else None))


def chart_row(pocket: VoicePocket, reach_ms: int, name: str) -> PocketRow:
    step = max(1, len(pocket.offsets_ms) // MAX_DOTS)
    shown = np.array(pocket.offsets_ms[::step])
    dots = tuple(
        zip(across(shown, reach_ms), (30.0 + 40.0 * ((index * 7) % 5) / 4 for index in range(len(shown))), strict=True)
    )
    lean = "even" if abs(pocket.mean_ms) < ON_GRID_MS else ("late" if pocket.mean_ms > 0 else "early")
    words = f"{signed(pocket.mean_ms)} ±{pocket.spread_ms:.1f}"
    return PocketRow(name, dots, across(np.array([pocket.mean_ms]), reach_ms)[0], lean, words)


def across(offsets_ms: npt.NDArray[np.float64], reach_ms: int) -> list[float]:
    """Where offsets lie in the chart, in percent from the left."""
    placed: list[float] = np.round(50 + 48 * np.clip(offsets_ms / reach_ms, -1, 1), 2).tolist()
    return placed


def swing_words(swing: SwingMeasure | None) -> str:
    if swing is None:
        return "no off-beats"
    return f"{swing.percent:.1f} %" + (" of 8ths" if swing.unit == 8 else "")
