"""`easy-pocket pack` and `unpack`: a song as one file with everything in it, and back."""

from __future__ import annotations

import argparse
from typing import Any

from easy_pocket.cli.files import bounded_bytes, file_name, write
from easy_pocket.cli.on_shelf import find_song, on_shelf
from easy_pocket.core.formats.pocket_file import MOST_BYTES, read_song_file, write_song_file
from easy_pocket.store.database import Database
from easy_pocket.store.songs.pocket_files import song_contents, song_from_contents


def add(commands: Any) -> None:
    pack = commands.add_parser("pack")
    pack.add_argument("song", metavar="SONG", help="its number, or its name")
    pack.add_argument("-o", "--out", required=True, metavar="FILE.pocket", help="- for standard output")
    pack.add_argument("--history", action="store_true", help="with every step to undo, and what those need")
    pack.set_defaults(run=run_pack)

    unpack = commands.add_parser("unpack")
    unpack.add_argument("file", metavar="FILE.pocket", help="- for standard input")
    unpack.add_argument("--name", default="", help="what the new song is called (default: as in the file)")
    unpack.set_defaults(run=run_unpack)


def run_pack(chosen: argparse.Namespace) -> None:
    def packing(database: Database) -> None:
        number = find_song(database.reader, chosen.song)
        with database.transaction() as session:
            data = write_song_file(song_contents(session, number, history=chosen.history))
        write(chosen.out, data)

    on_shelf(packing)


def run_unpack(chosen: argparse.Namespace) -> None:
    name = file_name(chosen.file)
    data = bounded_bytes(chosen.file, "song file", MOST_BYTES)
    contents = read_song_file(data, name)

    def opening(database: Database) -> None:
        with database.transaction() as session:
            row = song_from_contents(session, contents, name, chosen.name)
            number, called = row.id, row.name
        print(f"{number:>4}  {called}")

    on_shelf(opening)
