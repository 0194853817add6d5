"""`easy-pocket history`: the steps of a song that can be undone, and fewer of them."""

from __future__ import annotations

import argparse
import json
from typing import Any

from easy_pocket.cli.on_shelf import find_song, on_shelf
from easy_pocket.store.database import Database
from easy_pocket.store.history.undo_log import change_list
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.song_history import shorten


def add(commands: Any) -> None:
    history = commands.add_parser("history")
    history.add_argument("song", metavar="SONG", help="its number, or its name")
    history.add_argument("--keep", type=int, metavar="N", help="keep the newest N steps, forget the others for good")
    history.add_argument("--json", action="store_true", help="print them as JSON")
    history.set_defaults(run=run)


def run(chosen: argparse.Namespace) -> None:
    def listing(database: Database) -> None:
        number = find_song(database.reader, chosen.song)
        if chosen.keep is not None:
            with database.transaction() as session:
                load_song(session, number, lock=True)
                gone = shorten(session, number, max(0, chosen.keep))
            print(f"{gone} older step{'s are' if gone != 1 else ' is'} forgotten; the song stays as it is.")
            return
        steps = change_list(database.reader, number)
        if chosen.json:
            print(json.dumps(steps))
            return
        for step in steps:
            print(f"{'  redo' if step['undone'] else '  undo'}  {step['words']}")

    on_shelf(listing)
