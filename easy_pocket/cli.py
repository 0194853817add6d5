"""The command line: listen, groove, perform, render.

Bad input gives one line on stderr, exit code 2 and no file.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import NoReturn

import numpy as np

from easy_pocket.core.errors import BadValueError, PocketError
from easy_pocket.core.feel import Feel, FeelScopes
from easy_pocket.core.formats.audio_file import read_audio, write_audio
from easy_pocket.core.formats.heard_json import heard_to_doc
from easy_pocket.core.formats.midi import MidiBeat, nearest_voice, read_midi, write_midi
from easy_pocket.core.formats.sfz import read_sfz
from easy_pocket.core.formats.template_file import dump_template, load_template
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.listen.hear import Heard, hear
from easy_pocket.core.pattern import Pattern
from easy_pocket.core.perform import perform
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.core.sound.sound import SampleSource
from easy_pocket.core.template import MAX_TEMPLATE_BARS
from easy_pocket.core.voices import check_voice, stand_in
from easy_pocket.samples import house_kits, shipped_samples

PATIENT_BYTES = 200_000_000  # a file larger than this is not read into memory


class Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        """argparse prints its usage first; one line is what was promised."""
        self.exit(2, f"{self.prog}: {message}\n")


def main(arguments: list[str] | None = None) -> int:
    parser = _parser()
    chosen = parser.parse_args(arguments)
    command: Callable[[argparse.Namespace], None] = chosen.run
    try:
        command(chosen)
    except PocketError as error:
        return _refuse(str(error))
    except BrokenPipeError:
        return 0
    except OSError as error:
        return _refuse(f"{error.filename or 'the file'}: {error.strerror or error}.")
    return 0


def _refuse(words: str) -> int:
    print("easy-pocket: " + " ".join(words.split()), file=sys.stderr)
    return 2


def _parser() -> Parser:
    parser = Parser(prog="easy-pocket", description="Easy Pocket on the command line.")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=Parser)

    listen = commands.add_parser("listen", help="hear tempo, bars, hits and groove in a loop")
    listen.add_argument("loop", metavar="LOOP")
    listen.add_argument("--json", action="store_true", help="print everything as JSON")
    listen.set_defaults(run=run_listen)

    groove = commands.add_parser("groove", help="take a groove template from a loop")
    groove.add_argument("loop", metavar="LOOP")
    groove.add_argument("-o", "--out", required=True, metavar="T.json")
    groove.add_argument("--name", help="the template's name (default: the file's)")
    groove.add_argument("--bars", type=int, default=1, help=f"bars of the template, 1-{MAX_TEMPLATE_BARS} (default 1)")
    groove.set_defaults(run=run_groove)

    play = commands.add_parser("perform", help="give a MIDI beat a feel")
    play.add_argument("midi", metavar="IN.mid")
    play.add_argument("-o", "--out", required=True, metavar="OUT.mid")
    play.add_argument("--swing", type=float, help="percent, 50-75")
    play.add_argument("--swing-unit", type=int, choices=(8, 16), help="8ths or 16ths swing (default 16)")
    play.add_argument("--short-note", type=float, metavar="MS", help="the short note of a pair lasts at least this")
    play.add_argument("--template", metavar="T.json", help="a groove template")
    play.add_argument("--timing-pull", type=float, help="percent, 0-100 (default 100)")
    play.add_argument("--accent-pull", type=float, help="percent, 0-100 (default 0)")
    play.add_argument("--keep-ms", action="store_true", help="template offsets keep their ms at another tempo")
    play.add_argument("--push", action="append", default=[], metavar="[VOICE=]MS", help="lead (-) or lag, repeatable")
    play.add_argument("--drift", type=float, metavar="MS", help="slow wander shared by all voices, 0-20")
    play.add_argument("--jitter", type=float, metavar="MS", help="scatter of single hits, 0-20")
    play.add_argument("--touch", type=float, metavar="STEPS", help="scatter of velocity, 0-40")
    play.add_argument("--seed", type=int, help="what drift, jitter and touch are drawn by (default 1)")
    play.add_argument("--tempo", type=float, help="play at another tempo, in bpm")
    play.add_argument("--straight", action="store_true", help="every hit on its written slot, no feel")
    play.set_defaults(run=run_perform)

    render = commands.add_parser("render", help="play a MIDI beat on a kit into a WAV file")
    render.add_argument("midi", metavar="IN.mid")
    render.add_argument("-o", "--out", required=True, metavar="OUT.wav")
    render.add_argument(
        "--kit", default="boathouse", help="boathouse, signal_box, net_loft, dry_dock, or a zip with an SFZ kit"
    )
    render.add_argument("--loop", action="store_true", help="exactly as long as the bars, tails wrapped round")
    render.add_argument("--bits", type=int, choices=(16, 24, 32), default=16)
    render.set_defaults(run=run_render)
    return parser


def _listen(path: str) -> Heard:
    return hear(read_audio(path, os.path.basename(path)))


def run_listen(chosen: argparse.Namespace) -> None:
    name = os.path.basename(chosen.loop)
    doc = heard_to_doc(_listen(chosen.loop), name)
    if chosen.json:
        print(json.dumps(doc))
        return
    bars_s = np.diff(doc["bar_lines_s"])
    moves = f"; its bars last {bars_s.min():.3f} to {bars_s.max():.3f} s" if np.ptp(bars_s) > 1e-4 else ""
    swing = "no off-beats" if doc["swing_percent"] is None else f"swing {doc['swing_percent']:.1f} %"
    print(f"{name}: {doc['tempo_bpm']:.2f} bpm, {doc['bars']} bars of {doc['beats_per_bar']}/{doc['beat_unit']}, "
          f"{len(doc['onsets'])} hits, {swing}, confidence {100 * doc['confidence']:.0f} %{moves}")  # fmt: skip


def run_groove(chosen: argparse.Namespace) -> None:
    if not 1 <= chosen.bars <= MAX_TEMPLATE_BARS:
        raise BadValueError(f"--bars is {chosen.bars}; a template has 1 to {MAX_TEMPLATE_BARS}.")
    heard = _listen(chosen.loop)
    name = os.path.basename(chosen.loop)
    template = extract_template(heard.onsets, heard.reading, chosen.name or Path(name).stem, name, chosen.bars)
    _write(chosen.out, dump_template(template).encode())


def _bounded_bytes(path: str, what: str) -> bytes:
    if os.path.getsize(path) > PATIENT_BYTES:
        raise BadValueError(f"{os.path.basename(path)} is too large for a {what}.")
    return Path(path).read_bytes()


def _read_beat(path: str) -> MidiBeat:
    beat = read_midi(_bounded_bytes(path, "MIDI file"), os.path.basename(path))
    for remark in beat.remarks:
        print(f"easy-pocket: {remark}", file=sys.stderr)
    return beat


def run_perform(chosen: argparse.Namespace) -> None:
    beat = _read_beat(chosen.midi)
    feel = _feel(chosen, {hit.voice for hit in beat.pattern.hits})
    tempo_bpm = beat.tempo_bpm if chosen.tempo is None else chosen.tempo
    performance = perform(beat.pattern, feel, tempo_bpm=tempo_bpm, straight=chosen.straight, loop=False)
    written = write_midi(performance, name=Path(chosen.out).stem)
    if written.pre_roll_bars:
        print("easy-pocket: one bar of pre-roll was set before bar 1, for hits that come before it.", file=sys.stderr)
    _write(chosen.out, written.data)


def _feel(chosen: argparse.Namespace, present: set[str]) -> FeelScopes:
    template = None
    if chosen.template:
        template = load_template(_bounded_bytes(chosen.template, "groove template"), os.path.basename(chosen.template))
    part_push_ms, voices = None, {}
    for text in chosen.push:
        voice, _, amount = text.rpartition("=")
        try:
            push_ms = float(amount)
        except ValueError:
            raise BadValueError(f"--push {text}: '{amount}' is no number of ms; write it like snare=8.") from None
        if not voice:
            part_push_ms = push_ms
            continue
        check_voice(voice)
        for name in present | {voice}:
            if nearest_voice(name) == voice:
                voices[name] = Feel(push_ms=push_ms)
    stack = Feel(
        swing_percent=chosen.swing,
        swing_unit=chosen.swing_unit,
        short_note_ms=chosen.short_note,
        template=template,
        timing_pull=chosen.timing_pull,
        accent_pull=chosen.accent_pull,
        groove_scales=False if chosen.keep_ms else None,
        push_ms=part_push_ms,
        drift_ms=chosen.drift,
        jitter_ms=chosen.jitter,
        touch=chosen.touch,
        seed=chosen.seed,
    )
    return FeelScopes(stack=stack, voices=voices)


def on_voices_of(kit: Kit, pattern: Pattern) -> Pattern:
    """The pattern with notes the kit does not have given to its voice nearest in sound; none is lost."""
    taken: set[tuple[str, int]] = set()
    hits = []
    for hit in sorted(pattern.hits, key=lambda hit: hit.voice.startswith("note")):
        voice, tick = stand_in(nearest_voice(hit.voice), kit.roles), hit.tick
        while (voice, tick) in taken and tick + 1 < pattern.length_ticks:
            tick += 1
        if (voice, tick) not in taken:
            taken.add((voice, tick))
            hits.append(replace(hit, voice=voice, tick=tick))
    return pattern.with_hits(hits)


def _kit(name: str) -> tuple[Kit, SampleSource]:
    """A kit of the house by its key, or one read from a zip with an SFZ."""
    if name.lower().endswith(".zip"):
        read = read_sfz(_bounded_bytes(name, "kit"), os.path.basename(name))
        for remark in read.remarks:
            print(f"easy-pocket: {remark}", file=sys.stderr)
        return read.kit, read.audio.__getitem__
    kits = house_kits()
    if name not in kits:
        raise BadValueError(f"There is no kit '{name[:40]}'; there are {', '.join(kits)}, or name a zip with an SFZ.")
    return kits[name], shipped_samples


def run_render(chosen: argparse.Namespace) -> None:
    kit, samples = _kit(chosen.kit)
    beat = _read_beat(chosen.midi)
    performance = perform(on_voices_of(kit, beat.pattern), tempo_bpm=beat.tempo_bpm, loop=chosen.loop)
    events = play_events(performance, kit, loop=chosen.loop)
    early_s = max(0.0, -min((event.start_s for event in events), default=0.0))
    events = [
        replace(
            event,
            start_s=event.start_s + early_s,
            cut_s=None if event.cut_s is None else event.cut_s + early_s,
        )
        for event in events
    ]
    length_s = performance.length_ms / 1000 + early_s
    audio = mixdown(events, kit, length_s, loop=chosen.loop, samples=samples)
    _write(chosen.out, write_audio(audio, "WAV", chosen.bits))


def _write(path: str, data: bytes) -> None:
    """The whole file or none of it."""
    target = Path(path)
    handle, temporary = tempfile.mkstemp(dir=target.parent or ".", prefix=".easy-pocket-")
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
        os.chmod(temporary, 0o644)
        os.replace(temporary, target)
    except BaseException:
        os.unlink(temporary)
        raise


if __name__ == "__main__":
    sys.exit(main())
