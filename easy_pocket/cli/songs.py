"""Songs of the shelf: exported as the page exports them, made from a MIDI file."""

from __future__ import annotations

import argparse
import os
import re
import sys
from pathlib import Path
from typing import Any

from easy_pocket.cli.files import bounded_bytes, file_name, say, write
from easy_pocket.cli.format_options import add_format_options, format_options
from easy_pocket.cli.on_shelf import find_song, on_shelf
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.formats.registry import Format, Of, written
from easy_pocket.core.formats.song_midi import read_song_midi
from easy_pocket.core.formats.stems_zip import stem_files
from easy_pocket.core.song.flat_patterns import flat_patterns
from easy_pocket.core.song.flatten import flatten
from easy_pocket.core.text import counted
from easy_pocket.store.database import Database, Reader
from easy_pocket.store.songs.exports import GIVEN, write_song
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.midi_import import song_from_midi
from easy_pocket.store.songs.song_facts import song_facts


def add(commands: Any) -> None:
    export = commands.add_parser("export")
    export.add_argument("song", metavar="SONG", help="its number, or its name")
    export.add_argument("-o", "--out", required=True, metavar="DIR")
    for one in _single_files("song"):
        export.add_argument(f"--{one.name}", action="store_true", help=f"the song as {one.title}, {one.holds}")
    export.add_argument(
        "--stems", choices=("voice", "part", "group"), help="a file for each, and the mix they add up to (--flac: FLAC)"
    )
    add_format_options(export, [one.options for one in written("song")], but=("stems", "flac"))
    export.add_argument(
        "--what", nargs="+", default=["song"], metavar="WHAT", help="loop, song (default), or section NAME"
    )
    export.add_argument("--flat", action="store_true", help="a MIDI file per part, every hit where it is written")
    export.set_defaults(run=run_export)

    bring = commands.add_parser("import-midi")
    bring.add_argument("file", metavar="FILE")
    bring.add_argument("--by", choices=("track", "voice"), default="track", help="what a part is (default: a track)")
    bring.add_argument("--channels", choices=("drums", "all"), default="drums",
                       help="drums: channel 10, where it is used (default); all: every one")  # fmt: skip
    bring.add_argument("--tracks", choices=("together", "in-turn"),
                       help="what the tracks of a type 2 file are: parts, or patterns one after another")  # fmt: skip
    bring.add_argument("--kit", default="boathouse", help="the kit the parts are played on")
    bring.set_defaults(run=run_import)


def run_export(chosen: argparse.Namespace) -> None:
    if not chosen.flat and not chosen.stems and not any(getattr(chosen, one.name) for one in _single_files("song")):
        known = ", ".join(f"--{one.name}" for one in written("song"))
        raise BadValueError(f"Say what to write: {known}, --flat, or several of them.")

    def writing(database: Database) -> None:
        song = read_song(database.reader, find_song(database.reader, chosen.song))
        files = _files(database.reader, song, chosen)
        Path(chosen.out).mkdir(parents=True, exist_ok=True)
        for name, data in files:
            write(os.path.join(chosen.out, name), data)
            print(os.path.join(chosen.out, name))

    on_shelf(writing)


def told_progress(share: float, doing: str) -> None:
    """How far a mix is, where somebody looks on."""
    if sys.stderr.isatty():
        print(f"\r{100 * share:3.0f} % {doing:<40}", end="\n" if share >= 0.95 else "", file=sys.stderr, flush=True)


def _files(reader: Reader, song: LoadedSong, chosen: argparse.Namespace) -> list[tuple[str, bytes]]:
    stem = plain(song.name)
    files = []
    of = _what(song, chosen)
    for one in _single_files(of):
        if getattr(chosen, one.name, False) and not (chosen.stems and one.name == "flac"):
            options = format_options(chosen, one.options)
            files.append((stem + one.file_label(options), write_song(reader, song, one, options, told_progress)))
    if chosen.stems:
        options = format_options(chosen, next(one for one in written(of) if one.name == "stems").options)
        files += stem_files(GIVEN[of](reader, song, options, told_progress), options).items()
    if chosen.flat:
        arrangement = song.arrangement
        patterns = flat_patterns(arrangement, flatten(arrangement))
        for number, part in enumerate(song.parts, start=1):
            played = perform(patterns[part.id], tempo_bpm=song.base_tempo_bpm, straight=True, loop=False)
            data = write_midi(played, name=part.name, note_map=song.notes_of(part.kit_key)).data
            files.append((f"{stem} {number:02d} {plain(part.name)}.mid", data))
    return files


def _single_files(of: Of) -> list[Format]:
    return [one for one in written(of) if one.name != "stems"]


def _what(song: LoadedSong, chosen: argparse.Namespace) -> Of:
    """What of the song is written; a section is the bars it takes."""
    what, *name = chosen.what
    if what == "loop" and not name:
        return "pattern"
    if what == "section" and name:
        wanted = " ".join(name).lower()
        spans = [span for span in song.arrangement.spans if span.section.name.lower() == wanted]
        if not spans:
            known = ", ".join(one.name for one in song.sections)
            raise BadValueError(f"There is no section '{' '.join(name)[:60]}' in {song.name}; there are {known}.")
        chosen.from_bar, chosen.bars = spans[0].first_bar, sum(span.bars for span in spans)
    elif what != "song" or name:
        raise BadValueError("--what is loop, song, or section NAME.")
    return "song"


def plain(name: str) -> str:
    """Turn a name into a file name of plain letters."""
    return re.sub(r"[^A-Za-z0-9 _-]+", "", name).strip() or "song"


def run_import(chosen: argparse.Namespace) -> None:
    name = file_name(chosen.file)
    data = bounded_bytes(chosen.file, "MIDI file")

    def making(database: Database) -> None:
        tracks = chosen.tracks and chosen.tracks.replace("-", " ")
        read = read_song_midi(data, name, by_voice=chosen.by == "voice", channels=chosen.channels, tracks=tracks)
        with database.transaction() as session:
            row = song_from_midi(session, read, name, kit_key=chosen.kit)
        facts = next(one for one in song_facts(database.reader) if one["id"] == row.id)
        for remark in read.remarks:
            say(remark)
        held = ((facts["bars"], "bar"), (len(facts["parts"]), "part"), (len(facts["sections"]), "section"))
        print(f"{facts['id']:>4}  {facts['name']}: {', '.join(counted(*one) for one in held)}")

    on_shelf(making)
