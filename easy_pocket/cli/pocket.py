"""`easy-pocket pocket`: where the hits of a beat sit, and how far they are from those of another or of a loop."""

from __future__ import annotations

import argparse
import json
import math
from typing import Any

from easy_pocket.cli.files import file_name, listen, read_beat
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import Performance, perform
from easy_pocket.core.feel.pocket import SwingMeasure, measure_swing, pocket_by_voice
from easy_pocket.core.feel.timing_comparison import Side, TimingComparison, gap, side_of
from easy_pocket.core.listen.loop_side import loop_performance, side_of_loop
from easy_pocket.core.pattern.timebase import GRID_TICKS, ms_per_tick, place_name

WORST = 12


def add(commands: Any) -> None:
    measure = commands.add_parser("pocket")
    measure.add_argument("one", metavar="A.mid")
    measure.add_argument("other", metavar="B.mid|LOOP", nargs="?", help="a beat or an audio loop to compare with")
    measure.add_argument("--grid", choices=tuple(GRID_TICKS), default="16", help="what a slot is (default 16)")
    measure.add_argument("--json", action="store_true", help="print everything as JSON")
    measure.set_defaults(run=run_pocket)


def _side(path: str, tempo_bpm: float | None) -> tuple[Side, Performance]:
    """A file as one side, at a tempo (default: its own)."""
    name = file_name(path)
    if name.lower().endswith((".mid", ".midi")):
        beat = read_beat(path)
        performance = perform(beat.pattern, tempo_bpm=tempo_bpm or beat.tempo_bpm)
        return side_of(performance, name), performance
    heard = listen(path)
    tempo = tempo_bpm or heard.reading.tempo_bpm
    return (
        side_of_loop(heard.onsets, heard.reading, name, tempo),
        loop_performance(heard.onsets, heard.reading, tempo),
    )


def run_pocket(chosen: argparse.Namespace) -> None:
    step_ticks = GRID_TICKS[chosen.grid]
    one, performance = _side(chosen.one, None)
    doc: dict[str, Any] = {"a": _figures(one, performance, step_ticks)}
    if chosen.other:
        other, theirs = _side(chosen.other, performance.tempo_bpm)
        if not len(other.time_ms):
            raise BadValueError(f"{other.name} holds no hits to compare with.")
        doc["b"] = _figures(other, theirs, step_ticks)
        found = gap(one, other, step_ticks / 2 * ms_per_tick(performance.tempo_bpm))
        doc["gap"] = _gap_doc(one, other, found, performance)
    if chosen.json:
        print(json.dumps(doc))
        return
    for side in ("a", "b"):
        for line in _lines(doc.get(side)):
            print(line)
    for line in _gap_lines(doc.get("gap")):
        print(line)


def _swing_doc(swing: SwingMeasure | None) -> dict[str, float] | None:
    return None if swing is None else {"percent": round(swing.percent, 3), "unit": swing.unit, "ratio": swing.ratio}


def _figures(side: Side, performance: Performance, step_ticks: int) -> dict[str, Any]:
    return {
        "name": side.name,
        "tempo_bpm": performance.tempo_bpm,
        "swing": _swing_doc(measure_swing(performance)),
        "voices": [
            {
                "voice": row.voice,
                "hits": row.count,
                "mean_ms": row.mean_ms,
                "spread_ms": row.spread_ms,
                "swing": _swing_doc(row.swing),
                "accents": [None if math.isnan(loud) else round(loud, 2) for loud in row.accents],
            }
            for row in pocket_by_voice(performance, step_ticks=step_ticks)
        ],
    }


def _gap_doc(one: Side, other: Side, found: TimingComparison, performance: Performance) -> dict[str, Any]:
    def hit(side: Side, index: int) -> dict[str, object]:
        voice = side.voices[side.voice_index[index]]
        tick = int(side.tick[index])
        return {"voice": voice, "tick": tick, "place": place_name(tick, performance.metre)}

    return {
        "pairs": len(found.gap_ms),
        "mean_ms": found.mean_ms,
        "mean_size_ms": found.mean_size_ms,
        "only_a": [hit(one, index) for index in found.only_a.tolist()],
        "only_b": [hit(other, index) for index in found.only_b.tolist()],
        "worst": [
            {**hit(one, int(found.a[pair])), "gap_ms": float(found.gap_ms[pair])}
            for pair in found.worst(WORST).tolist()
        ],
    }


def _lines(figures: dict[str, Any] | None) -> list[str]:
    if figures is None:
        return []
    swing = figures["swing"]
    words = (
        f"swing {swing['percent']:.1f} % of {swing['unit']}ths ({swing['ratio']:.2f} : 1)" if swing else "no off-beats"
    )
    lines = [f"{figures['name']}: {figures['tempo_bpm']:.2f} bpm, {words}"]
    for row in figures["voices"]:
        own = f", swing {row['swing']['percent']:.1f} %" if row["swing"] else ""
        sits = f"mean {row['mean_ms']:+6.2f} ms  spread {row['spread_ms']:5.2f} ms{own}"
        lines.append(f"  {row['voice']:12} {row['hits']:4} hits  {sits}")
    return lines


def _gap_lines(found: dict[str, Any] | None) -> list[str]:
    if found is None:
        return []
    if not found["pairs"]:
        return ["gap: no hit of one has one of the other within half a slot"]
    lines = [
        f"gap: {found['pairs']} pairs, {found['mean_size_ms']:.2f} ms apart on average, B {found['mean_ms']:+.2f} ms; "
        f"{len(found['only_a'])} hits only in A, {len(found['only_b'])} only in B"
    ]
    return lines + [f"  {one['voice']:12} {one['place']:8} {one['gap_ms']:+7.2f} ms" for one in found["worst"]]
