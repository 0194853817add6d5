"""`easy-pocket songs`: what is on the shelf."""

from __future__ import annotations

import argparse
import json
from typing import Any

from easy_pocket.cli.on_shelf import on_shelf
from easy_pocket.store.database import Database
from easy_pocket.store.songs.song_facts import song_facts


def add(commands: Any) -> None:
    listed = commands.add_parser("songs")
    listed.add_argument("--json", action="store_true", help="print them as JSON")
    listed.set_defaults(run=run)


def run(chosen: argparse.Namespace) -> None:
    def listing(database: Database) -> None:
        rows = song_facts(database.reader)
        if chosen.json:
            print(json.dumps(rows))
            return
        for row in rows:
            minutes, seconds = divmod(round(row["length_s"]), 60)
            print(f"{row['id']:>4}  {row['name']}: {row['tempo_bpm']:g} bpm, {row['metre']}, {row['bars']} bars, "
                  f"{minutes}:{seconds:02d}, {len(row['parts'])} parts, {len(row['sections'])} sections")  # fmt: skip

    on_shelf(listing)
