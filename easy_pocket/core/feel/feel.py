"""Feel: the settings that turn written hits into played hits, and how the nearest one set wins.

`Feel` is the one table of settings: each line says its default, range, unit and words. The checks here, the types of
requests, the options of the command line, the sliders of the Bench and `FeelScopes.neutral` follow from it. A new
setting is one line here, and a stage in perform.py that carries it out.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import Field, dataclass, field, fields
from typing import Any

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.feel.template import LANES, GrooveTemplate

BY_VOICE = "voice"
MAX_PUSH_MS = 100.0


@dataclass(frozen=True)
class Slider:
    """How a setting is drawn on the Bench. card: the group it stands in. label: where it is another than its words."""

    card: str
    low: float
    high: float
    step: float
    label: str = ""


@dataclass(frozen=True)
class Setting:
    """What is known of one setting of the feel.

    default: where no scope sets it. neutral: a voice's own value that leaves its hits as written; None where another
    setting turns it off. words: in a sentence, "Swing must lie between". short: in the undo list. low, high, unit: its
    range, for numbers. choices: its values, for words and some whole numbers. option, help: of the command line.
    stored: its name where songs are stored.
    """

    default: Any
    words: str
    short: str
    low: float | None = None
    high: float | None = None
    unit: str = ""
    neutral: Any = None
    choices: tuple[Any, ...] = ()
    slider: Slider | None = None
    option: str = ""
    help: str = ""
    stored: str = ""


def _setting(default: Any, words: str, short: str, **more: Any) -> Any:
    return field(default=None, metadata={"setting": Setting(default, words, short, **more)})


@dataclass(frozen=True)
class Feel:
    """Settings of one scope (stack, part or voice); None means inherited. Raises BadValueError outside their ranges.

    swing_percent: where the off-beat falls within its pair, 50 is straight. swing_unit: the notes that swing.
    short_note_ms: the short note of a pair never gets shorter than this; 0 = no such limit. groove_scales: template
    offsets grow and shrink with tempo (else they keep their ms). push_ms: constant lead (negative) or lag. drift_ms and
    jitter_ms: standard deviations of the shared wander and of the scatter of single hits; touch: velocity scatter,
    either way; seed: what is drawn by; runs_on: another draw in every pass of the loop, else the same. groove_on:
    whether the groove reaches these hits. groove_lane: "voice" (the lane of the voice's band) or one of the template's
    lanes. ghost_percent: velocity of ghosts in percent of what is written. depth_percent: how far other hits stand from
    their voice's middle. weaker_hand: fast hats and rides are quieter and later on every second stroke.
    density_percent: how many of a voice's hits sound, the most important ones.

    >>> Feel(swing_percent=62).swing_percent
    62
    >>> Feel(swing_percent=80)
    Traceback (most recent call last):
    ...
    easy_pocket.core.errors.BadValueError: Swing is 80 %; it must lie between 50 and 75 %.
    """

    swing_percent: float | None = _setting(
        50.0, "Swing", "swing", low=50, high=75, unit="%", neutral=50.0,
        slider=Slider("swing", 50, 75, 0.5), option="swing", help="percent, 50-75",
    )  # fmt: skip
    swing_unit: int | None = _setting(
        16, "Swing", "swing unit", choices=(8, 16),
        option="swing-unit", help="8ths or 16ths swing: 8 or 16 (default 16)",
    )  # fmt: skip
    short_note_ms: float | None = _setting(
        0.0, "The shortest short note", "shortest short note", low=0, high=200, unit="ms",
        option="short-note", help="ms the short note of a pair lasts at least",
    )  # fmt: skip
    template: GrooveTemplate | None = _setting(
        None, "The groove", "groove", stored="template_id",
        option="template", help="a groove template, T.json; 'none' keeps a voice free of it",
    )  # fmt: skip
    timing_pull: float | None = _setting(
        100.0, "Timing pull", "timing pull", low=0, high=100, unit="%",
        slider=Slider("groove", 0, 100, 1, "timing pull"), option="timing-pull", help="percent, 0-100 (default 100)",
    )  # fmt: skip
    accent_pull: float | None = _setting(
        0.0, "Accent pull", "accent pull", low=0, high=100, unit="%",
        slider=Slider("groove", 0, 100, 1, "accent pull"), option="accent-pull", help="percent, 0-100 (default 0)",
    )  # fmt: skip
    groove_scales: bool | None = _setting(True, "The groove", "groove follows tempo")
    push_ms: float | None = _setting(
        0.0, "Push / lay back", "push", low=-MAX_PUSH_MS, high=MAX_PUSH_MS, unit="ms",
        slider=Slider("push", -40, 40, 0.5), option="push", help="ms of lead (-) or lag",
    )  # fmt: skip
    drift_ms: float | None = _setting(
        0.0, "Drift", "drift", low=0, high=20, unit="ms", neutral=0.0,
        slider=Slider("loose", 0, 20, 0.5, "drift"), option="drift",
        help="ms of slow wander shared by all voices, 0-20",
    )  # fmt: skip
    jitter_ms: float | None = _setting(
        0.0, "Jitter", "jitter", low=0, high=20, unit="ms", neutral=0.0,
        slider=Slider("loose", 0, 20, 0.5, "jitter"), option="jitter", help="ms of scatter of single hits, 0-20",
    )  # fmt: skip
    touch: float | None = _setting(
        0.0, "Touch", "touch", low=0, high=40, unit="velocity", neutral=0.0,
        slider=Slider("loose", 0, 40, 1, "touch"), option="touch", help="scatter of velocity, 0-40",
    )  # fmt: skip
    seed: int | None = _setting(1, "The seed", "seed", low=0, high=2**31)
    runs_on: bool | None = _setting(False, "Looseness", "looseness new each pass")
    groove_on: bool | None = _setting(True, "The groove", "reach of the groove", neutral=False)
    groove_lane: str | None = _setting(
        BY_VOICE, "The band of the groove", "band of the groove", choices=(BY_VOICE, *LANES),
        option="lane", help="band of the template: voice (default), all, low, mid or high",
    )  # fmt: skip
    ghost_percent: float | None = _setting(
        100.0, "The level of ghosts", "level of ghosts", low=25, high=200, unit="%", neutral=100.0,
        slider=Slider("dynamics", 25, 200, 1, "ghosts"), option="ghosts", help="level of ghosts in percent, 25-200",
    )  # fmt: skip
    depth_percent: float | None = _setting(
        100.0, "Accent depth", "accent depth", low=0, high=200, unit="%", neutral=100.0,
        slider=Slider("dynamics", 0, 200, 1, "accent depth"), option="depth", help="accent depth in percent, 0-200",
    )  # fmt: skip
    weaker_hand: bool | None = _setting(False, "The weak hand", "weak hand", neutral=False)
    density_percent: float | None = _setting(
        100.0, "The density", "density", low=0, high=100, unit="%", neutral=100.0,
        slider=Slider("density", 0, 100, 1, "density"), option="density",
        help="how many of the hits sound, in percent, the most important ones",
    )  # fmt: skip

    def __post_init__(self) -> None:
        for name, setting in SETTINGS.items():
            value = getattr(self, name)
            if value is None:
                continue
            if setting.low is not None and setting.high is not None:
                require_range(setting.words, value, setting.low, setting.high, setting.unit)
            if setting.choices and value not in setting.choices:
                _refuse_choice(setting, value)


def _refuse_choice(setting: Setting, value: Any) -> None:
    if isinstance(setting.choices[0], int):
        raise BadValueError(f"Swing on {value}ths is not known; use {' or '.join(map(str, setting.choices))}.")
    by_voice, *lanes = setting.choices
    raise BadValueError(
        f"There is no band '{value[:20]}'; a groove is followed by {by_voice}, or by its band {', '.join(lanes)}."
    )


def _setting_of(one: Field[Any]) -> Setting:
    found: Setting = one.metadata["setting"]
    return found


SETTINGS: dict[str, Setting] = {one.name: _setting_of(one) for one in fields(Feel)}
STORED: dict[str, Setting] = {setting.stored or name: setting for name, setting in SETTINGS.items()}
DEFAULTS = Feel(**{name: setting.default for name, setting in SETTINGS.items()})
STRAIGHT = Feel()


@dataclass(frozen=True)
class FeelScopes:
    """The feel of the stack, of one part, and of single voices of that part.

    player: which part it is; each wanders and scatters for itself.
    """

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
        neutral = {name: setting.neutral for name, setting in SETTINGS.items()}
        return Feel(**{**neutral, "push_ms": -self.part_push_ms or None})

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
