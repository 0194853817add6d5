"""`easy-pocket perform`: give a MIDI beat a feel, tighten it, and say why every hit is where it is."""

from __future__ import annotations

import argparse
import json
import re
from dataclasses import replace
from typing import Any

from easy_pocket.cli.files import (
    bounded_bytes,
    file_name,
    plain_stem,
    read_beat,
    read_template,
    say,
    write,
    write_pattern,
)
from easy_pocket.cli.hand import read_hand
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import SETTINGS, Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.template_edits import describe_fit
from easy_pocket.core.feel.tighten import Tighten, tighten
from easy_pocket.core.formats.exchange import PatternToWrite
from easy_pocket.core.formats.ledger_json import ledger_doc
from easy_pocket.core.formats.note_map import nearest_voice
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import GRID_TICKS, check_tempo
from easy_pocket.core.pattern.voices import ROLES, VOICE_GROUPS, check_voice
from easy_pocket.core.takes.hand_player import played_by

# Options that may be set for everything, or for a voice as VOICE=VALUE: (option, field of the feel, words of help).
MOST_FEEL_BYTES = 100_000
SCOPED = tuple((setting.option, name, setting.help) for name, setting in SETTINGS.items() if setting.option)


def add(commands: Any) -> None:
    play = commands.add_parser(
        "perform",
        more=f"[VOICE=]VALUE sets it for one voice, or for {', '.join(VOICE_GROUPS)}; repeat the option for more.",
    )
    add_feel_options(play)
    play.set_defaults(run=run_perform)


def add_feel_options(play: argparse.ArgumentParser) -> None:
    """What a beat is played with."""
    play.add_argument("midi", metavar="IN.mid")
    play.add_argument("-o", "--out", required=True, metavar="OUT.mid")
    play.add_argument("--feel", metavar="FEEL.json", help="these options from a file; those given here come on top")
    for option, field, words in SCOPED:
        play.add_argument(f"--{option}", dest=field, action="append", default=[], metavar="[VOICE=]VALUE", help=words)
    play.add_argument("--weaker-hand", action="store_true", help="fast hats: every second stroke quieter and later")
    play.add_argument("--keep-ms", action="store_true", help="template offsets keep their ms at another tempo")
    play.add_argument("--seed", type=int, help="what drift, jitter, touch and a hand are drawn by (default 1)")
    play.add_argument("--tighten", type=float, metavar="PERCENT", help="first move the hits toward a target, 0-100")
    play.add_argument("--toward", default="grid", metavar="grid|PERCENT|T.json",
                      help="what they are tightened to: the grid (default), a swung grid, or a template")  # fmt: skip
    play.add_argument("--grid", choices=tuple(GRID_TICKS), default="16", help="the grid to tighten to (default 16)")
    play.add_argument("--leave-alone", type=float, default=0.0, metavar="MS", help="hits nearer than this stay")
    play.add_argument("--tempo", type=float, help="play at another tempo, in bpm")
    play.add_argument("--straight", action="store_true", help="every hit on its written slot, no feel")
    play.add_argument("--hand", metavar="HAND.json", help="played by a hand: its swing, lean and looseness")
    play.add_argument("--channels", choices=("drums", "all"), default="drums",
                      help="drums: channel 10, where it is used (default); all: every one")  # fmt: skip
    play.add_argument("--ledger", metavar="FILE.json", help="write down, hit by hit, what moved it")


def run_perform(chosen: argparse.Namespace) -> None:
    beat = read_beat(chosen.midi, chosen.channels)
    if chosen.feel:
        chosen = with_feel_file(chosen, bounded_bytes(chosen.feel, "feel", MOST_FEEL_BYTES), file_name(chosen.feel))
    feel = feel_of(chosen, {hit.voice for hit in beat.pattern.hits})
    tempo_bpm = check_tempo(beat.tempo_bpm if chosen.tempo is None else chosen.tempo)
    templates = {one.template.name: one.template for one in (feel.stack, *feel.voices.values()) if one.template}
    for template in templates.values():
        if fitted := describe_fit(template, beat.pattern.metre, beat.pattern.bars):
            say(f"{template.name}: {fitted}.")
    pattern = _tightened(chosen, beat.pattern, tempo_bpm)
    if chosen.hand:
        pattern = played_by(pattern, read_hand(chosen.hand), tempo_bpm=tempo_bpm, seed=chosen.seed or 1)
    performance = perform(pattern, feel, tempo_bpm=tempo_bpm, straight=chosen.straight, loop=False)
    ledger = json.dumps(ledger_doc(performance), indent=1) + "\n" if chosen.ledger else None
    write_pattern(PatternToWrite(performance, plain_stem(chosen.out)), chosen.out)
    if ledger:
        write(chosen.ledger, ledger.encode())


