"""A whole song as a MIDI file: a track per part (or voice), markers, tempo and metre where they change."""

from __future__ import annotations

import io
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Literal

import mido
import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import MidiRefusedError
from easy_pocket.core.formats.exchange import SongOptions, SongToWrite
from easy_pocket.core.formats.midi import metre_of, open_midi
from easy_pocket.core.formats.midi_places import split_places
from easy_pocket.core.formats.midi_writing import NOTE_TICKS, PRE_ROLL, WrittenMidi
from easy_pocket.core.formats.note_map import PERCUSSION_CHANNEL, note_of_voice, voice_of_note
from easy_pocket.core.formats.registry import Choice, Format, Written, register
from easy_pocket.core.pattern.pattern import MAX_HITS, Hit
from easy_pocket.core.pattern.timebase import MAX_BARS, MAX_TEMPO_BPM, MIN_TEMPO_BPM, PPQ, Metre, ms_per_tick
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.part import audible_parts
from easy_pocket.core.song.perform_song import PartPerformance, SongPerformance
from easy_pocket.core.sound.events import audible
from easy_pocket.core.text import latin, one_line

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
    midi = mido.MidiFile(type=1, ticks_per_beat=PPQ)
    midi.tracks.append(_conductor(song, name, shift))
    end = song.length_ticks + shift
    for one in played.parts:
        for title, mine in _tracks_of(one, by, _heard(one, heard_parts)):
            midi.tracks.append(_track(one, title, mine, ticks_of[one.part.key] + shift, note_maps, end))
    out = io.BytesIO()
    midi.save(file=out)
    return WrittenMidi(out.getvalue(), 1 if early else 0)


def _conductor(song: Arrangement, name: str, shift: int) -> mido.MidiTrack:
    events: list[tuple[int, mido.MetaMessage]] = [(0, mido.MetaMessage("track_name", name=latin(name)))]
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
            events.append((at, mido.MetaMessage("time_signature", numerator=metre.beats, denominator=metre.unit)))
        events.append(
            (span.start_tick + shift, mido.MetaMessage("marker", text=latin(_marker(span.section.name, span.turn))))
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


def _track(
    one: PartPerformance,
    title: str,
    mine: Bools,
    ticks: Ints,
    note_maps: Mapping[int, Mapping[str, int]],
    end: int,
) -> mido.MidiTrack:
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("track_name", name=latin(title), time=0))
    notes = note_maps.get(one.part.key, {})
    numbers = [notes.get(voice, note_of_voice(voice)) for voice in one.hits.voices]
    chosen = np.flatnonzero(mine)
    chosen = chosen[np.argsort(ticks[chosen], kind="stable")]
    events: list[tuple[int, int, int, int]] = []
    next_on: dict[int, int] = {}
    for stroke in chosen[::-1].tolist():  # backwards, so that a note ends before the next of its kind begins
        number, tick = numbers[one.hits.voice_index[one.struck.hit[stroke]]], int(ticks[stroke])
        off = min(tick + NOTE_TICKS, max(next_on.get(number, tick + NOTE_TICKS), tick + 1))
        next_on[number] = tick
        events += [(tick, 1, number, int(one.struck.velocity[stroke])), (off, 0, number, 0)]
    events.sort()
    now = 0
    for tick, on, number, velocity in events:
        kind = "note_on" if on else "note_off"
        track.append(mido.Message(kind, note=number, velocity=velocity, channel=PERCUSSION_CHANNEL, time=tick - now))
        now = tick
    track.append(mido.MetaMessage("end_of_track", time=max(end - now, 0)))
    return track


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

    @property
    def length_ticks(self) -> int:
        return sum(section.bars * section.metre.bar_ticks for section in self.sections)


