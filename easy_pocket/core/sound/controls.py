"""What can be set on every model: few controls, each of which one hears."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.sound.models import MODELS


@dataclass(frozen=True)
class Control:
    """One setting of a model. `curve` says how a drag moves it: "ratio" by factors, "even" by amounts."""

    name: str
    label: str
    low: float
    high: float
    unit: str  # "Hz", "s", "share" (0-1, shown in percent) or "count"
    default: float
    curve: str = "even"


def _hz(name: str, label: str, low: float, high: float, default: float) -> Control:
    return Control(name, label, low, high, "Hz", default, "ratio")


def _s(name: str, label: str, low: float, high: float, default: float) -> Control:
    return Control(name, label, low, high, "s", default, "ratio")


def _share(name: str, label: str, default: float) -> Control:
    return Control(name, label, 0.0, 1.0, "share", default)


_MODEL_CONTROLS: dict[str, tuple[Control, ...]] = {
    "kick": (
        _hz("tune_hz", "tune", 25, 160, 52),
        _s("length_s", "length", 0.03, 0.9, 0.18),
        _hz("sweep_hz", "sweep", 1, 800, 140),
        _s("sweep_s", "sweep time", 0.004, 0.15, 0.026),
        _share("click", "click", 0.5),
        _share("skin", "skin", 0.2),
        _share("drive", "drive", 0.2),
    ),
    "snare": (
        _hz("tune_hz", "tune", 90, 420, 190),
        _share("balance", "body to noise", 0.5),
        _s("length_s", "length", 0.015, 0.5, 0.08),
        _hz("tone_hz", "tone", 2500, 18_000, 10_500),
        _share("snap", "snap", 0.55),
    ),
    "rim": (
        _hz("tune_hz", "tune", 500, 3200, 1300),
        _s("length_s", "length", 0.006, 0.08, 0.018),
        _share("click", "click", 0.45),
    ),
    "clap": (
        _s("spread_s", "spread", 0.003, 0.03, 0.0105),
        Control("count", "hands", 1, 8, "count", 4),
        _s("length_s", "length", 0.015, 0.5, 0.07),
        _hz("tone_hz", "tone", 500, 3000, 1150),
    ),
    "hat": (
        _hz("bright_hz", "brightness", 2500, 12_000, 6500),
        _s("length_s", "length", 0.01, 0.7, 0.04),
        _share("metal", "noise to metal", 0.6),
        _hz("base_hz", "pitch of the metal", 180, 800, 380),
        _share("chick", "foot", 0.0),
    ),
    "tom": (
        _hz("tune_hz", "tune", 50, 320, 122),
        _share("bend", "bend", 0.25),
        _s("length_s", "length", 0.05, 0.9, 0.2),
        _share("stick", "stick", 0.5),
    ),
    "cymbal": (
        _hz("base_hz", "pitch", 180, 900, 360),
        _s("length_s", "length", 0.1, 1.2, 0.75),
        _share("ping", "wash to ping", 0.3),
        _hz("bright_hz", "brightness", 1500, 9000, 3400),
        _s("swell_s", "swell", 0.002, 0.12, 0.01),
    ),
    "shaker": (
        _hz("tone_hz", "tone", 2500, 9500, 6500),
        _s("length_s", "length", 0.008, 0.15, 0.03),
        _s("rise_s", "rise", 0.002, 0.05, 0.01),
    ),
    "tambourine": (
        _hz("tone_hz", "tone", 3500, 10_000, 6900),
        _s("length_s", "length", 0.02, 0.3, 0.08),
        _share("skin", "skin", 0.2),
    ),
    "conga": (
        _hz("tune_hz", "tune", 100, 480, 220),
        _s("length_s", "length", 0.03, 0.6, 0.16),
        _share("slap", "tone to slap", 0.25),
        _share("bend", "bend", 0.15),
    ),
    "wood": (
        _hz("tune_hz", "tune", 350, 3000, 900),
        _s("length_s", "length", 0.008, 0.15, 0.03),
        _share("hollow", "hollow", 0.5),
    ),
    "bell": (
        _hz("tune_hz", "tune", 250, 1800, 560),
        _s("length_s", "length", 0.04, 0.9, 0.2),
        _share("clang", "clang", 0.5),
    ),
    "sweep": (
        _hz("from_hz", "from", 80, 12_000, 400),
        _hz("to_hz", "to", 80, 12_000, 6000),
        _s("length_s", "length", 0.08, 4.0, 0.7),
        _share("narrow", "narrow", 0.4),
    ),
}
CONTROLS: dict[str, dict[str, Control]] = {
    model: {control.name: control for control in controls} for model, controls in _MODEL_CONTROLS.items()
}
MODEL_NAMES = {
    "kick": "kick model", "snare": "snare model", "rim": "rim model", "clap": "clap model", "hat": "hat model",
    "tom": "tom model", "cymbal": "cymbal model", "shaker": "shaker model", "tambourine": "tambourine model",
    "conga": "conga model", "wood": "wood model", "bell": "bell model", "sweep": "noise sweep model",
}  # fmt: skip


def check_settings(model: str, settings: Mapping[str, float]) -> None:
    """Raise BadValueError unless every control of the model is set within its range, and nothing else is."""
    controls = CONTROLS[model]
    if set(settings) != set(controls):
        odd = sorted(set(settings) ^ set(controls))
        raise BadValueError(
            f"A {model} is set by {', '.join(controls)}; '{odd[0][:30]}' is missing or not one of them."
        )
    for name, value in settings.items():
        control = controls[name]
        require_range(f"The {control.label} of a {model}", value, control.low, control.high, _shown_unit(control))


def _shown_unit(control: Control) -> str:
    return control.unit if control.unit in ("Hz", "s") else ""


def settings_with(model: str, **changed: float) -> dict[str, float]:
    """Every control of a model at its default, but for what is changed."""
    return {name: control.default for name, control in CONTROLS[model].items()} | changed


assert set(CONTROLS) == set(MODELS), "every model has controls"
