"""The pocket in full: figures of one performance, of any of its hits, and its gap to another."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import PocketError
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.pocket import VoicePocket, pocket_by_voice
from easy_pocket.core.feel.timing_comparison import (
    Side,
    TimingComparison,
    VoiceComparison,
    comparison_by_voice,
    comparison_of_places,
    gap,
)
from easy_pocket.core.pattern.timebase import ms_per_tick, place_name
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.database import Reader
from easy_pocket.store.songs.comparison_sides import choices, side
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.bench.pocket_chart import MAX_DOTS, REACHES_MS, PocketRow, across, chart_row
from easy_pocket.web.screens.bench.rails_view import signed
from easy_pocket.web.shared.render import render

WORST = 24


@dataclass(frozen=True)
class ComparedRow:
    """A voice: its chart (dots of A, `other` those it is paired with), its figures, and how loud its slots are."""

    chart: PocketRow
    other: tuple[tuple[float, float], ...]
    count: int
    mean: str
    spread: str
    swing: str
    gap: str
    accents: tuple[tuple[float, float, str], ...]  # percent across, share of 127, words


@dataclass(frozen=True)
class WorstHit:
    voice: str
    tick: int
    words: str
    gap: str
    lean: str


@dataclass(frozen=True)
class Compared:
    """`table` is the figures as tab-separated text."""

    rows: tuple[ComparedRow, ...]
    reach_ms: int
    summary: str
    worst: tuple[WorstHit, ...]
    table: str


def pocket_page(reader: Reader, song: LoadedSong, one: str, other: str, places: list[tuple[str, int]]) -> str:
    """As HTML. What cannot be compared is said beside the choice; a side that is gone falls back to what is felt."""
    known = choices(reader, song)
    wrong, found = "", None
    if one not in dict(known):
        one, wrong = "felt", "What was side A is gone: the beat as it is felt stands there now."
    if other and other not in dict(known):
        other, wrong = "", "What was side B is gone: choose another."
    try:
        sides = [side(reader, song, key) for key in (one, other) if key]
        order = song.part.voices
        found = compared(sides[0], sides[1] if other else None, order, set(places), song.part.step_ticks)
    except PocketError as error:
        wrong = str(error)
    scope_name = f"{len(places)} chosen hits." if places else "All hits, against the straight grid."
    values = {"choices": known, "one": one, "other": other, "found": found, "wrong": wrong, "whose": scope_name}
    return render("bench/_pocket_compare.html", **values)


def voice_words(voice: str) -> str:
    return ROLES[voice].name if voice in ROLES else f"{voice} hits"


def compared(
    one: tuple[Side, Performance],
    other: tuple[Side, Performance] | None,
    order: Iterable[str],
    places: set[tuple[str, int]],
    step_ticks: int,
) -> Compared:
    """The figures of one side (of the hits in `places` only, when there are any), and its gap to the other one."""
    mine, performance = one
    tempo_bpm = performance.tempo_bpm
    pockets = {row.voice: row for row in pocket_by_voice(performance, _chosen(performance, places), step_ticks)}
    known = list(order)
    voices = [*(v for v in known if v in pockets), *(v for v in pockets if v not in known)]
    found, gaps = None, {}
    if other:
        found = comparison_of_places(mine, gap(mine, other[0], step_ticks / 2 * ms_per_tick(tempo_bpm)), places)
        gaps = {row.voice: row for row in comparison_by_voice(mine, found, tempo_bpm)}
    drawn_ms = [ms for voice in voices for ms in pockets[voice].offsets_ms]
    drawn_ms += [ms for row in gaps.values() for ms in row.other_ms.tolist()]
    furthest = max(map(abs, drawn_ms), default=0.0)
    reach = next((reach for reach in REACHES_MS if furthest <= reach), REACHES_MS[-1])
    rows = tuple(_row(pockets[voice], gaps.get(voice), reach) for voice in voices)
    return Compared(
        rows,
        reach,
        _summary(found, other[0].name) if found and other else "",
        _worst(found, mine, other[0], performance) if found and other else (),
        _table(rows, pockets, voices),
    )


def _chosen(performance: Performance, places: set[tuple[str, int]]) -> npt.NDArray[np.bool_] | None:
    if not places:
        return None
    hits = performance.hits
    return np.array([(hits.voices[v], t) in places for v, t in zip(hits.voice_index, hits.tick.tolist(), strict=True)])


def _row(pocket: VoicePocket, voice_gap: VoiceComparison | None, reach: int) -> ComparedRow:
    other_ms = voice_gap.other_ms if voice_gap else np.zeros(0)
    step = max(1, len(other_ms) // MAX_DOTS)
    slots = len(pocket.accents)
    accents = tuple(
        (round(100 * (slot + 0.5) / slots, 2), round(loud / 127, 3), f"slot {slot + 1}: {loud:.0f}")
        for slot, loud in enumerate(pocket.accents)
        if not math.isnan(loud)
    )
    return ComparedRow(
        chart=chart_row(pocket, reach, voice_words(pocket.voice)),
        other=tuple((x, 50.0) for x in across(other_ms[::step], reach)),
        count=pocket.count,
        mean=signed(pocket.mean_ms),
        spread=f"{pocket.spread_ms:.1f}",
        swing="–" if pocket.swing is None else f"{pocket.swing.percent:.1f}",
        gap=signed(voice_gap.mean_ms) if voice_gap else "–",
        accents=accents,
    )


def _summary(found: TimingComparison, name: str) -> str:
    if found.mean_ms is None:
        return f"No hit has one of {name} within half a slot."
    behind = "behind" if found.mean_ms > 0 else "ahead"
    leans = "neither ahead nor behind" if abs(found.mean_ms) < 0.05 else f"{abs(found.mean_ms):.1f} ms {behind}"
    words = f"{len(found.a)} pairs, {found.mean_size_ms:.1f} ms apart on average, {name} {leans}"
    alone = len(found.only_a)
    return words + (f"; {alone} without a counterpart" if alone else "")


def _worst(found: TimingComparison, one: Side, other: Side, performance: Performance) -> tuple[WorstHit, ...]:
    """The widest gaps by the hit that is written: that of the other side where the first is a loop."""
    side, pairs = (other, found.b) if one.heard and not other.heard else (one, found.a)
    listed = [pair for pair in found.worst(WORST).tolist() if abs(found.gap_ms[pair]) >= 0.05]
    hits = [(side.voices[side.voice_index[pairs[pair]]], int(side.tick[pairs[pair]])) for pair in listed]
    return tuple(
        WorstHit(
            voice=voice,
            tick=tick,
            words=f"{voice_words(voice)} {place_name(tick, performance.metre)}",
            gap=signed(float(found.gap_ms[pair])),
            lean="late" if found.gap_ms[pair] > 0 else "early",
        )
        for pair, (voice, tick) in zip(listed, hits, strict=True)
    )


def _table(rows: Iterable[ComparedRow], pockets: dict[str, VoicePocket], voices: list[str]) -> str:
    lines = ["voice\thits\tmean ms\tspread ms\tswing %\tgap ms\taccents by slot"]
    for row, voice in zip(rows, voices, strict=True):
        accents = " ".join("." if math.isnan(loud) else f"{loud:.0f}" for loud in pockets[voice].accents)
        figures = [row.mean.replace("−", "-"), row.spread, row.swing, row.gap.replace("−", "-"), accents]
        lines.append("\t".join([voice_words(voice), str(row.count), *figures]).replace("–", ""))
    return "\n".join(lines)
