"""The command line: listen, groove, perform, pocket, render; uses of loops, ideas, and songs.

Bad input gives one line on stderr, exit code 2 and no file.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable
from dataclasses import replace
from importlib.metadata import version
from pathlib import Path
from typing import NoReturn

import numpy as np

from easy_pocket.caches import give_core_its_caches
from easy_pocket.cli.files import is_groove_file, listen, read_template, say, write_template
from easy_pocket.cli.hand import add_hand
from easy_pocket.cli.ideas import add_ideas
from easy_pocket.cli.loops import add_loops
from easy_pocket.cli.perform import add_perform
from easy_pocket.cli.pocket import add_pocket
from easy_pocket.cli.pocket_files import add_song_files
from easy_pocket.cli.render import add_render
from easy_pocket.cli.songs import add_songs
from easy_pocket.core.errors import BadValueError, PocketError
from easy_pocket.core.feel.template import MAX_TEMPLATE_BARS
from easy_pocket.core.formats.analysis_json import analysis_doc
from easy_pocket.core.listen.beat_check import beat_doubt
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.listen.loop_analysis import LoopAnalysis


class Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        """Print one line; argparse alone would print its usage first."""
        self.exit(2, f"{self.prog}: {message}\n")


def main(arguments: list[str] | None = None) -> int:
    parser = _parser()
    chosen = parser.parse_args(arguments)
    command: Callable[[argparse.Namespace], None] = chosen.run
    give_core_its_caches()
    try:
        command(chosen)
        sys.stdout.flush()
    except PocketError as error:
        return _refuse(str(error))
    except BrokenPipeError:  # who reads has had enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        say("stopped.")
        return 130
    except OSError as error:
        return _refuse(f"{error.filename or 'the file'}: {error.strerror or error}.")
    return 0


def _refuse(words: str) -> int:
    print("easy-pocket: " + " ".join(words.split()), file=sys.stderr)
    return 2


def _parser() -> Parser:
    parser = Parser(prog="easy-pocket", description="Easy Pocket on the command line.")
    parser.add_argument("--version", action="version", version=f"easy-pocket {version('easy-pocket')}")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=Parser)

    listen = commands.add_parser("listen", help="hear tempo, bars, hits and groove in a loop")
    listen.add_argument("loop", metavar="LOOP")
    listen.add_argument("--json", action="store_true", help="print everything as JSON")
    listen.set_defaults(run=run_listen)

    groove = commands.add_parser("groove", help="take a groove template from a loop, or turn one into another kind")
    groove.add_argument("loop", metavar="LOOP|GROOVE", help="audio, or a groove as JSON, CSV or MIDI")
    groove.add_argument("-o", "--out", required=True, metavar="T.json")
    groove.add_argument("--name", help="the template's name (default: the file's)")
    groove.add_argument("--bars", type=int, default=1, help=f"bars of the template, 1-{MAX_TEMPLATE_BARS} (default 1)")
    groove.set_defaults(run=run_groove)

    add_perform(commands)
    add_hand(commands)
    add_pocket(commands)
    add_loops(commands)
    add_ideas(commands)
    add_songs(commands)
    add_song_files(commands)

    add_render(commands)
    return parser


def run_listen(chosen: argparse.Namespace) -> None:
    name = os.path.basename(chosen.loop)
    heard = listen(chosen.loop)
    doc = analysis_doc(heard, name)
    warn_of_doubt(heard)
    if chosen.json:
        print(json.dumps(doc))
        return
    bars_s = np.diff(doc["bar_lines_s"])
    moves = f"; its bars last {bars_s.min():.3f} to {bars_s.max():.3f} s" if np.ptp(bars_s) > 1e-4 else ""
    swing = "no off-beats" if doc["swing_percent"] is None else f"swing {doc['swing_percent']:.1f} %"
    print(f"{name}: {doc['tempo_bpm']:.2f} bpm, {doc['bars']} bars of {doc['beats_per_bar']}/{doc['beat_unit']}, "
          f"{len(doc['onsets'])} hits, {swing}, confidence {100 * doc['confidence']:.0f} %{moves}")  # fmt: skip


def warn_of_doubt(heard: LoopAnalysis) -> None:
    """Warn on stderr when the beat is doubtful; stdout holds only what was asked for."""
    if words := beat_doubt(heard.onsets, heard.reading):
        say(words)


def run_groove(chosen: argparse.Namespace) -> None:
    if not 1 <= chosen.bars <= MAX_TEMPLATE_BARS:
        raise BadValueError(f"--bars is {chosen.bars}; a template has 1 to {MAX_TEMPLATE_BARS}.")
    if is_groove_file(chosen.loop):  # into another kind
        kept = read_template(chosen.loop)
        write_template(replace(kept, name=chosen.name) if chosen.name else kept, chosen.out)
        return
    heard = listen(chosen.loop)
    warn_of_doubt(heard)
    name = os.path.basename(chosen.loop)
    template = extract_template(heard.onsets, heard.reading, chosen.name or Path(name).stem, name, chosen.bars)
    write_template(template, chosen.out)
