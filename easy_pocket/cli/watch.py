"""`easy-pocket watch`: a beat gets its feel again each time its file, or the feel's, changes."""

from __future__ import annotations

import argparse
import os
import time
from typing import Any

from easy_pocket.cli.files import say, told
from easy_pocket.cli.perform import add_feel_options, run_perform
from easy_pocket.core.errors import BadValueError, PocketError

LOOK_S = 0.2


def add(commands: Any) -> None:
    watch = commands.add_parser("watch")
    add_feel_options(watch)
    watch.add_argument("--once", action="store_true", help="do it once and end")
    watch.set_defaults(run=run)


def run(chosen: argparse.Namespace) -> None:
    """Until it is stopped; what is wrong with a file is said, and it is looked at again when it changes."""
    if "-" in (chosen.midi, chosen.feel, chosen.out):
        raise BadValueError("watch looks at files: name them, - is none.")
    if chosen.once:
        run_perform(chosen)
        return
    read = [path for path in (chosen.midi, chosen.feel, chosen.hand) if path]
    seen: list[object] = []
    while True:
        now = [_state(path) for path in read]
        if now != seen:
            seen = now
            try:
                run_perform(chosen)
                told(f"{chosen.out}: written {time.strftime('%H:%M:%S')}", chosen.out)
            except (PocketError, OSError) as error:
                say(" ".join(str(error).split()))
        time.sleep(LOOK_S)


def _state(path: str) -> object:
    try:
        found = os.stat(path)
    except OSError:
        return None
    return found.st_mtime_ns, found.st_size
