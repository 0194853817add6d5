"""Feel: the settings that turn written hits into played hits, and how the nearest one set wins."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import Any

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.feel.template import LANES, GrooveTemplate

BY_VOICE = "voice"
MAX_PUSH_MS = 100.0
UNITS = {"touch": "velocity", "seed": ""}


@dataclass(frozen=True)
class Feel:
    """Settings of one scope (stack, part or voice); None means inherited.

    swing_percent: 50 (straight) to 75, where the off-beat falls within its pair. swing_unit: 8 or 16, the notes that
    swing. short_note_ms: the short note of a pair never gets shorter than this; 0 = no such limit. timing_pull and
    accent_pull: 0-100 %. groove_scales: template offsets grow and shrink with tempo (else they keep their ms).
    push_ms: constant lead (negative) or lag, -100 to 100. drift_ms and jitter_ms: standard deviations of the shared
    wander and of the scatter of single hits, 0-20; touch: velocity scatter, 0-40 either way; seed: what is drawn by;
    runs_on: another draw in every pass of the loop, else the same. groove_on: whether the groove reaches these hits.
    groove_lane: "voice" (the lane of the voice's band) or one of the template's lanes. ghost_percent: velocity of
    ghosts, 25-200 % of what is written. depth_percent: how far other hits stand from their voice's middle, 0-200 %.
    weaker_hand: fast hats and rides are quieter and later on every second stroke. density_percent: 0-100, how many of
    a voice's hits sound, the most important ones. Raises BadValueError outside these ranges.
    """

    swing_percent: float | None = None
    swing_unit: int | None = None
    short_note_ms: float | None = None
    template: GrooveTemplate | None = None
    timing_pull: float | None = None
    accent_pull: float | None = None
    groove_scales: bool | None = None
    push_ms: float | None = None
    drift_ms: float | None = None
    jitter_ms: float | None = None
    touch: float | None = None
    seed: int | None = None
    runs_on: bool | None = None
    groove_on: bool | None = None
    groove_lane: str | None = None
    ghost_percent: float | None = None
    depth_percent: float | None = None
    weaker_hand: bool | None = None
    density_percent: float | None = None

    def __post_init__(self) -> None:
        for name, low, high, words in (
            ("swing_percent", 50.0, 75.0, "Swing"),
            ("short_note_ms", 0.0, 200.0, "The shortest short note"),
            ("timing_pull", 0.0, 100.0, "Timing pull"),
            ("accent_pull", 0.0, 100.0, "Accent pull"),
            ("push_ms", -MAX_PUSH_MS, MAX_PUSH_MS, "Push / lay back"),
            ("drift_ms", 0.0, 20.0, "Drift"),
            ("jitter_ms", 0.0, 20.0, "Jitter"),
            ("touch", 0.0, 40.0, "Touch"),
            ("seed", 0, 2**31, "The seed"),
            ("ghost_percent", 25.0, 200.0, "The level of ghosts"),
            ("depth_percent", 0.0, 200.0, "Accent depth"),
            ("density_percent", 0.0, 100.0, "The density"),
        ):
            value = getattr(self, name)
            if value is not None:
                require_range(words, value, low, high, UNITS.get(name, "ms" if name.endswith("ms") else "%"))
        if self.swing_unit not in (None, 8, 16):
            raise BadValueError(f"Swing on {self.swing_unit}ths is not known; use 8 or 16.")
        if self.groove_lane not in (None, BY_VOICE, *LANES):
            raise BadValueError(
                f"There is no lane '{self.groove_lane[:20]}'; a groove is followed by {BY_VOICE}, or by its lane "
                f"{', '.join(LANES)}."
            )


DEFAULTS = Feel(
    swing_percent=50.0,
    swing_unit=16,
    short_note_ms=0.0,
    timing_pull=100.0,
    accent_pull=0.0,
    groove_scales=True,
    push_ms=0.0,
    drift_ms=0.0,
    jitter_ms=0.0,
    touch=0.0,
    seed=1,
    runs_on=False,
    groove_on=True,
    groove_lane=BY_VOICE,
    ghost_percent=100.0,
    depth_percent=100.0,
    weaker_hand=False,
    density_percent=100.0,
)
STRAIGHT = Feel()


@dataclass(frozen=True)
class FeelScopes:
    """The feel of the stack, of one part, and of single voices of that part. player: which part it is; each wanders
    and scatters for itself."""

    stack: Feel = STRAIGHT
    part: Feel = STRAIGHT
    voices: Mapping[str, Feel] = field(default_factory=dict)
    player: int = 0

    def resolve(self, voice: str) -> Feel:
        """Every field from the nearest scope that sets it.

        Push is the exception the ledger shows: `push_ms` here is the voice's own lead or lag only, which comes on
        top of its part's (see `part_push_ms`): a snare laid back in a part laid back lies back by both.
        """
        chain = (self.voices.get(voice, STRAIGHT), self.part, self.stack, DEFAULTS)
        chosen = {f.name: first_set(chain, f.name) for f in fields(Feel)}
        chosen["push_ms"] = chain[0].push_ms or 0.0
        return Feel(**chosen)

    def setting(self, voice: str, name: str) -> Any:
        """One field for a voice, without making all of them."""
        return first_set((self.voices.get(voice, STRAIGHT), self.part, self.stack, DEFAULTS), name)

    def neutral(self, voice: str) -> Feel:
        """Settings that, as the voice's own, leave its hits where they are written whatever the stack and part say."""
        return Feel(
            swing_percent=50.0,
            groove_on=False,
            push_ms=-self.part_push_ms or None,
            drift_ms=0.0,
            jitter_ms=0.0,
            touch=0.0,
            ghost_percent=100.0,
            depth_percent=100.0,
            weaker_hand=False,
            density_percent=100.0,
        )

    def runs_on(self, voices: tuple[str, ...]) -> bool:
        """Whether one pass of these voices differs from the next by their looseness."""
        loose = ("drift_ms", "jitter_ms", "touch")
        return any(
            self.setting(voice, "runs_on") and any(self.setting(voice, name) for name in loose) for voice in voices
        )

    @property
    def part_push_ms(self) -> float:
        """The push every hit of the part gets: the part's own, or else the stack's."""
        return float(first_set((self.part, self.stack, DEFAULTS), "push_ms"))


def over(nearer: Feel, farther: Feel) -> Feel:
    """Field by field the nearer one's, where it has one."""
    if nearer == STRAIGHT:
        return farther
    return Feel(**{f.name: first_set((nearer, farther), f.name) for f in fields(Feel)})


def first_set(chain: tuple[Feel, ...], name: str) -> Any:
    """The first value of a field that is not None along the chain, or None."""
    return next((value for scope in chain if (value := getattr(scope, name)) is not None), None)


def swing_ratio(swing_percent: float) -> float:
    """Long to short note: 66.67 % is 2.0."""
    return swing_percent / (100.0 - swing_percent)
