"""Groove templates as MIDI: a note for every slot of every lane, where the groove has it and as loud as its accent."""

from __future__ import annotations

import io
import json
from pathlib import PurePath

import mido
import numpy as np

from easy_pocket.core.errors import PocketError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.feel.template_edits import template_from_performance
from easy_pocket.core.formats.groove_json import dump_template, load_template
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.formats.registry import Format, NoOptions, Written, register
from easy_pocket.core.pattern.pattern import Hit, Pattern

LANE_VOICES = {"low": "kick", "mid": "snare", "high": "hat_closed"}
TOLD = "easy-pocket-groove "
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
    notes = write_midi(performance, name=template.name, marker="groove", loop=True).data
    file = mido.MidiFile(file=io.BytesIO(notes))
    # What notes cannot say exactly: slots that are softer than a note can be, fractions of a tick, words.
    file.tracks[0].insert(0, mido.MetaMessage("text", text=TOLD + _plain(template)))
    found = io.BytesIO()
    file.save(file=found)
    return found.getvalue()


def _plain(template: GrooveTemplate) -> str:
    """As JSON in plain letters, whatever the encoding of a MIDI file's texts."""
    return json.dumps(json.loads(dump_template(template)), separators=(",", ":"))


def _told(data: bytes, name: str) -> GrooveTemplate | None:
    """The groove that one of our files tells; None where its notes were changed since, or there is none."""
    try:
        file = mido.MidiFile(file=io.BytesIO(data))
        texts = [one.text for one in file.tracks[0] if one.type == "text" and one.text.startswith(TOLD)]
        if not texts:
            return None
        template = load_template(texts[0].removeprefix(TOLD), name)
        again = mido.MidiFile(file=io.BytesIO(dump_groove_midi(template)))
    except (PocketError, OSError, ValueError, EOFError, IndexError, KeyError, TypeError, RecursionError):
        return None  # it is read as any file is, and refused there in words
    return template if _notes(file) == _notes(again) else None


def _notes(file: mido.MidiFile) -> list[tuple[int, int, int, int]]:
    """All that sounds: ticks at 960 a quarter, channel, note, velocity."""
    found = []
    for track in file.tracks:
        at = 0
        for one in track:
            at += one.time
            if one.type == "note_on" and one.velocity:
                found.append((at * 960 // file.ticks_per_beat, one.channel, one.note, one.velocity))
    return sorted(found)


def load_groove_midi(data: bytes, name: str) -> GrooveTemplate:
    """The groove of a MIDI beat's first bars (8 at most), on the grid its hits lie on; a groove of ours as it was."""
    if (known := _told(data, name)) is not None:
        return known
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
