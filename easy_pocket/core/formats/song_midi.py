"""A whole song as a MIDI file: a track per part (or voice), markers, tempo and metre where they change."""

from __future__ import annotations

import io
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import mido
import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import MidiRefusedError
from easy_pocket.core.formats.exchange import PartLine, SongOptions, SongToWrite
from easy_pocket.core.formats.midi import check_one_pattern, open_midi, swing_words
from easy_pocket.core.formats.midi_drums import (
    Channels,
    Note,
    ReadTracks,
    Tracks,
    in_turn,
    one_after_another,
    read_tracks,
)
from easy_pocket.core.formats.midi_places import split_places
from easy_pocket.core.formats.midi_swing import Swing, found_swing
from easy_pocket.core.formats.midi_text import WRITTEN_AS, to_midi
from easy_pocket.core.formats.midi_track import Manner, note_track
from easy_pocket.core.formats.midi_writing import PRE_ROLL, WrittenMidi, metre_message
from easy_pocket.core.formats.registry import Choice, Format, Written, register
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import MAX_BARS, MAX_TEMPO_BPM, MIN_TEMPO_BPM, PPQ, Metre, ms_per_tick
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.part import audible_parts
from easy_pocket.core.song.perform_song import PartPerformance, SongPerformance
from easy_pocket.core.sound.events import audible

Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]
MOST_TRACKS = 64
MOST_SECTIONS = 128


