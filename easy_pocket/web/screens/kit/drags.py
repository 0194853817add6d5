"""Values one draws or types on the Kit screen, with their limits and their words."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from easy_pocket.core.sound.controls import CONTROLS, Control
from easy_pocket.core.sound.kit import KitVoice
from easy_pocket.core.sound.kit_edit import NOTE_NAMES
from easy_pocket.core.sound.layer import Layer
from easy_pocket.core.sound.sound import SAMPLED, Sound
from easy_pocket.web.shared.drag import Drag


def note_name(hz: float) -> str:
    """The nearest note and how far off in cents: 'F♯3 −12'."""
    exact = 69 + 12 * np.log2(hz / 440)
    note = round(float(exact))
    cents = round(100 * (float(exact) - note))
    off = f" {'+' if cents > 0 else '−'}{abs(cents)}" if cents else ""
    return f"{NOTE_NAMES[note % 12]}{note // 12 - 1}{off}"


def db(value: float) -> str:
    return f"{'+' if value > 0 else '−' if value < 0 else ''}{abs(value):.1f} dB"


def pan_words(pan: float) -> str:
    return "centre" if abs(pan) < 0.005 else f"{abs(pan) * 100:.0f} {'right' if pan > 0 else 'left'}"


def tune_words(cents: float) -> str:
    if not cents:
        return "0 st"
    semitones, rest = divmod(abs(round(cents)), 100)
    sign = "+" if cents > 0 else "−"
    return f"{sign}{semitones} st" + (f" {rest} ct" if rest else "") if semitones else f"{sign}{rest} ct"


def _model_drag(control: Control, value: float) -> Drag:
    if control.unit == "Hz":
        return Drag(control.name, control.label, value, control.low, control.high, 0.1, "Hz", f"{value:.0f} Hz",
                    "ratio", "model", note=note_name(value) if control.name == "tune_hz" else "")  # fmt: skip
    if control.unit == "s":
        return Drag(control.name, control.label, value, control.low, control.high, 0.0001, "s",
                    f"{value * 1000:.0f} ms", "ratio", "model")  # fmt: skip
    if control.unit == "count":
        return Drag(control.name, control.label, value, control.low, control.high, 1, "", f"{value:.0f}", kind="model")
    return Drag(control.name, control.label, value, 0, 1, 0.01, "%", f"{value * 100:.0f} %", kind="model")


def layer_drags(layer: Layer) -> list[Drag]:
    """How a layer is cut, tuned and placed."""
    long = layer.length_ms
    return [
        Drag("level_db", "level", layer.level_db, -60, 12, 0.1, "dB", db(layer.level_db)),
        Drag("tune_cents", "pitch", layer.tune_cents, -2400, 2400, 1, "cents", tune_words(layer.tune_cents)),
        Drag("start_ms", "start", layer.start_ms, 0, 2000, 0.1, "ms", f"{layer.start_ms:g} ms"),
        Drag("length_ms", "length", long, 2, 8000, 1, "ms", "full" if long is None else f"{long:g} ms", "ratio",
             blank="rings"),
        Drag("fade_in_ms", "fade-in", layer.fade_in_ms, 0, 1000, 0.1, "ms", f"{layer.fade_in_ms:g} ms"),
        Drag("delay_ms", "delay", layer.delay_ms, 0, 200, 0.01, "ms", f"{layer.delay_ms:g} ms"),
        Drag("low_cut_hz", "low cut", layer.low_cut_hz, 20, 8000, 1, "Hz",
             "off" if layer.low_cut_hz <= 20 else f"{layer.low_cut_hz:.0f} Hz", "ratio"),
        Drag("high_cut_hz", "high cut", layer.high_cut_hz, 200, 20_000, 1, "Hz",
             "off" if layer.high_cut_hz >= 20_000 else f"{layer.high_cut_hz:.0f} Hz", "ratio"),
        Drag("velocity_low", "from velocity", layer.velocity_low, 1, 127, 1, "", str(layer.velocity_low)),
        Drag("velocity_high", "to velocity", layer.velocity_high, 1, 127, 1, "", str(layer.velocity_high)),
    ]  # fmt: skip


def model_drags(sound: Sound, tuned: Sound) -> list[Drag]:
    """The controls of a model; a recording has none. tuned: the sound in the kit's key, which the tune says beside."""
    if sound.model == SAMPLED:
        return []
    drags = [_model_drag(control, sound.settings[control.name]) for control in CONTROLS[sound.model].values()]
    tune_hz, key_hz = sound.settings.get("tune_hz"), tuned.settings.get("tune_hz")
    if key_hz is not None and key_hz != tune_hz:
        drags = [replace(one, note=f"→ {note_name(key_hz)}") if one.field == "tune_hz" else one for one in drags]
    room = sound.room
    return [*drags, Drag("room", "room", room, 0, 1, 0.01, "%", f"{room * 100:.0f} %", kind="model")]


def voice_drags(v: KitVoice) -> list[Drag]:
    """What is set for the voice as a whole."""
    return [
        Drag("level_db", "level", v.level_db, -60, 12, 0.1, "dB", db(v.level_db), kind="voice"),
        Drag("pan", "pan", v.pan, -1, 1, 0.01, "", pan_words(v.pan), kind="voice"),
        Drag("drive", "drive", v.drive, 0, 1, 0.01, "%", f"{v.drive * 100:.0f} %", kind="voice"),
        Drag("velocity_level", "velocity → level", v.velocity_level, 0, 1, 0.01, "%",
             f"{v.velocity_level * 100:.0f} %", kind="voice"),
        Drag("velocity_bright", "velocity → bright", v.velocity_bright, 0, 1, 0.01, "%",
             f"{v.velocity_bright * 100:.0f} %", kind="voice"),
        Drag("vary_cents", "random tune", v.vary_cents, 0, 100, 0.5, "ct", f"±{v.vary_cents:g} ct", kind="voice"),
        Drag("vary_db", "random level", v.vary_db, 0, 6, 0.1, "dB", f"±{v.vary_db:g} dB", kind="voice"),
        *([Drag("strokes", "different strokes", v.strokes, 1, 6, 1, "", str(v.strokes), kind="voice")] * v.models),
        Drag("note", "MIDI note", v.midi_note, 0, 127, 1, "", str(v.midi_note), kind="voice"),
    ]  # fmt: skip
