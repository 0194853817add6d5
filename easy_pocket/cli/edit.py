"""`easy-pocket edit`, `undo` and `redo`: any edit that a page can make, on a song of the shelf."""

from __future__ import annotations

import argparse
import json
from typing import Any

from pydantic import TypeAdapter, ValidationError

from easy_pocket.cli.files import bounded_bytes
from easy_pocket.cli.on_shelf import find_song, on_shelf
from easy_pocket.core.errors import BadValueError
from easy_pocket.store.database import Database
from easy_pocket.store.songs.edits.pipeline import SentEdit, SentStep, make_edit, take_steps
from easy_pocket.store.songs.edits.registry import any_edit
from easy_pocket.store.songs.selection import Selection

MOST_EDITS = 10_000
MOST_BYTES = 16_000_000


def add(commands: Any) -> None:
    more = "The kinds of edits and their fields are those of the interface for programs (docs/programs.md)."
    edit = commands.add_parser("edit", more=more)
    edit.add_argument("song", metavar="SONG", help="its number, or its name")
    edit.add_argument("edit", metavar="JSON", help="an edit, or a list of them; - for standard input")
    edit.add_argument("--part", type=int, default=0, metavar="ID", help="which part it is made on (default: the first)")
    edit.add_argument("--pattern", type=int, default=0, metavar="ID", help="which of its patterns")
    edit.add_argument("--json", action="store_true", help="print what was done as JSON")
    edit.set_defaults(run=run_edit)
    for name in ("undo", "redo"):
        step = commands.add_parser(name)
        step.add_argument("song", metavar="SONG", help="its number, or its name")
        step.add_argument("--steps", type=int, default=1, metavar="N", help="how many (default: 1)")
        step.set_defaults(run=run_step)


def run_edit(chosen: argparse.Namespace) -> None:
    text = bounded_bytes("-", "edit", MOST_BYTES).decode(errors="replace") if chosen.edit == "-" else chosen.edit
    try:
        docs = json.loads(text)
    except (ValueError, RecursionError):
        raise BadValueError('The edit is no JSON: write it as {"kind": "tempo", "tempo_bpm": 92}.') from None
    docs = docs if isinstance(docs, list) else [docs]
    if len(docs) > MOST_EDITS:
        raise BadValueError(f"{len(docs)} edits are more than can be made at once ({MOST_EDITS}): send them in pieces.")
    edits = [_checked(doc) for doc in docs]

    def editing(database: Database) -> None:
        song = find_song(database.reader, chosen.song)
        selection = Selection(chosen.part, chosen.pattern)
        done = []
        for one in edits:
            made = make_edit(database, song, SentEdit(one, selection=selection))
            done.append({"words": made.words, "added": made.changed.added, "made": made.changed.made})
        if chosen.json:
            print(json.dumps(done))
            return
        for told in done:
            print(told["words"])

    on_shelf(editing)


def _checked(doc: object) -> Any:
    try:
        return TypeAdapter(any_edit()).validate_python(doc)
    except ValidationError as error:
        first = error.errors()[0]
        where = " ".join(str(piece) for piece in first["loc"][1:])
        raise BadValueError(f"This is no edit: {where or 'kind'}: {first['msg']}."[:400]) from None


def run_step(chosen: argparse.Namespace) -> None:
    if not 1 <= chosen.steps <= MOST_EDITS:
        raise BadValueError(f"--steps is {chosen.steps}; 1 to {MOST_EDITS} can be taken.")

    def stepping(database: Database) -> None:
        song = find_song(database.reader, chosen.song)
        for _ in range(chosen.steps):
            print(take_steps(database, song, SentStep(chosen.command)).words)

    on_shelf(stepping)