def read_song_midi(data: bytes, name: str, *, by_voice: bool = False) -> ReadSong:
    """A file with any number of tracks, tempi and metres.

    A track with notes is a part (with `by_voice` each of its voices is one); markers begin sections, and so does
    every change of tempo or metre. No note of the percussion channel is lost; a bar of pre-roll as the program
    writes it is kept as a section of that name.

    Parameters
    ----------
    data
        Bytes of a MIDI file.
    name
        Name of the file, for messages and for the song.
    by_voice
        Whether each voice of a track becomes a part.

    Returns
    -------
    ReadSong
        Parts, sections, and words about what was read how.

    Raises
    ------
    MidiRefusedError
        For a damaged file, one without notes, or more than 512 bars, 64 parts or 128 sections.
    """
    midi = open_midi(data, name)
    scale = PPQ / midi.ticks_per_beat
    tracks: list[tuple[str, list[tuple[int, str, int]]]] = []
    tempi, metres, markers = {0: 120.0}, {0: Metre()}, {}
    count, left_out, end = 0, 0, 0
    drums_only = any(m.type == "note_on" and m.channel == PERCUSSION_CHANNEL for t in midi.tracks for m in t)
    for number, track in enumerate(midi.tracks):
        now, notes, title = 0, [], ""
        for message in track:
            now += message.time
            tick = round(now * scale)
            if message.type == "note_on" and message.velocity > 0:
                if drums_only and message.channel != PERCUSSION_CHANNEL:
                    left_out += 1
                    continue
                notes.append((tick, voice_of_note(message.note), message.velocity))
                count += 1
                if count > MAX_HITS:
                    raise MidiRefusedError(f"{name} holds more than {MAX_HITS} notes: split it first.")
            elif message.type == "set_tempo":
                tempi[tick] = mido.tempo2bpm(max(message.tempo, 1))
            elif message.type == "time_signature":
                metres[tick] = metre_of(message, name)
            elif message.type == "marker" and one_line(message.text, 80):
                markers[tick] = one_line(message.text, 80)
            elif message.type == "track_name" and not title:
                title = one_line(message.name, 80)
        if notes:
            tracks.append((title or f"Track {number + 1}", notes))
            end = max(end, max(tick for tick, _, _ in notes) + 1)
        end = max(end, min(round(now * scale), end + 4 * 3840))
    if not tracks:
        raise MidiRefusedError(f"{name} holds no notes: choose a file with drum notes.")
    for tempo in tempi.values():
        if not MIN_TEMPO_BPM <= tempo <= MAX_TEMPO_BPM:
            raise MidiRefusedError(
                f"{name} has a tempo of {tempo:.1f} bpm; {MIN_TEMPO_BPM:g} to {MAX_TEMPO_BPM:g} can be read."
            )
    sections = _sections(tempi, metres, markers, end, name)
    parts = [
        ReadPart(title, _in_sections(notes, sections)) for title, notes in (_by_voice(tracks) if by_voice else tracks)
    ]
    if len(parts) > MOST_TRACKS:
        raise MidiRefusedError(f"{name} has {len(parts)} parts; {MOST_TRACKS} can be read: leave some tracks out.")
    remarks = (f"{left_out} notes outside the percussion channel (10) were left out.",) if left_out else ()
    return ReadSong(tuple(parts), tuple(section for _, section in sections), remarks)


def _by_voice(tracks: list[tuple[str, list[tuple[int, str, int]]]]) -> list[tuple[str, list[tuple[int, str, int]]]]:
    parted: dict[tuple[str, str], list[tuple[int, str, int]]] = {}
    for title, notes in tracks:
        for note in notes:
            parted.setdefault((title if len(tracks) > 1 else "", note[1]), []).append(note)
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


def _in_sections(notes: list[tuple[int, str, int]], sections: list[tuple[int, ReadSection]]) -> tuple[Hit, ...]:
    starts = np.array([start for start, _ in sections])
    of = np.searchsorted(starts, [note[0] for note in notes], side="right") - 1
    hits: list[Hit] = []
    for number, (start, section) in enumerate(sections):
        inside = [
            (tick - start, voice, velocity)
            for (tick, voice, velocity), one in zip(notes, of.tolist(), strict=True)
            if one == number
        ]
        if inside:
            length = section.bars * section.metre.bar_ticks
            placed = split_places(sorted(inside), section.tempo_bpm, length)
            hits += [Hit(hit.voice, hit.tick + start, hit.velocity, hit.offset_ms) for hit in placed]
    return tuple(hits)


@dataclass(frozen=True)
class SongMidiOptions(SongOptions):
    """by: what a track is."""

    by: Literal["part", "voice"] = field(default="part", metadata={"help": "what a track is (default: part)"})


def write(given: SongToWrite, options: SongMidiOptions) -> Written:
    """Write a whole song as it is played."""
    written = write_song_midi(given.played, given.note_maps, name=given.name, by=options.by, early=given.early)
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
        choices=(Choice("a track per part", {"by": "part"}), Choice("a track per voice", {"by": "voice"})),
        label=" song",
    )
)
