"""What workers do: read files from outside, listen to them, mix songs. Each function is given plain values."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace
from pathlib import Path, PurePath
from typing import Any

from easy_pocket.core.errors import NoHitsError, PocketError
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.formats.analysis_json import analysis_doc
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.formats.audio_hints import read_hints
from easy_pocket.core.formats.groove_json import template_to_doc
from easy_pocket.core.formats.kit_file import read_any_kit
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_drums import Channels, Tracks
from easy_pocket.core.formats.note_map import nearest_voice
from easy_pocket.core.formats.pocket_file import SongContents, read_song_file
from easy_pocket.core.formats.registry import Of, for_file, formats_of
from easy_pocket.core.formats.sfz import ReadKit
from easy_pocket.core.formats.song_midi import ReadSong, read_song_midi
from easy_pocket.core.formats.sound_files import ImportedSounds, import_sounds
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.listen.listened import find, listen
from easy_pocket.core.listen.loop_analysis import analyze_listened, analyze_loop
from easy_pocket.core.listen.rehearsal import rehearse
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.progress import OnProgress, no_progress
from easy_pocket.core.sound.character import Character
from easy_pocket.core.sound.sound import sampled
from easy_pocket.home.dumps import BY_HAND, make_dump
from easy_pocket.home.folder import LaunchError
from easy_pocket.store.database import Database, Reader
from easy_pocket.store.kits.sound_library import measured
from easy_pocket.store.loops.listening import keep_listening
from easy_pocket.store.loops.loops import stored
from easy_pocket.store.songs.edits.loops import AnalyzedFile
from easy_pocket.store.songs.edits.prepared import prepare_long
from easy_pocket.store.songs.edits.registry import Edit
from easy_pocket.store.songs.exports import export_file
from easy_pocket.store.songs.selection import Selection

_url = ""
_database: Database | None = None


def use_database(url: str) -> None:
    global _url, _database
    _url, _database = url, None


def reader() -> Reader:
    global _database
    _database = _database or Database(_url)
    return _database.reader


def ready() -> None:
    """Start a worker before one is needed, with what it listens by."""
    rehearse()


def analyze_file(data: bytes, name: str, on_progress: OnProgress = no_progress) -> AnalyzedFile:
    """Read and analyse an audio file; one without hits is kept, for hands that add some. Raises AudioRefusedError."""
    audio = read_audio(data, name)
    listened = listen(audio, on_progress)
    with suppress(NoHitsError):
        listened = replace(listened, found=find(listened, on_progress=on_progress))
    heard = analyze_listened(listened, on_progress=on_progress, hints=read_hints(data), keep_unheard=True)
    on_progress(0.95, "keeping it")
    kept = stored(audio)
    keep_listening(kept.digest, listened)
    return AnalyzedFile(name, kept, heard)


def heard_groove(data: bytes, name: str, bars: int, on_progress: OnProgress = no_progress) -> dict[str, object]:
    """What is heard in a loop, and its groove, as plain values. Raises AudioRefusedError or NoHitsError."""
    heard = analyze_loop(read_audio(data, name), on_progress=on_progress, hints=read_hints(data))
    groove = extract_template(heard.onsets, heard.reading, name.rsplit(".", 1)[0], name, bars)
    return {"heard": analysis_doc(heard, name), "groove": template_to_doc(groove)}


def read_sounds(data: bytes, name: str) -> tuple[list[ImportedSounds], list[Character], list[str]]:
    """One-shots ready to be kept, what was measured of each, and in words what could not be used."""
    found, refused = import_sounds(data, name)
    audio = {one.audio: one.frames for one in found}
    return found, [measured(sampled(one.audio), audio.__getitem__) for one in found], refused


def read_kit(data: bytes, name: str) -> ReadKit:
    return read_any_kit(data, name)


def read_song(data: bytes, name: str) -> SongContents:
    return read_song_file(data, name)


def read_parts(
    data: bytes, name: str, by_voice: bool, channels: Channels = "drums", tracks: Tracks | None = None
) -> ReadSong:
    return read_song_midi(data, name, by_voice=by_voice, channels=channels, tracks=tracks)


def read_fill(data: bytes, name: str) -> Pattern:
    """A MIDI file's hits, on the voices that come nearest."""
    pattern = read_midi(data, name).pattern
    by_place = {(nearest_voice(hit.voice), hit.tick): hit for hit in pattern.hits}
    return pattern.with_hits(replace(hit, voice=voice) for (voice, _), hit in by_place.items())


def read_groove(data: bytes, name: str) -> GrooveTemplate:
    """A groove in the format its ending tells. Raises BadValueError or MidiRefusedError."""
    groove: GrooveTemplate = for_file("groove", name, to="read").content(data, name)
    return replace(groove, name=groove.name.strip() or PurePath(name).stem)


def prepare(song_id: int, selection: Selection, edit: Edit, on_progress: OnProgress = no_progress) -> tuple[str, Any]:
    """What takes long of an edit, before it is sent."""
    return prepare_long(reader(), song_id, selection, edit, on_progress)


def backup(home: Path, on_progress: OnProgress = no_progress) -> str:
    """Everything on the shelf, among the dumps of the data folder; the file's name."""
    try:
        return make_dump(home, _url, BY_HAND, on_progress).name
    except LaunchError as error:
        raise PocketError(str(error)) from None


def export(
    song_id: int, selection: Selection, of: Of, name: str, options: Any, on_progress: OnProgress = no_progress
) -> tuple[str, bytes]:
    """Write a song in the format of this name: its title and the bytes of the file."""
    as_format = next(one for one in formats_of(of) if one.name == name)
    return export_file(reader(), song_id, selection, as_format, options, on_progress)
