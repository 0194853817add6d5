"""Standard MIDI files: hits in and out at 960 ticks per quarter, General MIDI percussion."""

from __future__ import annotations

import io
from typing import TypeVar

import mido

from easy_pocket.core.errors import MidiRefusedError
from easy_pocket.core.formats.exchange import ReadPattern
from easy_pocket.core.formats.midi_places import split_places
from easy_pocket.core.formats.midi_writing import MidiOptions, write
from easy_pocket.core.formats.note_map import PERCUSSION_CHANNEL, voice_of_note
from easy_pocket.core.formats.registry import Choice, Format, register
from easy_pocket.core.pattern.pattern import MAX_HITS, Pattern
from easy_pocket.core.pattern.timebase import MAX_BARS, PPQ, Metre, check_tempo

T = TypeVar("T")
MAX_BYTES = 8_000_000
MAX_EVENTS = 300_000  # of all tracks


def read_midi(data: bytes, name: str) -> ReadPattern:
    """Read the hits of a MIDI file; no note is lost.

    Parameters
    ----------
    data
        The whole file: Standard MIDI File of any type and resolution.
    name
        For messages.

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
    return _beat(open_midi(data, name), name)


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


def _beat(midi: mido.MidiFile, name: str) -> ReadPattern:
    scale = PPQ / midi.ticks_per_beat
    notes: list[tuple[int, int, int, int]] = []
    tempi: list[tuple[int, float]] = []
    metres: list[tuple[int, Metre]] = []
    end = 0.0
    for track in midi.tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on" and message.velocity > 0:
                notes.append((now, message.note, message.velocity, message.channel))
                if len(notes) > MAX_HITS:
                    raise MidiRefusedError(f"{name} holds more than {MAX_HITS} notes: split it first.")
            elif message.type == "set_tempo":
                tempi.append((now, mido.tempo2bpm(max(message.tempo, 1))))
            elif message.type == "time_signature":
                metres.append((now, metre_of(message, name)))
        end = max(end, now * scale)
    if not notes:
        raise MidiRefusedError(f"{name} holds no notes: choose a file with drum notes.")
    remarks = []
    if any(note[3] == PERCUSSION_CHANNEL for note in notes):
        left_out = sum(note[3] != PERCUSSION_CHANNEL for note in notes)
        if left_out:
            remarks.append(f"{left_out} notes outside the percussion channel (10) were left out.")
        notes = [note for note in notes if note[3] == PERCUSSION_CHANNEL]
    tempo_bpm = _single(tempi, 120.0, name, "tempo", scale)
    metre = _single(metres, Metre(), name, "metre", scale)
    check_tempo(tempo_bpm)
    last = max(note[0] for note in notes) * scale
    bars = int(max(last, min(end, last + metre.bar_ticks) - 1) // metre.bar_ticks) + 1
    if bars * metre.bar_ticks > MAX_BARS * 3840:
        raise MidiRefusedError(f"{name} is {bars} bars long; at most {MAX_BARS} can be read: split it first.")
    placed = [(round(tick * scale), voice_of_note(note), velocity) for tick, note, velocity, _ in sorted(notes)]
    hits = split_places(placed, tempo_bpm, bars * metre.bar_ticks)
    return ReadPattern(Pattern(bars * metre.bar_ticks, hits, metre), tempo_bpm, tuple(remarks))


def metre_of(message: mido.MetaMessage, name: str) -> Metre:
    """Read the metre of a time signature; raises MidiRefusedError for one that bars cannot be counted in."""
    if message.denominator not in (2, 4, 8, 16) or not 1 <= message.numerator <= 32:
        raise MidiRefusedError(f"{name} has a metre of {message.numerator}/{message.denominator}, which is not known.")
    return Metre(message.numerator, message.denominator)


def _single(changes: list[tuple[int, T]], default: T, name: str, what: str, scale: float) -> T:
    """The one value a file has; a second, different one is refused with its place."""
    ordered = sorted(changes, key=lambda change: change[0])
    for tick, value in ordered[1:]:
        if value != ordered[0][1]:
            raise MidiRefusedError(
                f"{name} changes its {what} from {ordered[0][1]} to {value} at beat {tick * scale / PPQ + 1:g}: "
                f"split the file there, one {what} in each."
            )
    return ordered[0][1] if ordered else default


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
        ),
        label=" {timing}",
    )
)