def _tightened(chosen: argparse.Namespace, pattern: Pattern, tempo_bpm: float) -> Pattern:
    if chosen.tighten is None:
        return pattern
    wanted = Tighten(
        strength_percent=chosen.tighten, leave_alone_ms=chosen.leave_alone, step_ticks=GRID_TICKS[chosen.grid]
    )
    if re.fullmatch(r"[\d.]+", chosen.toward):
        wanted = replace(wanted, target="swing", swing_percent=float(chosen.toward))
    elif chosen.toward != "grid":
        wanted = replace(wanted, target="groove", template=read_template(chosen.toward))
    done = tighten(pattern, FeelScopes(), tempo_bpm, wanted)
    if warning := done.warning():
        say(warning)
    return done.after


def with_feel_file(chosen: argparse.Namespace, data: bytes, name: str) -> argparse.Namespace:
    """Options from a file put before those that were given.

    The file holds them by their names, {"swing": 57, "voices": {"snare": {"push": 8}}}. Raises BadValueError.
    """
    try:
        found = json.loads(data)
    except (ValueError, RecursionError):
        raise BadValueError(
            f'{name} is no JSON: write it like {{"swing": 57, "voices": {{"snare": {{"push": 8}}}}}}.'
        ) from None
    fields = {option: field for option, field, _ in SCOPED}
    flags = {"weaker-hand": "weaker_hand", "keep-ms": "keep_ms", "straight": "straight"}
    numbers = {"seed": int, "tempo": float}
    voices = found.pop("voices", {}) if isinstance(found, dict) else None
    if not isinstance(voices, dict) or not all(isinstance(own, dict) for own in voices.values()):
        raise BadValueError(
            f"{name} is no feel: it holds options by their names, and voices with options of their own."
        )
    merged = argparse.Namespace(**vars(chosen))
    for voice, own in (("", found), *voices.items()):
        for option, value in own.items():
            if not isinstance(value, str | int | float):
                raise BadValueError(f"{name} has no value for {str(option)[:40]}: write a number or a word.")
            if option in fields:
                before = [f"{voice}={value}" if voice else f"{value}"]
                setattr(merged, fields[option], before + getattr(merged, fields[option]))
            elif option in flags and not voice:
                setattr(merged, flags[option], getattr(merged, flags[option]) or value is True)
            elif option in numbers and not voice and not isinstance(value, str):
                if getattr(merged, option) is None:
                    setattr(merged, option, numbers[option](value))
            else:
                known = ", ".join([*fields, *([] if voice else [*flags, *numbers])])
                raise BadValueError(
                    f"{name} has '{str(option)[:40]}', which is no option of a feel; there are {known}."
                )
    return merged


def feel_of(chosen: argparse.Namespace, present: set[str]) -> FeelScopes:
    """The feel the options describe, for the voices that are there. Raises BadValueError for a value that is none."""
    stack: dict[str, object] = {}
    voices: dict[str, dict[str, Any]] = {}
    for option, field, _ in SCOPED:
        for text in getattr(chosen, field):
            name, _, value = text.rpartition("=")
            read = _value(option, field, value)
            if not name:
                stack[field] = read
                continue
            for voice in _voices(name, present):
                own = voices.setdefault(voice, {})
                if field == "template" and read is None:
                    own["groove_on"] = False
                else:
                    own[field] = read
    everything: dict[str, Any] = {
        **stack,
        "groove_scales": False if chosen.keep_ms else None,
        "seed": chosen.seed,
        "weaker_hand": True if chosen.weaker_hand else None,
    }
    return FeelScopes(Feel(**everything), voices={voice: Feel(**own) for voice, own in voices.items()})


def _voices(name: str, present: set[str]) -> list[str]:
    """Voices of the file a name means: the voice itself and notes that are played by it, or those of a group."""
    wanted = set(VOICE_GROUPS.get(name) or (check_voice(name),))
    return sorted({voice for voice in present if nearest_voice(voice) in wanted} | wanted & set(ROLES))


def _value(option: str, field: str, text: str) -> Any:
    if field == "template":
        return None if text == "none" else read_template(text)
    choices = SETTINGS[field].choices
    if choices and isinstance(choices[0], str):
        return text
    try:
        number = float(text)
        return int(text) if choices else number
    except ValueError:
        raise BadValueError(
            f"--{option} has '{text[:30]}', which is no number: write it like --{option} 4 or --{option} snare=4."
        ) from None
