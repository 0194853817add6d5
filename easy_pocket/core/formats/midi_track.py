"""Strokes as a track of a MIDI file: notes on channel 10, and on request the hat's pedal and ornaments in words."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import mido
import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.strokes import Strokes
from easy_pocket.core.formats.exchange import PartLine
from easy_pocket.core.formats.midi_drums import PEDAL
from easy_pocket.core.formats.midi_text import to_midi
from easy_pocket.core.formats.note_map import PERCUSSION_CHANNEL, note_of_voice
from easy_pocket.core.pattern.articulation import Articulation

Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]
NOTE_TICKS = 60
PEDAL_OF = {"hat_closed": 127, "hat_pedal": 127, "hat_open": 0}
LEADS_TO = ("flam", "drag")  # their last stroke is the hit itself


@dataclass(frozen=True)
class Manner:
    """What a file says beyond notes.

    pedal: controller 4 says before each hat how far down it is. ornaments: flams, drags, ratchets and rolls as
    the single "notes" they are, or as one note and "text".
    """

    pedal: bool = False
    ornaments: Literal["notes", "text"] = "notes"


def note_track(line: PartLine, ticks: Ints, end: int, written: Bools, manner: Manner) -> mido.MidiTrack:
    """The strokes that are written, each note ended before the next of its kind begins.

    Parameters
    ----------
    line
        Hits, strokes and notes of a part.
    ticks
        Where each stroke falls, shape (strokes,).
    end
        Where the track ends, in ticks; notes before it end there at the latest.
    written
        Which strokes are written, shape (strokes,).
    manner
        How pedals and ornaments are written.

    Returns
    -------
    mido.MidiTrack
        Named, with its end.
    """
    voices, struck = line.hits.voices, line.struck
    texts: dict[int, str] = {}
    if manner.ornaments == "text":
        texts = _ornaments(line, struck)
        ornate = np.isin(struck.hit, [index for index, one in line.hits.articulated if one.ornament])
        written = written & (~ornate | np.isin(np.arange(len(ticks)), list(texts)))
    numbers = [line.note_map.get(voice, note_of_voice(voice)) for voice in voices]
    chosen = np.flatnonzero(written)
    chosen = chosen[np.argsort(ticks[chosen], kind="stable")]
    events: list[tuple[int, int, mido.Message]] = []
    next_on: dict[int, int] = {}
    for stroke in chosen[::-1].tolist():  # backwards, so that a note ends before the next of its kind begins
        voice, tick = voices[line.hits.voice_index[struck.hit[stroke]]], int(ticks[stroke])
        number = numbers[line.hits.voice_index[struck.hit[stroke]]]
        off = min(tick + NOTE_TICKS, max(next_on.get(number, max(end, tick + 1)), tick + 1))
        next_on[number] = tick
        if manner.pedal and voice in PEDAL_OF:
            events.append((tick, 1, _message("control_change", control=PEDAL, value=PEDAL_OF[voice])))
        if stroke in texts:
            events.append((tick, 1, mido.MetaMessage("text", text=texts[stroke])))
        events.append((tick, 2, _message("note_on", note=number, velocity=int(struck.velocity[stroke]))))
        events.append((off, 0, _message("note_off", note=number, velocity=0)))
    events.sort(key=lambda event: (event[0], event[1], getattr(event[2], "note", 0)))
    track = mido.MidiTrack([mido.MetaMessage("track_name", name=to_midi(line.name), time=0)])
    now = 0
    for tick, _, message in events:
        message.time = tick - now
        track.append(message)
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=max(end - now, 0)))
    return track


def _message(kind: str, **values: int) -> mido.Message:
    return mido.Message(kind, channel=PERCUSSION_CHANNEL, **values)


def _ornaments(line: PartLine, struck: Strokes) -> dict[int, str]:
    """By the stroke that stands for it, what each ornamented hit is called."""
    found: dict[int, str] = {}
    for index, one in line.hits.articulated:
        mine = np.flatnonzero(struck.hit == index)
        if one.ornament and len(mine):
            mine = mine[np.argsort(struck.time_ms[mine], kind="stable")]
            found[int(mine[-1 if one.ornament in LEADS_TO else 0])] = _words(one)
    return found


def _words(one: Articulation) -> str:
    return one.ornament if one.ornament in LEADS_TO else f"{one.ornament} {one.strokes} in {one.span_ticks} ticks"
