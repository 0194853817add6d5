"""Standard MIDI files: hits in and out at 960 ticks per quarter, General MIDI percussion."""

from __future__ import annotations

import io
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal, TypeVar

import mido
import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import MidiRefusedError
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.strokes import Strokes, strokes
from easy_pocket.core.formats.exchange import PartLine, PatternOptions, PatternToWrite, ReadPattern
from easy_pocket.core.formats.midi_places import split_places
from easy_pocket.core.formats.registry import Choice, Format, Written, register
from easy_pocket.core.pattern.pattern import MAX_HITS, Pattern
from easy_pocket.core.pattern.timebase import MAX_BARS, PPQ, Metre, check_tempo, ms_per_tick
from easy_pocket.core.pattern.voices import DRUMS, NEAREST_ROLE, ROLES
from easy_pocket.core.text import latin

T = TypeVar("T")
MAX_BYTES = 8_000_000
MAX_EVENTS = 300_000  # of all tracks
PERCUSSION_CHANNEL = 9
PRE_ROLL = "one bar of pre-roll was set before bar 1, for hits that come before it."
NOTE_TICKS = 60
EXACT_VOICE = {role.midi_note: role.key for role in DRUMS.values()}
NOTE_PREFIX = "note"

# Everything else General MIDI has on its percussion channel, by the voice of ours that comes nearest.
NEAREST_BY_NOTE = {
    27: "rim", 28: "clap", 29: "shaker", 30: "shaker", 31: "rim", 32: "rim", 33: "rim", 34: "ride",
    54: "tambourine", 56: "rim", 58: "shaker", 60: "tom_high", 61: "tom_mid", 62: "tom_high", 63: "tom_high",
    64: "tom_low", 65: "tom_high", 66: "tom_mid", 67: "rim", 68: "rim", 69: "shaker", 71: "shaker", 72: "shaker",
    73: "shaker", 74: "shaker", 75: "rim", 76: "rim", 77: "rim", 78: "tom_mid", 79: "tom_mid", 80: "ride",
    81: "ride", 82: "shaker", 83: "tambourine", 84: "ride", 85: "rim", 86: "tom_low", 87: "tom_low",
} | NEAREST_ROLE  # fmt: skip


def voice_of_note(note: int) -> str:
    """Name the voice of a MIDI note.

    Parameters
    ----------
    note
        0 to 127.

    Returns
    -------
    str
        A voice of ours, or "noteNN" when none is exactly that: see `nearest_voice`.

    Examples
    --------
    >>> voice_of_note(36), voice_of_note(90)
    ('kick', 'note90')
    """
    return EXACT_VOICE.get(note, f"{NOTE_PREFIX}{note}")


def note_of_voice(voice: str) -> int:
    """Give the MIDI note of a voice, or of "noteNN" its number."""
    return int(voice.removeprefix(NOTE_PREFIX)) if voice.startswith(NOTE_PREFIX) else ROLES[voice].midi_note


def nearest_voice(voice: str) -> str:
    """Name a voice that our kits have.

    Parameters
    ----------
    voice
        A voice, or "noteNN".

    Returns
    -------
    str
        Itself, or for "noteNN" the one that sounds most like it ("rim" for the unheard of).

    Examples
    --------
    >>> nearest_voice("note35"), nearest_voice("snare"), nearest_voice("note100")
    ('kick', 'snare', 'rim')
    """
    if not voice.startswith(NOTE_PREFIX):
        return voice
    return NEAREST_BY_NOTE.get(int(voice.removeprefix(NOTE_PREFIX)), "rim")


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
) -> WrittenMidi:
    """A performance as a file: a track of notes on channel 10, tempo, metre, a marker at the start.

    others: more tracks, of parts that play with it; part: what its own track is called. heard: the voices that are
    written, when not all are (those that are muted). With `loop` early hits wrap to the end, and the file is exactly as
    long as the pattern; otherwise a bar of pre-roll is set before the first when a hit comes before it.
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
    tracks = [_note_track(line, at + shift, length + shift) for line, at in zip(lines, ticks, strict=True)]
    midi = mido.MidiFile(type=file_type, ticks_per_beat=PPQ)
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
    conductor.append(mido.MetaMessage("track_name", name=latin(name), time=0))
    conductor.append(mido.MetaMessage("set_tempo", tempo=round(60_000_000 / performance.tempo_bpm), time=0))
    conductor.append(
        mido.MetaMessage(
            "time_signature", numerator=performance.metre.beats, denominator=performance.metre.unit, time=0
        )
    )
    if pre_roll:
        conductor.append(mido.MetaMessage("marker", text="pre-roll", time=0))
    if marker:
        conductor.append(mido.MetaMessage("marker", text=latin(marker), time=pre_roll * performance.metre.bar_ticks))
    return conductor


def _ticks(struck: Strokes, length_ms: float, per_ms: float, *, loop: bool) -> npt.NDArray[np.int64]:
    """Where strokes fall; in a loop within it."""
    ticks = np.rint((struck.loop_ms(length_ms) if loop else struck.time_ms) * per_ms).astype(np.int64)
    return np.where(ticks >= round(length_ms * per_ms), 0, ticks) if loop else ticks


def _note_track(line: PartLine, ticks: npt.NDArray[np.int64], end: int) -> mido.MidiTrack:
    """The strokes that sound, each note ended before the next of its kind begins."""
    voices, struck = line.hits.voices, line.struck
    numbers = [line.note_map.get(voice, note_of_voice(voice)) for voice in voices]
    written = np.array([voice in line.heard for voice in voices], dtype=bool)
    order = np.argsort(ticks, kind="stable")
    order = order[written[line.hits.voice_index[struck.hit[order]]]] if len(order) else order
    events: list[tuple[int, int, int, int]] = []
    last_on: dict[int, int] = {}
    for hit in order[::-1].tolist():  # backwards, so that a note ends before the next of its kind begins
        number, tick = numbers[line.hits.voice_index[struck.hit[hit]]], int(ticks[hit])
        off = min(tick + NOTE_TICKS, max(last_on.get(number, max(end, tick + 1)), tick + 1))
        last_on[number] = tick
        events.append((tick, 1, number, int(struck.velocity[hit])))
        events.append((off, 0, number, 0))
    events.sort()
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name=latin(line.name), time=0))
    now = 0
    for tick, on, number, velocity in events:
        kind = "note_on" if on else "note_off"
        track.append(mido.Message(kind, note=number, velocity=velocity, channel=PERCUSSION_CHANNEL, time=tick - now))
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=max(end - now, 0)))
    return track


@dataclass(frozen=True)
class MidiOptions(PatternOptions):
    """How a pattern is written.

    file_type: of the standard; 0 has one track, 1 has tempo and metre in a track of their own. only: all that plays, or
    the selected part alone.
    """

    file_type: Literal["0", "1"] = "1"
    only: Literal["all", "part"] = "all"


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
    )
    return Written(written.data, (PRE_ROLL,) if written.pre_roll_bars else ())


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
