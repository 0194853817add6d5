"""Standard MIDI files: hits in and out at 960 ticks per quarter, General MIDI percussion."""

from __future__ import annotations

import io
from collections.abc import Mapping
from typing import TypeVar

import mido
import numpy as np

from easy_pocket.core.errors import MidiRefusedError
from easy_pocket.core.formats.exchange import ReadPattern
from easy_pocket.core.formats.midi_drums import Channels, read_tracks
from easy_pocket.core.formats.midi_places import split_places
from easy_pocket.core.formats.midi_swing import Swing, found_swing
from easy_pocket.core.formats.midi_writing import MidiOptions, write
from easy_pocket.core.formats.registry import Choice, Format, register
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import MAX_BARS, PPQ, Metre, check_tempo

T = TypeVar("T")
MAX_BYTES = 8_000_000
MAX_EVENTS = 300_000  # of all tracks


def read_midi(data: bytes, name: str, channels: Channels = "drums") -> ReadPattern:
    """Read the hits of a MIDI file; no note is lost.

    Parameters
    ----------
    data
        The whole file: Standard MIDI File of any type and resolution.
    name
        For messages.
    channels
        "drums": channel 10 where it is used; "all": every one.

    Returns
    -------
    ReadPattern
        A note on a slot is written there, another on the nearest slot of the grid that suits the file best; what is
        left becomes its own offset. remarks say what could not be taken.

    Raises
    ------
    MidiRefusedError
        For a damaged file, SMPTE time, or a change of metre or tempo along the way.

    Examples
    --------
    >>> from easy_pocket.core.feel.perform import perform
    >>> from easy_pocket.core.formats.midi_writing import write_midi
    >>> from easy_pocket.core.pattern.pattern import Hit, Pattern
    >>> written = write_midi(perform(Pattern(3840, (Hit("snare", 960, 100),)), tempo_bpm=96), loop=True)
    >>> back = read_midi(written.data, "beat.mid")
    >>> back.tempo_bpm, [(hit.voice, hit.tick, hit.velocity) for hit in back.pattern.hits]
    (96.0, [('snare', 960, 100)])
    """
    return _beat(open_midi(data, name), name, channels)


def open_midi(data: bytes, name: str) -> mido.MidiFile:
    """Raises MidiRefusedError for what is no MIDI file, damaged, too large, or counted in SMPTE time."""
    if not data:
        raise MidiRefusedError(f"{name} is empty (0 bytes): choose another file, or export it again.")
    if len(data) > MAX_BYTES:
        raise MidiRefusedError(f"{name} has {len(data) / 1e6:.0f} MB; a MIDI file of at most 8 MB can be read.")
    if data[:4] != b"MThd":
        raise MidiRefusedError(f"{name} is no MIDI file: it does not start with 'MThd'. Export it as .mid again.")
    if len(data) >= 14 and data[12] & 0x80:
        raise MidiRefusedError(
            f"{name} counts time in SMPTE frames, not in beats: export it with ticks per quarter note."
        )
    _count_events(data, name)
    try:
        midi = mido.MidiFile(file=io.BytesIO(data), clip=True)
    except Exception as error:  # of a damaged file the reader raises nearly anything
        reason = str(error).splitlines()[0] if str(error) else "it ends in the middle"
        raise MidiRefusedError(f"{name} is damaged or cut off ({reason}): export it again.") from None
    if midi.ticks_per_beat < 1:
        raise MidiRefusedError(f"{name} has 0 ticks per quarter note: export it again.")
    return midi


def _count_events(data: bytes, name: str) -> None:
    """Refuse a file that holds too much before it is read: the reader is slow, counting is quick.

    Damaged tracks are left to the reader.
    """
    count, place = 0, 8 + int.from_bytes(data[4:8], "big")
    while place + 8 <= len(data):
        end = min(place + 8 + int.from_bytes(data[place + 4 : place + 8], "big"), len(data))
        if data[place : place + 4] == b"MTrk":
            count += _events(data, place + 8, end, MAX_EVENTS - count)
        if count >= MAX_EVENTS:
            raise MidiRefusedError(f"{name} holds more than {MAX_EVENTS:,} events: split it, or leave tracks out.")
        place = max(end, place + 8)


