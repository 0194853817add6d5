"""What was heard in a loop, as the JSON that `easy-pocket listen` prints."""

from __future__ import annotations

from typing import Any

import numpy as np

from easy_pocket.core.listen.groove import extract_template, found_swing_percent
from easy_pocket.core.listen.loop_analysis import LoopAnalysis
from easy_pocket.core.listen.onsets import Onsets

GROUPS = ("low", "mid", "high")


def group_names(onsets: Onsets) -> list[str]:
    """The band group each hit mostly belongs to."""
    return [GROUPS[index] for index in onsets.bands.argmax(axis=1)]


def analysis_doc(heard: LoopAnalysis, name: str) -> dict[str, Any]:
    """Tempo in quarter notes; offsets in ms against the straight grid at that tempo, None where nothing is known."""
    reading, onsets = heard.reading, heard.onsets
    template = extract_template(onsets, reading, name)
    lane = template.lanes["all"]
    known = [any(not g for g in lane.guessed[slot % 2 :: 2]) for slot in range(len(lane.guessed))]
    whole_bars = np.arange(reading.bars + 1) * reading.slots_per_bar
    swing_percent = found_swing_percent(onsets, reading)
    return {
        "tempo_bpm": round(reading.tempo_bpm, 4),
        "beats_per_bar": reading.metre.beats,
        "beat_unit": reading.metre.unit,
        "bars": reading.bars,
        "bar_one_s": round(reading.bar_one_s, 6),
        "bar_lines_s": [round(float(line_s), 6) for line_s in reading.time_at(whole_bars)],
        "confidence": round(reading.confidence, 3),
        "swing_percent": None if swing_percent is None else round(swing_percent, 2),
        "onsets": [
            {"time_s": round(time_s, 6), "strength": round(strength, 4), "group": group}
            for time_s, strength, group in zip(
                onsets.time_s.tolist(), onsets.level.tolist(), group_names(onsets), strict=True
            )
        ],
        "template": {
            "slots_per_bar": template.slots_per_bar,
            "offsets_ms": [
                round(offset, 3) if there else None for offset, there in zip(lane.offset_ms, known, strict=True)
            ],
            "accents": [round(accent, 4) if there else None for accent, there in zip(lane.accent, known, strict=True)],
            "guessed": list(lane.guessed),
        },
    }
