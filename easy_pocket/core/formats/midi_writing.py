"""A performance as a standard MIDI file."""

from __future__ import annotations

import io
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import mido
import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.strokes import Strokes, strokes
from easy_pocket.core.formats.exchange import PartLine, PatternOptions, PatternToWrite
from easy_pocket.core.formats.midi_text import WRITTEN_AS, to_midi
from easy_pocket.core.formats.midi_track import Manner, note_track
from easy_pocket.core.formats.registry import Written
from easy_pocket.core.pattern.timebase import PPQ, Metre, ms_per_tick

PRE_ROLL = "one bar of pre-roll was set before bar 1, for hits that come before it."


CLOCKS = 24  # a quarter


@dataclass(frozen=True)
class WrittenMidi:
    """A file's bytes; pre_roll_bars is 1 when a hit before bar one needed room, else 0."""

    data: bytes
    pre_roll_bars: int


def write_midi(
    performance: Performance,
    *,
    name: str = "Easy Pocket",
    marker: str | None = None,
    loop: bool = False,
    file_type: int = 1,
    note_map: Mapping[str, int] | None = None,
    heard: Collection[str] | None = None,
    pass_number: int = 1,
    seed: int = 0,
    part: str = "Drums",
    others: Sequence[PartLine] = (),
    manner: Manner = Manner(),
) -> WrittenMidi:
    """A performance as a file: a track of notes on channel 10, tempo, metre, a marker at the start.

    With `loop` early hits wrap to the end, and the file is exactly as long as the pattern; otherwise a bar of
    pre-roll is set before the first when a hit comes before it.

    Parameters
    ----------
    performance
        Hits as they are played.
    name
        Name of the song or pattern.
    marker
        Words at the start, None for none.
    loop
        Whether early hits wrap to the end and the file is exactly as long as the pattern.
    file_type
        Type of MIDI file, 0 or 1.
    note_map
        Note number by voice; None for General MIDI.
    heard
        Voices that are written, when some are muted; None for all.
    pass_number
        Which time round, counted from 1.
    seed
        Whole number; the same one gives the same result.
    part
        Name of its own track.
    others
        Further tracks, of parts that play with it.
    manner
        How pedals and ornaments are written.

    Returns
    -------
    WrittenMidi
        The bytes, and what had to be left out.
    """
    per_ms = 1 / ms_per_tick(performance.tempo_bpm)
    own = PartLine(
        part,
        performance.hits,
        strokes(performance, pass_number, seed),
        note_map or {},
        set(performance.hits.voices) if heard is None else heard,
    )
    lines = [own, *others]
    length = round(performance.length_ms * per_ms)
    ticks = [_ticks(one.struck, performance.length_ms, per_ms, loop=loop) for one in lines]
    pre_roll = 1 if not loop and any(one.min(initial=0) < 0 for one in ticks) else 0
    shift = pre_roll * performance.metre.bar_ticks
    conductor = _conductor(performance, name, marker, pre_roll)
    tracks = [
        note_track(line, at + shift, length + shift, _written(line), manner)
        for line, at in zip(lines, ticks, strict=True)
    ]
    midi = mido.MidiFile(type=file_type, ticks_per_beat=PPQ, charset=WRITTEN_AS)
    if file_type == 0:
        midi.tracks.append(mido.merge_tracks([conductor, *tracks]))
    else:
        conductor.append(mido.MetaMessage("end_of_track", time=0))
        midi.tracks += [conductor, *tracks]
    out = io.BytesIO()
    midi.save(file=out)
    return WrittenMidi(out.getvalue(), pre_roll)


def _conductor(performance: Performance, name: str, marker: str | None, pre_roll: int) -> mido.MidiTrack:
    """Tempo, metre and a marker."""
    conductor = mido.MidiTrack()
    conductor.append(mido.MetaMessage("track_name", name=to_midi(name), time=0))
    conductor.append(mido.MetaMessage("set_tempo", tempo=round(60_000_000 / performance.tempo_bpm), time=0))
    conductor.append(metre_message(performance.metre))
    if pre_roll:
        conductor.append(mido.MetaMessage("marker", text="pre-roll", time=0))
    if marker:
        conductor.append(mido.MetaMessage("marker", text=to_midi(marker), time=pre_roll * performance.metre.bar_ticks))
    return conductor


def metre_message(metre: Metre) -> mido.MetaMessage:
    """A time signature; a metronome clicks on the beats one taps: dotted ones in 6/8 and 9/8."""
    return mido.MetaMessage(
        "time_signature",
        numerator=metre.beats,
        denominator=metre.unit,
        clocks_per_click=metre.pulse_ticks * CLOCKS // PPQ,
        time=0,
    )


def _written(line: PartLine) -> npt.NDArray[np.bool_]:
    """Which strokes sound."""
    heard = np.array([voice in line.heard for voice in line.hits.voices], dtype=bool)
    return heard[line.hits.voice_index[line.struck.hit]] if len(heard) else np.zeros(len(line.struck.hit), dtype=bool)


def _ticks(struck: Strokes, length_ms: float, per_ms: float, *, loop: bool) -> npt.NDArray[np.int64]:
    """Where strokes fall; in a loop within it."""
    ticks = np.rint((struck.loop_ms(length_ms) if loop else struck.time_ms) * per_ms).astype(np.int64)
    return np.where(ticks >= round(length_ms * per_ms), 0, ticks) if loop else ticks


@dataclass(frozen=True)
class MidiOptions(PatternOptions):
    """How a pattern is written.

    file_type: of the standard; 0 has one track, 1 has tempo and metre in a track of their own. only: all that plays, or
    the selected part alone. pedal, ornaments: see Manner.
    """

    file_type: Literal["0", "1"] = "1"
    only: Literal["all", "part"] = "all"
    pedal: bool = False
    ornaments: Literal["notes", "text"] = "notes"


def write(given: PatternToWrite, options: MidiOptions) -> Written:
    """Write a pattern as it is played."""
    written = write_midi(
        given.performance,
        name=given.name,
        marker=given.section,
        loop=given.loop,
        file_type=int(options.file_type),
        note_map=given.note_map,
        heard=given.heard,
        part=given.part,
        others=given.others,
        manner=Manner(options.pedal, options.ornaments),
    )
    return Written(written.data, (PRE_ROLL,) if written.pre_roll_bars else ())