def _events(data: bytes, at: int, end: int, most: int) -> int:
    """Events of a track, at most so many."""
    count, status = 0, 0
    while at < end and count < most:
        while at < end and data[at] & 0x80:  # the time before it
            at += 1
        at += 1
        if at >= end:
            break
        if data[at] & 0x80:
            status = data[at]
            at += 1
        count += 1
        if status >= 0xF0:  # system exclusive, or a meta event: a length, and so many bytes
            at += status == 0xFF
            length = 0
            while at < end:
                length = length << 7 | data[at] & 0x7F
                at += 1
                if not data[at - 1] & 0x80:
                    break
            at += length
        else:
            at += 1 if 0xC0 <= status < 0xE0 else 2
    return count


def _beat(midi: mido.MidiFile, name: str, channels: Channels) -> ReadPattern:
    check_one_pattern(midi, name)
    read = read_tracks(midi, name, channels)
    tempo_bpm = _single(read.tempi, 120.0, name, "tempo")
    metre = _single(read.metres, Metre(), name, "metre")
    check_tempo(tempo_bpm)
    notes = sorted(note for _, track in read.tracks for note in track)
    last = notes[-1].tick
    bars = int(max(last, min(read.end, last + metre.bar_ticks) - 1) // metre.bar_ticks) + 1
    if bars * metre.bar_ticks > MAX_BARS * 3840:
        raise MidiRefusedError(f"{name} is {bars} bars long; at most {MAX_BARS} can be read: split it first.")
    swing = found_swing(np.array([note.tick for note in notes]))
    hits = split_places(notes, tempo_bpm, bars * metre.bar_ticks, swing)
    return ReadPattern(Pattern(bars * metre.bar_ticks, hits, metre), tempo_bpm, read.remarks + swing_words(swing))


def swing_words(swing: Swing | None) -> tuple[str, ...]:
    """What is said of a swing that was found."""
    return (
        (f"Its {swing.unit}ths swing at {swing.percent:g} %: they are written on the {swing.unit}th.",) if swing else ()
    )


class TracksAskedError(MidiRefusedError):
    """A type 2 file: its tracks are patterns of their own, and nothing said how they are meant."""


def check_one_pattern(midi: mido.MidiFile, name: str) -> None:
    """Raises TracksAskedError for a type 2 file of several tracks: they are patterns of their own."""
    tracks = sum(any(m.type == "note_on" and m.velocity for m in track) for track in midi.tracks)
    if midi.type == 2 and tracks > 1:
        raise TracksAskedError(
            f"{name} is of type 2: its {tracks} tracks are patterns of their own, not one beat. Bring it in as a song, "
            "where you say whether they play together or in turn, or save it as type 1."
        )


def _shown(value: object) -> str:
    return f"{value:.4g}" if isinstance(value, float) else str(value)


def _single(changes: Mapping[int, T], default: T, name: str, what: str) -> T:
    """The one value a file has; a second, different one is refused with its place.

    What comes first after the beginning changes what holds when nothing is said.
    """
    begin = changes.get(0, default)
    for tick, value in sorted(changes.items()):
        if value != begin:
            raise MidiRefusedError(
                f"{name} changes its {what} from {_shown(begin)} to {_shown(value)} at beat {tick / PPQ + 1:g}: "
                f"split the file there, one {what} in each."
            )
    return begin


register(
    Format(
        "pattern",
        "midi",
        "MIDI",
        (".mid", ".midi"),
        "audio/midi",
        "960 per quarter, General MIDI drums",
        write=write,
        read=read_midi,
        options=MidiOptions,
        choices=(
            Choice("as felt", {"timing": "felt"}),
            Choice("this part alone", {"timing": "felt", "only": "part"}),
            Choice("straight", {"timing": "straight"}),
            Choice("with the hat's pedal", {"timing": "felt", "pedal": "true"}),
            Choice("ornaments as text", {"timing": "felt", "ornaments": "text"}),
        ),
        label=" {timing}",
    )
)
