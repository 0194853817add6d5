"""`easy-pocket hand`: learn how a player leans, swings and wanders from takes."""

from __future__ import annotations

import argparse
import json
from typing import Any

from easy_pocket.cli.files import bounded_bytes, file_name, plain_stem, read_beat, say, write
from easy_pocket.cli.files import told as tell
from easy_pocket.core.formats.exchange import ReadPattern
from easy_pocket.core.formats.hand_json import dump_hand, hand_to_doc, load_hand
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.core.takes.hand import Hand, TakeToLearn, learn_hand
from easy_pocket.core.takes.played import TakeBars, played_from_rows


def add(commands: Any) -> None:
    learn = commands.add_parser("hand")
    learn.add_argument("takes", nargs="+", metavar="TAKE.mid", help="takes played to a click, 32 hits in all at least")
    learn.add_argument("-o", "--out", required=True, metavar="HAND.json")
    learn.add_argument("--name", help="what the hand is called (default: the name of the file)")
    learn.add_argument("--json", action="store_true", help="print what was found as JSON")
    learn.set_defaults(run=run_hand)


def run_hand(chosen: argparse.Namespace) -> None:
    takes = [take_of(read_beat(path)) for path in chosen.takes]
    hand = learn_hand(takes, chosen.name or plain_stem(chosen.out))
    write(chosen.out, dump_hand(hand).encode())
    if chosen.json:
        print(json.dumps(hand_to_doc(hand)))
    else:
        for line in told(hand):
            tell(line, chosen.out)
    if hand.unknown:
        say(hand.unknown)


def take_of(beat: ReadPattern) -> TakeToLearn:
    """The hits of a beat when they were played: its slots with their own offsets."""
    tick_ms = ms_per_tick(beat.tempo_bpm)
    rows = [(hit.voice, hit.tick * tick_ms + hit.offset_ms, hit.velocity) for hit in beat.pattern.hits]
    return TakeToLearn(played_from_rows(rows), TakeBars(beat.pattern.length_ticks, beat.pattern.metre, beat.tempo_bpm))


def told(hand: Hand) -> list[str]:
    """What was found, in lines."""
    lines = [f"{hand.name}: {hand.count} hits", f"swing {hand.swing_percent.value:.1f} %"]
    for words, one, unit in (
        ("drift", hand.drift_sd_ms, "ms"),
        ("drift slope", hand.drift_slope, ""),
        ("jitter", hand.jitter_sd_ms, "ms"),
        ("touch", hand.touch_sd, "velocity"),
    ):
        if one is not None:
            lines.append(f"{words} {one.value:.1f} {unit} ({one.low:.1f} to {one.high:.1f})".replace("  ", " "))
    return lines


def read_hand(path: str) -> Hand:
    return load_hand(bounded_bytes(path, "hand"), file_name(path))
