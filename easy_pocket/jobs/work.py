"""What workers do: read files from outside, listen to them, mix songs. Each function is given plain values."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from pathlib import PurePath

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.formats.audio_file import read_audio, write_audio
from easy_pocket.core.formats.groove_midi import load_groove_midi
from easy_pocket.core.formats.groove_table import load_groove_csv
from easy_pocket.core.formats.midi import nearest_voice, read_midi
from easy_pocket.core.formats.sfz import ReadKit, read_sfz
from easy_pocket.core.formats.song_midi import ReadSong, read_song_midi
from easy_pocket.core.formats.sound_files import ImportedSounds, import_sounds
from easy_pocket.core.formats.template_file import load_template
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.progress import OnProgress, no_progress
from easy_pocket.core.sound.character import Character
from easy_pocket.core.sound.headroom import Mixed, fitting
from easy_pocket.core.sound.sound import sampled
from easy_pocket.store.database import Database, Reader
from easy_pocket.store.kits.sound_library import measured
from easy_pocket.store.loops.loops import stored
from easy_pocket.store.songs.edits.loops import AnalyzedFile
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.pattern_files import pattern_as_audio
from easy_pocket.store.songs.selection import Selection
from easy_pocket.store.songs.song_files import song_as_audio

_url = ""
_database: Database | None = None


def use_database(url: str) -> None:
    global _url, _database
    _url, _database = url, None


def _reader() -> Reader:
    global _database
    _database = _database or Database(_url)
    return _database.reader


def _song(song_id: int, selection: Selection) -> LoadedSong:
    return read_song(_reader(), song_id, selection)


def ready() -> None:
    """Nothing: so that a worker is there before it is needed."""


def analyze_file(data: bytes, name: str, on_progress: OnProgress = no_progress) -> AnalyzedFile:
    """Raises AudioRefusedError or NoHitsError."""
    audio = read_audio(data, name)
    heard = analyze_loop(audio, on_progress=on_progress)
    on_progress(0.95, "keeping it")
    return AnalyzedFile(name, stored(audio), heard)


def read_sounds(data: bytes, name: str) -> tuple[list[ImportedSounds], list[Character], list[str]]:
    """One-shots ready to be kept, what was measured of each, and in words what could not be used."""
    found, refused = import_sounds(data, name)
    audio = {one.audio: one.frames for one in found}
    return found, [measured(sampled(one.audio), audio.__getitem__) for one in found], refused


def read_kit(data: bytes, name: str) -> ReadKit:
    return read_sfz(data, name)


def read_parts(data: bytes, name: str, by_voice: bool) -> ReadSong:
    return read_song_midi(data, name, by_voice=by_voice)


def read_fill(data: bytes, name: str) -> Pattern:
    """A MIDI file's hits, on the voices that come nearest."""
    pattern = read_midi(data, name).pattern
    by_place = {(nearest_voice(hit.voice), hit.tick): hit for hit in pattern.hits}
    return pattern.with_hits(replace(hit, voice=voice) for (voice, _), hit in by_place.items())


def read_groove(data: bytes, name: str) -> GrooveTemplate:
    """A groove in one of its three formats, told by the file's ending. Raises BadValueError or MidiRefusedError."""
    ending = PurePath(name).suffix.lower()
    readers = {
        ".json": partial(load_template, data, name),
        ".csv": partial(load_groove_csv, data, name),
        ".mid": partial(load_groove_midi, data, name),
        ".midi": partial(load_groove_midi, data, name),
    }
    if ending not in readers:
        raise BadValueError(f"{name} is no groove: bring in a .json, .csv or .mid file, or take a groove from a loop.")
    groove = readers[ending]()
    return replace(groove, name=groove.name.strip() or PurePath(name).stem)


@dataclass(frozen=True)
class Fit:
    """How a mix is made to fit into its file: see `fitting`."""

    bits: int = 24
    take_off_db: float = 0.0
    as_it_is: bool = False

    def write(self, mixed: Mixed) -> bytes:
        """A WAV file. Raises WouldClipError."""
        audio = fitting(mixed, self.bits, take_off_db=self.take_off_db, as_it_is=self.as_it_is)
        return write_audio(audio, "WAV", self.bits)


def song_wav(song_id: int, selection: Selection, fit: Fit) -> tuple[str, bytes]:
    """The song's name, and its mix as a file."""
    song = _song(song_id, selection)
    return song.name, fit.write(song_as_audio(_reader(), song))


def pattern_wav(song_id: int, selection: Selection, timing: str, fit: Fit) -> tuple[str, bytes]:
    song = _song(song_id, selection)
    return song.name, fit.write(pattern_as_audio(_reader(), song, timing))
