"""Songs to test with: a small one whose answers are known, and random ones."""

from __future__ import annotations

from hypothesis import strategies as st

from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.part import Part, Turning
from easy_pocket.core.song.section import ORDER, Cell, Join, Section
from tests.drums import beat

BEAT = beat({"kick": "X.......X.x.....", "snare": "....X.......X..-"})
BUSY = beat({"kick": "X..x..x.X.x..x..", "snare": "....X..-....X.-."})
SHAKER = beat({"shaker": "xoo"}, step=240)  # three 16ths
FILL = beat({"snare": "xxXX", "tom_low": "..x."})


def small(**changes: object) -> Arrangement:
    """Four bars of verse twice, four of chorus: a backbone, and a shaker that runs free in three 16ths."""
    backbone = Part(1, "Backbone", {10: BEAT, 11: BUSY, 12: FILL}, kit="boathouse")
    shaker = Part(2, "Shaker", {20: SHAKER}, kit="boathouse", turning=Turning(restarts=False))
    verse = Section(100, "Verse", 4, 2, cells={1: Cell(10), 2: Cell(20)})
    chorus = Section(101, "Chorus", 4, 1, cells={1: Cell(11)})
    values = {"tempo_bpm": 120.0, "parts": (backbone, shaker), "sections": (verse, chorus), **changes}
    return Arrangement(**values)  # type: ignore[arg-type]


VOICES = ("kick", "snare", "hat_closed", "shaker")
METRES = (COMMON_TIME, Metre(3, 4), Metre(6, 8), Metre(7, 8), Metre(5, 4))


@st.composite
def patterns(draw: st.DrawFn) -> Pattern:
    length = draw(st.sampled_from([480, 720, 960, 2880, 3840, 4800, 7680]))
    places = draw(
        st.lists(st.tuples(st.sampled_from(VOICES), st.integers(0, length // 120 - 1)), max_size=12, unique=True)
    )
    dresses = st.sampled_from(
        [Articulation()] * 6
        + [
            Articulation(ornament="flam"), Articulation(odds_percent=50), Articulation(passes=1),
            Articulation(passes=3), Articulation(tune_cents=200),
        ]
    )  # fmt: skip
    hits = [
        Hit(voice, slot * 120, draw(st.integers(1, 127)), draw(st.sampled_from([0.0, -7.5, 4.0])), 0, draw(dresses))
        for voice, slot in places
    ]
    return Pattern(length, tuple(hits))


@st.composite
def feels(draw: st.DrawFn) -> Feel:
    return Feel(
        swing_percent=draw(st.sampled_from([None, 50.0, 58.0])),
        push_ms=draw(st.sampled_from([None, -9.0, 6.0])),
        drift_ms=draw(st.sampled_from([None, 4.0])),
        jitter_ms=draw(st.sampled_from([None, 2.0])),
        touch=draw(st.sampled_from([None, 8.0])),
        runs_on=draw(st.sampled_from([None, True])),
        depth_percent=draw(st.sampled_from([None, 130.0])),
        density_percent=draw(st.sampled_from([None, None, 60.0])),
    )


@st.composite
def arrangements(draw: st.DrawFn) -> Arrangement:
    """Random parts with cycles, shifts, rotations, marks, orders and changes; sections with joins, tempi, metres."""
    parts = []
    for key in range(1, draw(st.integers(1, 3)) + 1):
        made = {key * 10 + number: draw(patterns()) for number in range(draw(st.integers(1, 3)))}
        turning = Turning(
            cycle_ticks=draw(st.sampled_from([None, 720, 1440, 4800])),
            shift_ticks=draw(st.sampled_from([0, 0, 240, 3840])),
            rotation_ticks=draw(st.sampled_from([0, 0, 240, 700])),
            restarts=draw(st.booleans()),
            bars=draw(st.sampled_from(["", "", "01", "0001"])),
            order=tuple(draw(st.lists(st.sampled_from(sorted(made)), max_size=4))),
            change_percent=draw(st.sampled_from([0.0, 0.0, 60.0])),
            seed=draw(st.integers(1, 9)),
        )
        kit = draw(st.sampled_from(["boathouse", "netloft"]))
        parts.append(Part(key, f"Part {key}", made, kit, turning, FeelScopes(part=draw(feels()))))
    sections = []
    for number in range(draw(st.integers(1, 4))):
        cells = {
            part.key: Cell(
                draw(st.sampled_from([ORDER, *part.patterns])),
                draw(st.sampled_from([0, 0, 960])),
                frozenset(draw(st.lists(st.sampled_from(VOICES), max_size=1))),
                draw(st.sampled_from([0.0, -6.0])),
                draw(st.one_of(st.just(Feel()), feels())),
            )
            for part in parts
            if draw(st.integers(0, 3))
        }
        part = draw(st.sampled_from(parts))
        joins = [
            Join("fill", part.key, draw(st.sampled_from(sorted(part.patterns))), last_only=draw(st.booleans())),
            Join("drop", beats=draw(st.sampled_from([0.5, 2.0]))),
            Join("crash", part.key, voice="crash"),
            Join("swell", part.key, voice="crash", beats=2.0, gap_ms=draw(st.sampled_from([0.0, 40.0]))),
        ]
        sections.append(
            Section(
                number + 1,
                f"Section {number}",
                draw(st.integers(1, 4)),
                draw(st.integers(1, 3)),
                draw(st.sampled_from([None, 90.0])),
                draw(st.sampled_from([None, *METRES])),
                cells,
                tuple(join for join in joins if draw(st.booleans())),
            )
        )
    at_double_tempo = {(1, 2, voice): draw(st.sampled_from(["keep", "drop", "offset"])) for voice in VOICES[:2]}
    return Arrangement(104.0, COMMON_TIME, tuple(parts), tuple(sections), draw(st.integers(0, 99)), at_double_tempo)
