"""What moved each hit, as plain JSON values: for the command line and for programs."""

from __future__ import annotations

from typing import Any

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.stages import TIME_STAGES, VELOCITY_STAGES
from easy_pocket.core.pattern.timebase import place_name


def ledger_doc(performance: Performance) -> dict[str, Any]:
    """Every hit with what moved it: straight_ms + the sum of amounts_ms is played_ms."""
    return {
        "tempo_bpm": performance.tempo_bpm,
        "metre": str(performance.metre),
        "stages_ms": list(TIME_STAGES),
        "stages_velocity": list(VELOCITY_STAGES),
        "hits": [_line(performance, index) for index in range(len(performance.hits.tick))],
    }


def _line(performance: Performance, index: int) -> dict[str, object]:
    line, metre = performance.ledger(index), performance.metre
    bar, inside = divmod(line.tick, metre.bar_ticks)
    return {
        "voice": line.voice,
        "place": place_name(line.tick, metre),
        "bar": bar + 1,
        "beat": inside // metre.beat_ticks + 1,
        "tick": line.tick,
        "straight_ms": line.straight_ms,
        "played_ms": line.played_ms,
        "amounts_ms": {stage: ms for stage, ms in line.amounts_ms.items() if ms},
        "written_velocity": line.written_velocity,
        "velocity": line.velocity,
        "sounds": performance.heard is None or bool(performance.heard[index]),
        "amounts_velocity": {stage: steps for stage, steps in line.amounts_velocity.items() if steps},
    }
