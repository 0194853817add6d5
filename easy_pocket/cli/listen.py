"""`easy-pocket listen` and `groove`: what is heard in a loop."""

from __future__ import annotations

import argparse
import json
from dataclasses import replace
from typing import Any

import numpy as np

from easy_pocket.cli.files import file_name, is_groove_file, listen, plain_stem, read_template, say, write_template
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.template import MAX_TEMPLATE_BARS
from easy_pocket.core.formats.analysis_json import analysis_doc
from easy_pocket.core.listen.beat_check import beat_doubt
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.listen.loop_analysis import LoopAnalysis


def add(commands: Any) -> None:
    listen = commands.add_parser("listen")
    listen.add_argument("loop", metavar="LOOP")
    listen.add_argument("--json", action="store_true", help="print everything as JSON")
    listen.set_defaults(run=run_listen)

    groove = commands.add_parser("groove")
    groove.add_argument("loop", metavar="LOOP|GROOVE", help="audio, or a groove as JSON, CSV or MIDI")
    groove.add_argument("-o", "--out", required=True, metavar="T.json")
    groove.add_argument("--name", help="the template's name (default: the file's)")
    groove.add_argument("--bars", type=int, default=1, help=f"bars of the template, 1-{MAX_TEMPLATE_BARS} (default 1)")
    groove.set_defaults(run=run_groove)


def run_listen(chosen: argparse.Namespace) -> None:
    name = file_name(chosen.loop)
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
    name = file_name(chosen.loop)
    template = extract_template(heard.onsets, heard.reading, chosen.name or plain_stem(name), name, chosen.bars)
    write_template(template, chosen.out)
