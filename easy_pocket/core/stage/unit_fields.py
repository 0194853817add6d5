"""Units of a chain: the one table of their settings. Checks, requests, controls and the page's graph follow from it.

A new unit is one entry here, a process in units.py, and its twin in the page's stage_units.js.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

MOST_UNITS = 8  # of one chain


@dataclass(frozen=True)
class UnitField:
    """One setting: range and default, its words and unit. curve "ratio": moved by factors, as pitch and time are.

    choices: its values, for words. off: the value at which it does nothing, if there is one.
    """

    label: str
    low: float = 0.0
    high: float = 0.0
    default: float | str = 0.0
    unit: str = ""
    curve: str = "even"
    choices: tuple[str, ...] = ()
    digits: int = 1


@dataclass(frozen=True)
class UnitKind:
    """A unit: its name, what it does in a few words, its settings, and whether it follows hits, level or neither."""

    name: str
    words: str
    fields: Mapping[str, UnitField]
    from_hits: bool = False


def _hz(label: str, default: float, low: float = 20.0, high: float = 20_000.0) -> UnitField:
    return UnitField(label, low, high, default, "Hz", "ratio", digits=0)


def _db(label: str, default: float, low: float = -18.0, high: float = 18.0) -> UnitField:
    return UnitField(label, low, high, default, "dB")


def _ms(label: str, default: float, low: float, high: float) -> UnitField:
    return UnitField(label, low, high, default, "ms", "ratio")


SLOPES = ("6", "12", "18", "24")  # dB an octave
LOWEST_CUT_HZ, HIGHEST_CUT_HZ = 20.0, 20_000.0  # there a cut is off

UNITS: dict[str, UnitKind] = {
    "tone": UnitKind(
        "tone",
        "what is cut and lifted",
        {
            "low_cut_hz": _hz("low cut", LOWEST_CUT_HZ, high=2_000),
            "low_cut_slope": UnitField("slope", default="12", unit="dB/oct", choices=SLOPES),
            "low_shelf_hz": _hz("low shelf", 120, 30, 800),
            "low_shelf_db": _db("by", 0),
            "bell_1_hz": _hz("bell", 410, 30, 16_000),
            "bell_1_db": _db("by", 0),
            "bell_1_q": UnitField("width", 0.3, 8, 1.0, "Q", "ratio"),
            "bell_2_hz": _hz("bell", 3_200, 30, 16_000),
            "bell_2_db": _db("by", 0),
            "bell_2_q": UnitField("width", 0.3, 8, 1.0, "Q", "ratio"),
            "high_shelf_hz": _hz("high shelf", 7_000, 1_000, 16_000),
            "high_shelf_db": _db("by", 0),
            "high_cut_hz": _hz("high cut", HIGHEST_CUT_HZ, low=300),
            "high_cut_slope": UnitField("slope", default="12", unit="dB/oct", choices=SLOPES),
        },
    ),
    "drive": UnitKind(
        "drive",
        "rounds and roughens",
        {
            "character": UnitField("character", default="round", choices=("round", "lean", "fold", "crush")),
            "amount_percent": UnitField("amount", 0, 100, 25, "%", digits=0),
        },
    ),
    "compressor": UnitKind(
        "compressor",
        "takes what is loud down",
        {
            "threshold_db": _db("over", -20, -60, 0),
            "ratio": UnitField("ratio", 1, 20, 3, ": 1", "ratio"),
            "attack_ms": _ms("attack", 8, 0.1, 200),
            "release_ms": _ms("back in", 90, 5, 2_000),
            "knee_db": _db("knee", 6, 0, 24),
            "mix_percent": UnitField("mix", 0, 100, 100, "%", digits=0),
            "makeup_db": _db("lift", 0, 0, 24),
            "side": UnitField("fed by", default="", choices=()),
        },
    ),
    "duck": UnitKind(
        "duck",
        "steps back for others",
        {
            "by": UnitField("by", default="kick snare"),
            "depth_db": _db("by", -5, -48, 0),
            "attack_ms": _ms("attack", 4, 0.5, 100),
            "hold_ms": UnitField("hold", 0, 500, 20, "ms", digits=0),
            "release_ms": _ms("back in", 140, 5, 2_000),
            "ahead_ms": UnitField("ahead", 0, 50, 4, "ms"),
            "velocity_percent": UnitField("by velocity", 0, 100, 0, "%", digits=0),
            "steps": UnitField("and steps", default=""),
            "step_beats": UnitField("a step is", 0.125, 4, 0.25, "beats", "ratio", digits=3),
        },
        from_hits=True,
    ),
    "gate": UnitKind(
        "gate",
        "chopped by a line of steps",
        {
            "steps": UnitField("steps", default="1010"),
            "step_beats": UnitField("a step is", 0.125, 4, 0.25, "beats", "ratio", digits=3),
            "closed_db": _db("closed", -48, -96, 0),
            "attack_ms": _ms("attack", 2, 0.5, 200),
            "release_ms": _ms("release", 30, 1, 1_000),
        },
        from_hits=True,
    ),
    "sway": UnitKind(
        "sway",
        "moves slowly, in time",
        {
            "shape": UnitField("shape", default="sine", choices=("sine", "triangle", "saw", "square")),
            "every_beats": UnitField("every", 0.25, 64, 8, "beats", "ratio", digits=2),
            "phase_percent": UnitField("from", 0, 100, 0, "%", digits=0),
            "pan_percent": UnitField("pan", 0, 100, 20, "%", digits=0),
            "level_db": _db("level", 0, -24, 0),
            "filter_percent": UnitField("filter", 0, 100, 0, "%", digits=0),
            "filter_hz": _hz("down to", 500, 60, 8_000),
        },
        from_hits=True,
    ),
    "echo": UnitKind(
        "echo",
        "comes again, in time",
        {
            "beats": UnitField("after", 0.0625, 4, 0.75, "beats", "ratio", digits=3),
            "feedback_percent": UnitField("again", 0, 95, 35, "%", digits=0),
            "low_cut_hz": _hz("low cut", 200, 20, 2_000),
            "high_cut_hz": _hz("high cut", 5_000, 300, 20_000),
            "sides_percent": UnitField("from side to side", 0, 100, 0, "%", digits=0),
            "mix_percent": UnitField("mix", 0, 100, 25, "%", digits=0),
        },
    ),
    "wide": UnitKind(
        "wide",
        "narrow or wide",
        {"width_percent": UnitField("width", 0, 200, 130, "%", digits=0)},
    ),
}

ROOM_FIELDS: dict[str, UnitField] = {
    "length_s": UnitField("length", 0.1, 6, 0.35, "s", "ratio", digits=2),
    "pre_delay_ms": UnitField("before", 0, 120, 6, "ms", digits=0),
    "low_cut_hz": _hz("low cut", 180, 20, 1_000),
    "high_cut_hz": _hz("high cut", 9_000, 1_000, 20_000),
    "size": UnitField("size", default="booth", choices=("booth", "room", "hall")),
    "level_db": _db("level", 0, -36, 12),
}

ECHO_FIELDS: dict[str, UnitField] = {
    **{key: field for key, field in UNITS["echo"].fields.items() if key != "mix_percent"},
    "level_db": _db("level", 0, -36, 12),
}