def song_ticks(song: Arrangement, time_ms: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Unrounded ticks of the song at these times, by the tempo of the section each falls in.

    What is early on the very first beat is negative.
    """
    if not song.spans:
        return np.zeros(len(time_ms))
    starts_ms = np.array([span.start_ms for span in song.spans])
    starts = np.array([span.start_tick for span in song.spans], dtype=np.float64)
    per_ms = np.array([1 / ms_per_tick(span.tempo_bpm) for span in song.spans])
    of = np.clip(np.searchsorted(starts_ms, time_ms, side="right") - 1, 0, None)
    return np.asarray(starts[of] + (time_ms - starts_ms[of]) * per_ms[of])


def write_song_midi(
    played: SongPerformance,
    note_maps: Mapping[int, Mapping[str, int]],
    *,
    name: str = "Easy Pocket",
    by: str = "part",
    early: bool | None = None,
    manner: Manner = Manner(),
) -> WrittenMidi:
    """by: a track for each "part", or for each "voice" of each part.

    note_maps: by part. When a hit comes before the first beat, or `early` says that a sound does, a bar of pre-roll
    is set before it. As in the mix, what is muted (or not soloed when something is) is left out; a part or voice
    that is has its track, without hits.

    Parameters
    ----------
    played
        Hits of every part in every section.
    note_maps
        By part: note number by voice.
    name
        What it is called.
    by
        A track for each "part", or for each "voice" of each part.
    early
        Whether a sound begins before the first beat, so that a bar of pre-roll is needed; None asks the hits.
    manner
        How pedals and ornaments are written.

    Returns
    -------
    WrittenMidi
        The bytes, and what had to be left out.
    """
    song = played.song
    heard_parts = audible_parts(song.parts)
    ticks_of = {one.part.key: np.rint(song_ticks(song, one.struck.time_ms)).astype(np.int64) for one in played.parts}
    heard = [ticks_of[one.part.key][_heard(one, heard_parts)] for one in played.parts]
    first = min((int(ticks.min(initial=0)) for ticks in heard), default=0)
    early = bool(early) or first < 0
    bar_ticks = song.spans[0].metre.bar_ticks if song.spans else song.metre.bar_ticks
    shift = bar_ticks if early else 0
    midi = mido.MidiFile(type=1, ticks_per_beat=PPQ, charset=WRITTEN_AS)
    midi.tracks.append(_conductor(song, name, shift))
    end = song.length_ticks + shift
    for one in played.parts:
        for title, mine in _tracks_of(one, by, _heard(one, heard_parts)):
            line = PartLine(title, one.hits, one.struck, note_maps.get(one.part.key, {}), set())
            midi.tracks.append(note_track(line, ticks_of[one.part.key] + shift, end, mine, manner))
    out = io.BytesIO()
    midi.save(file=out)
    return WrittenMidi(out.getvalue(), 1 if early else 0)


def _conductor(song: Arrangement, name: str, shift: int) -> mido.MidiTrack:
    events: list[tuple[int, mido.MetaMessage]] = [(0, mido.MetaMessage("track_name", name=to_midi(name)))]
    if shift:
        events.append((0, mido.MetaMessage("marker", text="pre-roll")))
    tempo = metre = None
    for span in song.spans:
        at = span.start_tick + (shift if span.number else 0)
        if span.tempo_bpm != tempo:
            tempo = span.tempo_bpm
            events.append((at, mido.MetaMessage("set_tempo", tempo=round(60_000_000 / tempo))))
        if span.metre != metre:
            metre = span.metre
            events.append((at, metre_message(metre)))
        events.append(
            (span.start_tick + shift, mido.MetaMessage("marker", text=to_midi(_marker(span.section.name, span.turn))))
        )
    track = mido.MidiTrack()
    now = 0
    for tick, message in events:
        track.append(message.copy(time=tick - now))
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=max(song.length_ticks + shift - now, 0)))
    return track


def _marker(name: str, turn: int) -> str:
    return name if turn == 1 else f"{name} ({turn})"


def _heard(one: PartPerformance, heard_parts: Collection[int]) -> Bools:
    """Which strokes of a part sound."""
    if one.part.key not in heard_parts:
        return np.zeros(len(one.struck.hit), dtype=bool)
    sounding = audible(one.hits.voices, one.part.mix)
    return np.array([voice in sounding for voice in one.hits.voices], dtype=bool)[one.hits.voice_index[one.struck.hit]]


def _tracks_of(one: PartPerformance, by: str, heard: Bools) -> list[tuple[str, Bools]]:
    voice = one.hits.voice_index[one.struck.hit]
    if by == "part":
        return [(one.part.name, heard)]
    return [
        (f"{one.part.name}: {voice_name(name)}", heard & (voice == place)) for place, name in enumerate(one.hits.voices)
    ]


@dataclass(frozen=True)
class ReadPart:
    """A track: its hits, ticks from the song's beginning, off-grid places kept as own offsets."""

    name: str
    hits: tuple[Hit, ...]


@dataclass(frozen=True)
class ReadSection:
    """A stretch of the file with one tempo and one metre; bars: how many of that metre."""

    name: str
    bars: int
    tempo_bpm: float
    metre: Metre


@dataclass(frozen=True)
class ReadSong:
    """What a MIDI file holds as a song: its parts and, one after another, its sections."""

    parts: tuple[ReadPart, ...]
    sections: tuple[ReadSection, ...]
    remarks: tuple[str, ...] = field(default=())
    swing: Swing | None = None  # what the hits lie on: the feel plays it
    left_out: int = 0  # notes of other channels than the drums'

    @property
    def length_ticks(self) -> int:
        return sum(section.bars * section.metre.bar_ticks for section in self.sections)


def read_song_midi(
    data: bytes,
    name: str,
    *,
    by_voice: bool = False,
    channels: Channels = "drums",
    tracks: Tracks | None = None,
) -> ReadSong:
    """A file with any number of tracks, tempi and metres.

    A track with notes is a part (with `by_voice` each of its voices is one); markers begin sections, and so does
    every change of tempo or metre. No note that is read is lost; swing is found and left to the
    feel. A bar of pre-roll as the program writes it is kept as a section of that name.

    Parameters
    ----------
    data
        Bytes of a MIDI file.
    name
        Name of the file, for messages and for the song.
    by_voice
        Whether each voice of a track becomes a part.
    channels
        "drums": channel 10 where it is used; "all": every one.
    tracks
        What the tracks of a type 2 file are: parts that play together, or patterns one after another.

    Returns
    -------
    ReadSong
        Parts, sections, and words about what was read how.

    Raises
    ------
    MidiRefusedError
        For a damaged file, one without notes, a type 2 file of which nothing is said, or more than 512 bars,
        64 parts or 128 sections.
    """
    midi = open_midi(data, name)
    if midi.type == 2 and tracks == "in turn":
        alone = [one for one in in_turn(midi) if any(m.type == "note_on" and m.velocity for m in one.tracks[0])]
        read = (
            one_after_another(read_tracks(one, name, channels) for one in alone) if alone else read_tracks(midi, name)
        )
    else:
        if tracks is None:
            check_one_pattern(midi, name)
        read = read_tracks(midi, name, channels)
    for tempo in read.tempi.values():
        if not MIN_TEMPO_BPM <= tempo <= MAX_TEMPO_BPM:
            raise MidiRefusedError(
                f"{name} has a tempo of {tempo:.1f} bpm; {MIN_TEMPO_BPM:g} to {MAX_TEMPO_BPM:g} can be read."
            )
    sections = _sections({0: 120.0} | read.tempi, {0: Metre()} | read.metres, read.markers, read.end, name)
    swing = _swing_of(read, sections)
    parts = [
        ReadPart(title, _in_sections(notes, sections, swing))
        for title, notes in (_by_voice(read.tracks) if by_voice else read.tracks)
    ]
    if len(parts) > MOST_TRACKS:
        raise MidiRefusedError(f"{name} has {len(parts)} parts; {MOST_TRACKS} can be read: leave some tracks out.")
    remarks = read.remarks + swing_words(swing)
    return ReadSong(tuple(parts), tuple(section for _, section in sections), remarks, swing, read.left_out)


def _swing_of(read: ReadTracks, sections: list[tuple[int, ReadSection]]) -> Swing | None:
    """The swing of all parts, where every section is whole pairs of it."""
    swing = found_swing(np.array([note.tick for _, notes in read.tracks for note in notes]))
    whole = swing and all(section.metre.bar_ticks % swing.pair_ticks == 0 for _, section in sections)
    return swing if whole else None


def _by_voice(tracks: list[tuple[str, list[Note]]]) -> list[tuple[str, list[Note]]]:
    parted: dict[tuple[str, str], list[Note]] = {}
    for title, notes in tracks:
        for note in notes:
            parted.setdefault((title if len(tracks) > 1 else "", note.voice), []).append(note)
    return [
        (f"{title}: {voice_name(voice)}" if title else voice_name(voice).capitalize(), notes)
        for (title, voice), notes in parted.items()
    ]


def _sections(
    tempi: Mapping[int, float], metres: Mapping[int, Metre], markers: Mapping[int, str], end: int, name: str
) -> list[tuple[int, ReadSection]]:
    """(first tick, section), each a whole number of bars. A change in the middle of a bar counts from its next one."""
    found: list[tuple[int, ReadSection]] = []
    tick, tempo, metre, title = 0, 120.0, Metre(), ""
    begins = sorted({0, *tempi, *metres, *markers})
    place = 0
    while tick < end:
        while place < len(begins) and begins[place] <= tick:
            at = begins[place]
            tempo, metre, place = tempi.get(at, tempo), metres.get(at, metre), place + 1
            title = markers.get(at, title)
        following = next((at for at in begins[place:] if at < end), end)
        bars = max(-(-(following - tick) // metre.bar_ticks), 1)
        found.append((tick, ReadSection(title or "Verse", bars, round(tempo, 3), metre)))
        tick += bars * metre.bar_ticks
        if len(found) > MOST_SECTIONS or tick > MAX_BARS * 3840:
            raise MidiRefusedError(
                f"{name} has more than {MOST_SECTIONS} sections or {MAX_BARS} bars: split it into several files."
            )
    return found


def _in_sections(notes: list[Note], sections: list[tuple[int, ReadSection]], swing: Swing | None) -> tuple[Hit, ...]:
    starts = np.array([start for start, _ in sections])
    of = np.searchsorted(starts, [note.tick for note in notes], side="right") - 1
    inside: list[list[Note]] = [[] for _ in sections]
    for note, number in zip(notes, of.tolist(), strict=True):
        start = sections[number][0]
        inside[number].append(Note(note.tick - start, note.voice, note.velocity, note.length_ticks) if start else note)
    hits: list[Hit] = []
    for mine, (start, section) in zip(inside, sections, strict=True):
        if mine:
            length = section.bars * section.metre.bar_ticks
            placed = split_places(sorted(mine), section.tempo_bpm, length, swing, in_feel=True)
            hits += [replace(hit, tick=hit.tick + start) for hit in placed] if start else placed
    return tuple(hits)


@dataclass(frozen=True)
class SongMidiOptions(SongOptions):
    """by: what a track is."""

    by: Literal["part", "voice"] = field(default="part", metadata={"help": "what a track is (default: part)"})
    pedal: bool = field(
        default=False, metadata={"help": "MIDI: the hat's pedal as controller 4 before each of its hits"}
    )
    ornaments: Literal["notes", "text"] = field(
        default="notes",
        metadata={"help": "MIDI: flams, drags, ratchets and rolls as single notes, or one note and text"},
    )


def write(given: SongToWrite, options: SongMidiOptions) -> Written:
    """Write a whole song as it is played."""
    written = write_song_midi(
        given.played,
        given.note_maps,
        name=given.name,
        by=options.by,
        early=given.early,
        manner=Manner(options.pedal, options.ornaments),
    )
    return Written(written.data, (PRE_ROLL,) if written.pre_roll_bars else ())


register(
    Format(
        "song",
        "midi",
        "MIDI",
        (".mid", ".midi"),
        "audio/midi",
        "sections, tempo and metre in it",
        write=write,
        read=read_song_midi,
        options=SongMidiOptions,
        choices=(
            Choice("a track per part", {"by": "part"}),
            Choice("a track per voice", {"by": "voice"}),
            Choice("with the hat's pedal", {"pedal": "true"}),
            Choice("ornaments as text", {"ornaments": "text"}),
        ),
        label=" song",
    )
)
