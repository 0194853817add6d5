"""The notes of a MIDI file's tracks, as voices: what counts once, which channels, pedals and hands on cymbals."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Literal, NamedTuple

import mido

from easy_pocket.core.errors import MidiRefusedError
from easy_pocket.core.formats.midi_text import from_midi
from easy_pocket.core.formats.note_map import PERCUSSION_CHANNEL, voice_of_note
from easy_pocket.core.pattern.pattern import MAX_HITS
from easy_pocket.core.pattern.timebase import PPQ, Metre
from easy_pocket.core.text import counted

Channels = Literal["drums", "all"]
Tracks = Literal["together", "in turn"]  # what those of a type 2 file are
PEDAL = 4  # controller of the foot pedal: 127 is down
PEDAL_DOWN = 64
PRESSED = 64  # key pressure from which on a hand holds the cymbal
CLOSED, OPEN = "hat_closed", "hat_open"


class Note(NamedTuple):
    """Ticks at 960 a quarter, from the start; length_ticks 0 rings out."""

    tick: int
    voice: str
    velocity: int
    length_ticks: int = 0


@dataclass
class ReadTracks:
    """What the tracks hold: notes by title; tempi, metres and markers by tick; in words what could not be taken."""

    tracks: list[tuple[str, list[Note]]] = field(default_factory=list)
    tempi: dict[int, float] = field(default_factory=dict)
    metres: dict[int, Metre] = field(default_factory=dict)
    markers: dict[int, str] = field(default_factory=dict)
    end: int = 0
    left_out: int = 0  # notes of other channels
    remarks: tuple[str, ...] = ()


def read_tracks(midi: mido.MidiFile, name: str, channels: Channels = "drums") -> ReadTracks:
    """Everything in a file that means something here.

    Where notes are on the percussion channel those alone are read, unless all are asked for. Two equal notes on one
    tick of a track are one. A hat that comes as a single note is open or closed by the pedal (controller 4); key
    pressure ends the sound it is on.

    Parameters
    ----------
    midi
        The opened file.
    name
        For messages.
    channels
        "drums": channel 10 where it is used; "all": every one.

    Returns
    -------
    ReadTracks
        Notes, tempi and metres with their places.

    Raises
    ------
    MidiRefusedError
        For no notes, too many, or a metre that is not known.
    """
    found, scale = ReadTracks(), PPQ / midi.ticks_per_beat
    notes = (m for track in midi.tracks for m in track if m.type == "note_on" and m.velocity)
    drums_only = channels == "drums" and any(m.channel == PERCUSSION_CHANNEL for m in notes)
    count = twice = left_out = 0
    for number, track in enumerate(midi.tracks):
        title, once, now = "", _Once(), 0
        for message in track:
            now += message.time
            if message.type in ("note_on", "polytouch", "control_change"):
                if drums_only and message.channel != PERCUSSION_CHANNEL:
                    left_out += message.type == "note_on" and message.velocity > 0
                    continue
                once.take(message, now)
                if count + len(once.notes) > MAX_HITS:
                    raise MidiRefusedError(f"{name} holds more than {MAX_HITS} notes: split it first.")
            elif message.is_meta:
                title = _meta(found, message, round(now * scale), name, title)
        mine = once.as_voices(scale)
        count, twice = count + len(mine), twice + once.twice
        if mine:
            found.tracks.append((title or f"Track {number + 1}", mine))
            found.end = max(found.end, mine[-1].tick + 1)
        found.end = max(found.end, min(round(now * scale), found.end + 4 * 3840))
    if not found.tracks:
        raise MidiRefusedError(f"{name} holds no notes: choose a file with drum notes.")
    said = []
    if left_out:
        said.append(
            f"{counted(left_out, 'note')} outside the percussion channel (10) were left out; all channels can be read."
        )
    if twice:
        said.append(f"{counted(twice, 'note')} stood twice on one tick: each counts once, as the louder one.")
    found.remarks, found.left_out = tuple(said), left_out
    return found


def _meta(found: ReadTracks, message: mido.MetaMessage, tick: int, name: str, title: str) -> str:
    """Keep a tempo, metre or marker; gives the track's title."""
    if message.type == "set_tempo":
        found.tempi[tick] = mido.tempo2bpm(max(message.tempo, 1))
    elif message.type == "time_signature":
        found.metres[tick] = metre_of(message, name)
    elif message.type == "marker" and from_midi(message.text):
        found.markers[tick] = from_midi(message.text)
    elif message.type == "track_name" and not title:
        return from_midi(message.name)
    return title


