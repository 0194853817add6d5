"""Short lines to begin from, by what they are for; written here.

Marks: X accent, x plain, o softer, - ghost, . nothing.

A line is one or more voices over one or two bars. `swung` ones lean only when the part swings; they are written so
that they suit it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import Metre, parse_metre
from easy_pocket.core.pattern.voices import ROLES

LEVELS = {"X": 116, "x": 96, "o": 74, "-": 40}
GROUPS = ("kick", "backbeat", "hats", "percussion", "break")


@dataclass(frozen=True)
class Phrase:
    """A line: hits from tick 0 over length_ticks."""

    key: str
    name: str
    group: str
    metre: Metre
    swung: bool
    length_ticks: int
    hits: tuple[Hit, ...]


# Group, metre, straight or swung, ticks of a mark, then name and voices with their marks; bars are parted by |.
_TEXT = """
kick 4/4 straight 240
four to the floor: kick X...X...X...X...
one and three: kick X.......X.......
walking in: kick X.......X.x.....
pushed three: kick X......xX.......
two-step: kick X.........X.....
two-step, answered: kick X.........X.....|X..x......X....x
heavy start: kick X.x...........x.
late caller: kick X.....x...x.....
broken, two bars: kick X..x..X...x.....|..x...X..x..x...
half-time: kick X...............|X.........x.x...
tumbling: kick X..x..x.X..x..x.
off the ground: kick ..x...x...x...x.
kick 4/4 swung 240
lazy walk: kick X......xX..x....
dragged foot: kick X..x....X......x
kick 3/4 straight 240
waltz foot: kick X...........
waltz, leaning: kick X.........x.
three piers: kick X...x...x...
kick 6/8 straight 240
six, one foot: kick X...........
six, both halves: kick X.....x.....
six, pushed: kick X...x.x.....
backbeat 4/4 straight 240
two and four: snare ....X.......X...
two and four, ghosts: snare ....X..-.-..X..-
half-time three: snare ........X.......
double knock: snare ....X.......X.x.
late two: snare .....X......X...
clap with it: snare ....X.......X...; clap ....x.......x...
rim, quiet verse: rim ....x.......x...
rim three over four: rim x..x..x..x..x...
busy hands: snare -.-.X.--.-.-X.--
backbeat 4/4 swung 240
shuffled ghosts: snare -..-X..--..-X..-
half-time shuffle: snare ...-...-X..-...-
backbeat 3/4 straight 240
waltz hands: snare ....x...x...
waltz, one answer: snare ........X...
backbeat 6/8 straight 240
six on four: snare ......X.....
six, ghosted: snare ..-.-.X.-.-.
hats 4/4 straight 240
quarters: hat_closed x...x...x...x...
eighths: hat_closed X.o.x.o.X.o.x.o.
sixteenths: hat_closed X-o-x-o-X-o-x-o-
off-beats: hat_open ..x...x...x...x.
eighths, opened: hat_closed x.o.x.o.x.o.x...; hat_open ..............x.
skipping: hat_closed x.oox.oox.oox.oo
gallop: hat_closed x..ox.o.x..ox.o.
foot on two and four: hat_pedal ....x.......x...
ride, plain: ride x.o.x.o.x.o.x.o.
threes: hat_closed x..x..x..x..x.x.
hats 4/4 swung 240
swung skip: hat_closed x..ox..ox..ox..o
ride that walks: ride x...x..ox...x..o
hats 4/4 straight 160
triplet run: hat_closed x.o.o.x.o.o.x.o.o.x.o.o.
hats 3/4 straight 240
waltz eighths: hat_closed x.o.x.o.x.o.
hats 6/8 straight 240
six eighths: hat_closed x.o.o.x.o.o.
percussion 4/4 straight 240
shaker sixteenths: shaker xooxxooxxooxxoox
shaker, leaning: shaker x.ox.ox.x.ox.ox.
tambourine on it: tambourine ....x.......x...
bell of the ferry: bell x..x..x...x.x...
bell, five in a bar: bell x..x..x...x..x..
wood answers: wood ..x...x.x...x.x.
conga talk: conga_low x.....x.x.......; conga_high ...x......x.x.xx
conga, rolling: conga_low x...x...x...x..x; conga_high ..xo..xo..xo..o.
percussion 6/8 straight 240
six bells: bell x.x.xx.x.x.x
six shakers: shaker x.oox.x.oox.
break 4/4 straight 240
quayside: kick X.X.......XX....; snare ....X..-.-..X..-; hat_closed x.x.x.x.x.x.x.x.
gangway: kick X..X..x...X.....; snare ....X..-X...X...; hat_closed x.x.x.x.x.x.x.x.
rope and tar: kick X......x.x......; snare ....X..-.-.-..X.; hat_closed x.o.x.o.x.o.x.o.
running tide: kick X.....X..x......|X.X.......x.....; snare ....X..-.-..X..-|....X..-.-.-X.X.; shaker x.x.x.x.x.x.x.x.|x.x.x.x.x.x.x.x.
break 6/8 straight 240
pier break: kick X...x.......; snare ......X..-.-; hat_closed x.x.x.x.x.x.
"""  # noqa: E501


@lru_cache(maxsize=1)
def starter_phrases() -> dict[str, Phrase]:
    """All lines of the house by key."""
    lines: dict[str, Phrase] = {}
    group, metre, swung, step = "", Metre(), False, 240
    for row in _TEXT.strip().splitlines():
        if ":" not in row:
            group, metre_text, feel, ticks = row.split()
            metre, swung, step = parse_metre(metre_text), feel == "swung", int(ticks)
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
        lines[key] = Phrase(key, name, group, metre, swung, length, ordered)
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
