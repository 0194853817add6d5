"""Groove templates as MIDI: a note for every slot of every lane, where the groove has it and as loud as its accent."""

from __future__ import annotations

from pathlib import PurePath

import numpy as np

from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.feel.template_edits import template_from_performance
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.formats.registry import Format, NoOptions, Written, register
from easy_pocket.core.pattern.pattern import Hit, Pattern

LANE_VOICES = {"low": "kick", "mid": "snare", "high": "hat_closed"}
ONLY_VOICE = "hat_closed"  # speaks for a groove that has no lanes but "all"


def dump_groove_midi(template: GrooveTemplate) -> bytes:
    """Low, mid and high lanes as kick, snare and closed hat; a groove with one line only as closed hat."""
    lanes = {LANE_VOICES[name]: lane for name, lane in template.lanes.items() if name in LANE_VOICES}
    lanes = lanes or {ONLY_VOICE: template.lanes["all"]}
    bar_ticks = template.metre.bar_ticks
    length = template.bars * bar_ticks
    hits = []
    for voice, lane in lanes.items():
        ticks = np.rint(np.arange(len(lane.offset_ms)) * bar_ticks / template.slots_per_bar).astype(int)
        for tick, offset_ms, accent in zip(ticks.tolist(), lane.offset_ms, lane.accent, strict=True):
            hits.append(Hit(voice, tick, max(1, round(127 * accent)), offset_ms))
    performance = perform(Pattern(length, tuple(hits), template.metre), tempo_bpm=template.tempo_bpm)
    return write_midi(performance, name=template.name, marker="groove", loop=True).data


def load_groove_midi(data: bytes, name: str) -> GrooveTemplate:
    """The groove of a MIDI beat's first bars (8 at most), on the grid its hits lie on."""
    beat = read_midi(data, name)
    performance = perform(beat.pattern, tempo_bpm=beat.tempo_bpm)
    step = grid_of(beat.pattern)
    bars = min(beat.pattern.bars, 8)
    return template_from_performance(performance, PurePath(name).stem[:80], name, step_ticks=step, bars=bars)


def grid_of(pattern: Pattern) -> int:
    """The coarsest grid most hits (nineteen in twenty) are written on, 16ths when none is."""
    tick = pattern.arrays.tick
    grids = [step for step in (480, 320, 240, 160, 120) if pattern.metre.bar_ticks % step == 0]
    return next((step for step in grids if (tick % step == 0).mean() >= 0.95), 240)


def write(given: GrooveTemplate, _options: NoOptions) -> Written:
    """Write a groove as notes."""
    return Written(dump_groove_midi(given))


register(
    Format(
        "groove",
        "midi",
        "MIDI",
        (".mid", ".midi"),
        "audio/midi",
        "a note for each slot",
        write=write,
        read=load_groove_midi,
    )
)
