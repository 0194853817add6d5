"""The pocket in full: figures of one performance, of any of its hits, and its gap to another."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from sqlalchemy.orm import Session

from easy_pocket.core.errors import PocketError
from easy_pocket.core.gap import Gap, Side, gap
from easy_pocket.core.perform import Performance
from easy_pocket.core.pocket import VoicePocket, pocket_by_voice
from easy_pocket.core.timebase import ms_per_tick, place_name
from easy_pocket.core.voices import ROLES
from easy_pocket.store.pocket_sides import choices, side
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.render import render
from easy_pocket.web.views.pocket_chart import REACHES_MS, PocketRow, chart_row
from easy_pocket.web.views.rails import signed

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


def pocket_page(session: Session, song: LoadedSong, one: str, other: str, places: list[tuple[str, int]]) -> str:
    """As HTML. What cannot be compared is said beside the choice; a side that is gone falls back to what is felt."""
    known = choices(session, song)
    wrong, found = "", None
    if one not in dict(known):
        one, wrong = "felt", "What was side A is gone: the beat as it is felt stands there now."
    if other and other not in dict(known):
        other, wrong = "", "What was side B is gone: choose another."
    try:
        sides = [side(session, song, key) for key in (one, other) if key]
        order = song.part.voices
        found = compared(sides[0], sides[1] if other else None, order, set(places), song.part.step_ticks)
    except PocketError as error:
        wrong = str(error)
    whose = f"{len(places)} chosen hits." if places else "All hits, against the straight grid."
    values = {"choices": known, "one": one, "other": other, "found": found, "wrong": wrong, "whose": whose}
    return render("_pocket_compare.html", **values)


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
    chosen = _chosen(performance, places)
    pockets = {row.voice: row for row in pocket_by_voice(performance, chosen, step_ticks)}
    known = list(order)
    voices = [*(v for v in known if v in pockets), *(v for v in pockets if v not in known)]
    half_slot_ms = step_ticks / 2 * ms_per_tick(performance.tempo_bpm)
    found = gap(mine, other[0], half_slot_ms) if other else None
    kept = _kept(mine, found, places) if found else None
    offsets_ms = _offsets(mine, performance.tempo_bpm)
    theirs = {
        voice: offsets_ms[found.a[own]] + found.gap_ms[own] if found is not None and kept is not None else np.zeros(0)
        for voice in voices
        for own in [_of_voice(mine, found, voice, kept)]
    }
    furthest = max((max(map(abs, pockets[voice].offsets_ms)) for voice in voices), default=0.0)
    furthest = max(furthest, max((float(np.abs(ms).max(initial=0)) for ms in theirs.values()), default=0.0))
    reach = next((reach for reach in REACHES_MS if furthest <= reach), REACHES_MS[-1])
    rows = tuple(_row(pockets[voice], theirs[voice], reach, _gap_words(mine, found, voice, kept)) for voice in voices)
    return Compared(
        rows,
        reach,
        _summary(found, kept, other[0].name if other else ""),
        _worst(mine, found, kept, performance),
        _table(rows, pockets, voices),
    )


def _chosen(performance: Performance, places: set[tuple[str, int]]) -> np.ndarray | None:
    if not places:
        return None
    hits = performance.hits
    return np.array([(hits.voices[v], t) in places for v, t in zip(hits.voice_index, hits.tick.tolist(), strict=True)])


def _kept(side: Side, found: Gap, places: set[tuple[str, int]]) -> np.ndarray:
    """Which pairs count: all, or those of chosen hits."""
    if not places or side.heard:
        return np.ones(len(found.a), dtype=bool)
    return np.array([(side.voices[side.voice_index[a]], int(side.tick[a])) in places for a in found.a], dtype=bool)


def _of_voice(side: Side, found: Gap | None, voice: str, kept: np.ndarray | None) -> np.ndarray:
    if found is None or kept is None or voice not in side.voices:
        return np.zeros(0, dtype=bool)
    return np.asarray(kept & (side.voice_index[found.a] == side.voices.index(voice)))


def _offsets(side: Side, tempo_bpm: float) -> np.ndarray:
    away = side.time_ms - side.tick * ms_per_tick(tempo_bpm)
    return np.asarray((away + side.length_ms / 2) % side.length_ms - side.length_ms / 2)


def _row(pocket: VoicePocket, theirs: np.ndarray, reach: int, gap_words: str) -> ComparedRow:
    chart = chart_row(pocket, reach, voice_words(pocket.voice))
    step = max(1, len(theirs) // 64)
    across = np.round(50 + 48 * np.clip(theirs[::step] / reach, -1, 1), 2).tolist()
    slots = len(pocket.accents)
    accents = tuple(
        (round(100 * (slot + 0.5) / slots, 2), round(loud / 127, 3), f"slot {slot + 1}: {loud:.0f}")
        for slot, loud in enumerate(pocket.accents)
        if not math.isnan(loud)
    )
    return ComparedRow(
        chart=chart,
        other=tuple((x, 50.0) for x in across),
        count=pocket.count,
        mean=signed(pocket.mean_ms),
        spread=f"{pocket.spread_ms:.1f}",
        swing="–" if pocket.swing is None else f"{pocket.swing.percent:.1f}",
        gap=gap_words,
        accents=accents,
    )


def _gap_words(side: Side, found: Gap | None, voice: str, kept: np.ndarray | None) -> str:
    mine = _of_voice(side, found, voice, kept)
    return signed(float(found.gap_ms[mine].mean())) if found is not None and mine.any() else "–"


def _summary(found: Gap | None, kept: np.ndarray | None, name: str) -> str:
    if found is None or kept is None:
        return ""
    if not kept.any():
        return f"No hit has one of {name} within half a slot."
    size = float(np.abs(found.gap_ms[kept]).mean())
    alone = len(found.only_a)
    words = f"{int(kept.sum())} pairs, {size:.1f} ms apart on average, {name} {_leans(found.gap_ms[kept])}"
    return words + (f"; {alone} without a counterpart" if alone else "")


def _leans(gap_ms: np.ndarray) -> str:
    mean = float(gap_ms.mean())
    return (
        "neither before nor behind" if abs(mean) < 0.05 else f"{abs(mean):.1f} ms {'behind' if mean > 0 else 'ahead'}"
    )


def _worst(side: Side, found: Gap | None, kept: np.ndarray | None, performance: Performance) -> tuple[WorstHit, ...]:
    if found is None or kept is None:
        return ()
    listed = [pair for pair in found.worst(len(found.a)).tolist() if kept[pair] and abs(found.gap_ms[pair]) >= 0.05]
    return tuple(
        WorstHit(
            voice=side.voices[side.voice_index[found.a[pair]]],
            tick=int(side.tick[found.a[pair]]),
            words=f"{voice_words(side.voices[side.voice_index[found.a[pair]]])} "
            f"{place_name(int(side.tick[found.a[pair]]), performance.metre)}",
            gap=signed(float(found.gap_ms[pair])),
            lean="late" if found.gap_ms[pair] > 0 else "early",
        )
        for pair in listed[:WORST]
    )


def _table(rows: Iterable[ComparedRow], pockets: dict[str, VoicePocket], voices: list[str]) -> str:
    lines = ["voice\thits\tmean ms\tspread ms\tswing %\tgap ms\taccents by slot"]
    for row, voice in zip(rows, voices, strict=True):
        accents = " ".join("." if math.isnan(loud) else f"{loud:.0f}" for loud in pockets[voice].accents)
        figures = [row.mean.replace("−", "-"), row.spread, row.swing, row.gap.replace("−", "-"), accents]
        lines.append("\t".join([voice_words(voice), str(row.count), *figures]).replace("–", ""))
    return "\n".join(lines)
