"""Short lines to begin from, by what they are for, how they feel and how fast they go.

A line is one or more voices over one or two bars. Those of the house are written in starter_lines.py; those that feel
"swung" lean only when the part swings.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.starter_lines import STARTER_LINES
from easy_pocket.core.pattern.timebase import Metre, parse_metre
from easy_pocket.core.pattern.voices import ROLES

LEVELS = {"X": 116, "x": 96, "o": 74, "-": 40}
FEELS = ("straight", "swung", "triplets")
GROUPS = ("kick", "backbeat", "hats", "percussion", "break")


@dataclass(frozen=True)
class Phrase:
    """A line: hits from tick 0 over length_ticks. tempo_bpm: the slowest and fastest it is for, None: any."""

    key: str
    name: str
    group: str
    metre: Metre
    feel: str
    length_ticks: int
    hits: tuple[Hit, ...]
    tempo_bpm: tuple[int, int] | None = None

    def suits(self, tempo_bpm: float) -> bool:
        return self.tempo_bpm is None or self.tempo_bpm[0] <= tempo_bpm <= self.tempo_bpm[1]


@lru_cache(maxsize=1)
def starter_phrases() -> dict[str, Phrase]:
    """All lines of the house by key."""
    lines: dict[str, Phrase] = {}
    group, metre, feel, step, tempi = "", Metre(), "straight", 240, (0, 0)
    for row in STARTER_LINES.strip().replace("\n    ", " ").splitlines():
        if ":" not in row:
            group, metre_text, feel, ticks, between = row.split()
            slowest, _, fastest = between.partition("-")
            metre, step, tempi = parse_metre(metre_text), int(ticks), (int(slowest), int(fastest))
            continue
        name, _, voices = row.partition(": ")
        hits, length = [], 0
        for part in voices.split("; "):
            voice, marks = part.split(" ", 1)
            bars = marks.replace("|", "")
            length = max(length, len(bars) * step)
            hits += [Hit(voice, at * step, LEVELS[mark]) for at, mark in enumerate(bars) if mark != "."]
        key = f"{group}-{'-'.join(''.join(c if c.isalnum() else ' ' for c in name).split())}-{metre.beats}{metre.unit}"
        ordered = tuple(sorted(hits, key=lambda hit: (hit.tick, hit.voice)))
        lines[key] = Phrase(key, name, group, metre, feel, length, ordered, tempi)
    return lines


def group_of(voices: set[str]) -> str:
    """Where a line of these voices is looked for."""
    if len(voices) > 2 or {"kick", "snare"} <= voices:
        return "break"
    for group, own in (
        ("kick", {"kick"}),
        ("backbeat", {"snare", "rim", "clap"}),
        ("hats", {"hat_closed", "hat_open", "hat_pedal", "ride", "crash"}),
    ):
        if voices <= own:
            return group
    return "percussion"


assert all(hit.voice in ROLES for line in starter_phrases().values() for hit in line.hits)