def metre_of(message: mido.MetaMessage, name: str) -> Metre:
    """Read the metre of a time signature; raises MidiRefusedError for one that bars cannot be counted in."""
    if message.denominator not in (2, 4, 8, 16) or not 1 <= message.numerator <= 32:
        raise MidiRefusedError(f"{name} has a metre of {message.numerator}/{message.denominator}, which is not known.")
    return Metre(message.numerator, message.denominator)


class _Once:
    """Notes of a track by (tick of the file, note), each once; and what pedal and hands do."""

    def __init__(self) -> None:
        self.notes: dict[tuple[int, int], int] = {}
        self.twice = 0
        self.pedal: list[tuple[int, int]] = []
        self.pressed: dict[int, list[int]] = {}

    def take(self, message: mido.Message, now: int) -> None:
        if message.type == "note_on":
            if not message.velocity:
                return
            key = (now, message.note)
            self.twice += key in self.notes
            self.notes[key] = max(message.velocity, self.notes.get(key, 0))
        elif message.type == "polytouch":
            if message.value >= PRESSED:
                self.pressed.setdefault(message.note, []).append(now)
        elif message.control == PEDAL:
            self.pedal.append((now, message.value))

    def as_voices(self, scale: float) -> list[Note]:
        voices = {note: voice_of_note(note) for _, note in self.notes}
        found = [
            Note(round(tick * scale), voices[note], velocity, self._length(tick, note, scale) if self.pressed else 0)
            for (tick, note), velocity in sorted(self.notes.items())
        ]
        return self._by_pedal(found, scale)

    def _length(self, tick: int, note: int, scale: float) -> int:
        """How long a note sounds before a hand stops it, 0 for as long as it rings."""
        stops = [at for at in self.pressed.get(note, ()) if at > tick]
        if not stops:
            return 0
        following = min((at for at, other in self.notes if other == note and at > tick), default=stops[0] + 1)
        return max(1, round((stops[0] - tick) * scale)) if stops[0] < following else 0

    def _by_pedal(self, notes: list[Note], scale: float) -> list[Note]:
        """A hat that is one note with a moving pedal is closed where the pedal is down, open where it is up."""
        values = {value >= PEDAL_DOWN for _, value in self.pedal}
        hats = {note.voice for note in notes} & {CLOSED, OPEN}
        if len(values) < 2 or len(hats) != 1:
            return notes
        moves = [(round(tick * scale), value >= PEDAL_DOWN) for tick, value in self.pedal]
        at, down, found = 0, moves[0][1], []
        for note in notes:
            while at < len(moves) and moves[at][0] <= note.tick:
                down, at = moves[at][1], at + 1
            found.append(note._replace(voice=CLOSED if down else OPEN) if note.voice in hats else note)
        return found


def in_turn(midi: mido.MidiFile) -> Iterable[mido.MidiFile]:
    """The tracks of a type 2 file, each as a file of its own."""
    for track in midi.tracks:
        alone = mido.MidiFile(type=0, ticks_per_beat=midi.ticks_per_beat)
        alone.tracks.append(track)
        yield alone


def one_after_another(read: Iterable[ReadTracks]) -> ReadTracks:
    """Tracks that are patterns of their own, each from the bar after the one before."""
    whole, shift = ReadTracks(), 0
    notes: list[Note] = []
    for one in read:
        title = one.tracks[0][0]
        notes += [note._replace(tick=note.tick + shift) for note in one.tracks[0][1]]
        whole.tempi |= {tick + shift: tempo for tick, tempo in ({0: 120.0} | one.tempi).items()}
        whole.metres |= {tick + shift: metre for tick, metre in ({0: Metre()} | one.metres).items()}
        whole.markers |= {shift: title} | {tick + shift: marker for tick, marker in one.markers.items() if tick}
        bar = (one.metres or {0: Metre()})[max(one.metres, default=0)].bar_ticks
        last_metre = max(one.metres, default=0)
        shift += last_metre + -(-(one.end - last_metre) // bar) * bar
        whole.left_out += one.left_out
        whole.remarks += tuple(words for words in one.remarks if words not in whole.remarks)
    return replace(whole, tracks=[("Drums", notes)], end=shift)
