"""Edits of a kit: each is a small value; `apply_kit_edit(kit, edit)` gives the kit after it.

`alternate` says whose layers are meant: 0 the voice's own, 1-4 one of its alternate sounds.
"""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from typing import Any

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.sound.controls import CONTROLS
from easy_pocket.core.sound.kit import MAX_ALTERNATES, MAX_LAYERS, Kit, KitVoice, plain_voice
from easy_pocket.core.sound.layer import Layer
from easy_pocket.core.sound.sound import SAMPLED, Sound
from easy_pocket.core.voices import ROLES, check_voice

VOICE_FIELDS = {
    "level_db", "pan", "drive", "velocity_level", "velocity_bright", "vary_cents", "vary_db", "rings", "choke_group",
    "note", "name", "glyph", "key_step",
}  # fmt: skip
COUNTED = {"velocity_low", "velocity_high", "note", "key_step"}
MAY_BE_NOTHING = {"length_ms", "choke_group", "note", "key_step"}
LAYER_FIELDS = {field.name for field in fields(Layer)} - {"sound"}


@dataclass(frozen=True)
class SetVoiceField:
    role: str
    field: str
    value: Any


@dataclass(frozen=True)
class SetLayerFields:
    """Several fields of a layer at once, as a handle or a proposal sets them."""

    role: str
    layer: int
    values: dict[str, Any]
    alternate: int = 0


@dataclass(frozen=True)
class SetModelControl:
    """One control of a layer's model, or "room"."""

    role: str
    layer: int
    control: str
    value: float
    alternate: int = 0


@dataclass(frozen=True)
class PutSound:
    """A sound in the place of a layer's, which keeps its cut; or as one layer more, when `layer` is their number."""

    role: str
    layer: int
    sound: Sound
    name: str
    alternate: int = 0


@dataclass(frozen=True)
class RemoveLayer:
    role: str
    layer: int
    alternate: int = 0


@dataclass(frozen=True)
class FoldLayers:
    """One finished sound in the place of all layers. level_db brings it to where the layers were."""

    role: str
    sound: Sound
    name: str
    level_db: float


@dataclass(frozen=True)
class AddAlternate:
    role: str
    sound: Sound
    name: str


@dataclass(frozen=True)
class RemoveAlternate:
    role: str
    alternate: int


@dataclass(frozen=True)
class AddVoice:
    role: str
    sound: Sound
    name: str


@dataclass(frozen=True)
class RemoveVoice:
    role: str


@dataclass(frozen=True)
class MoveVoice:
    """To a place in the order, from 0."""

    role: str
    place: int


@dataclass(frozen=True)
class SetKeyNote:
    """The note tuned voices follow, 0 = C ... 11 = B; None for none."""

    key_note: int | None


@dataclass(frozen=True)
class GeneralMidi:
    """Give every voice its General MIDI note again."""


KitEdit = (
    SetVoiceField | SetLayerFields | SetModelControl | PutSound | RemoveLayer | FoldLayers | AddAlternate
    | RemoveAlternate | AddVoice | RemoveVoice | MoveVoice | SetKeyNote | GeneralMidi
)  # fmt: skip


def _layers(voice: KitVoice, alternate: int) -> tuple[Layer, ...]:
    if alternate == 0:
        return voice.layers
    if not 1 <= alternate <= len(voice.alternates):
        raise EditRefusedError(f"{voice.title} has no alternate sound {alternate} any more.")
    return voice.alternates[alternate - 1]


def _with_layers(voice: KitVoice, alternate: int, layers: tuple[Layer, ...]) -> KitVoice:
    if alternate == 0:
        return replace(voice, layers=layers)
    kept = list(voice.alternates)
    kept[alternate - 1] = layers
    return replace(voice, alternates=tuple(kept))


def _layer(voice: KitVoice, number: int, alternate: int) -> Layer:
    layers = _layers(voice, alternate)
    if not 0 <= number < len(layers):
        raise EditRefusedError(f"{voice.title} has no layer {number + 1} any more; this is the voice as it is now.")
    return layers[number]


def _with_layer(voice: KitVoice, number: int, alternate: int, layer: Layer) -> KitVoice:
    layers = list(_layers(voice, alternate))
    layers[number] = layer
    return _with_layers(voice, alternate, tuple(layers))


def apply_kit_edit(kit: Kit, edit: KitEdit) -> Kit:
    """The kit after the edit. Raises EditRefusedError or BadValueError and changes nothing."""
    match edit:
        case SetVoiceField(role, field, value):
            if field not in VOICE_FIELDS:
                raise BadValueError(f"A voice has no '{field[:30]}'.")
            return kit.with_voice(replace(kit.voice(role), **{field: _whole(field, value)}))
        case SetLayerFields(role, number, values, alternate):
            odd = set(values) - LAYER_FIELDS
            if odd:
                raise BadValueError(f"A layer has no '{min(odd)[:30]}'.")
            voice = kit.voice(role)
            whole = {name: _whole(name, value) for name, value in values.items()}
            return kit.with_voice(
                _with_layer(voice, number, alternate, replace(_layer(voice, number, alternate), **whole))
            )
        case SetModelControl(role, number, control, value, alternate):
            voice = kit.voice(role)
            layer = _layer(voice, number, alternate)
            if control == "room" and layer.sound.model != SAMPLED:
                sound = replace(layer.sound, room=float(value))
            elif layer.sound.model != SAMPLED and control in CONTROLS[layer.sound.model]:
                sound = replace(layer.sound, settings={**layer.sound.settings, control: float(value)})
            else:
                raise EditRefusedError(f"The sound of this layer has no {control[:30]}.")
            return kit.with_voice(_with_layer(voice, number, alternate, replace(layer, sound=sound)))
        case PutSound(role, number, sound, name, alternate):
            return kit.with_voice(_put(kit.voice(role), number, alternate, sound, name))
        case RemoveLayer(role, number, alternate):
            voice = kit.voice(role)
            _layer(voice, number, alternate)
            left = tuple(layer for n, layer in enumerate(_layers(voice, alternate)) if n != number)
            if not left:
                raise EditRefusedError(f"{voice.title} needs at least one layer: put another sound in its place.")
            return kit.with_voice(_with_layers(voice, alternate, left))
        case FoldLayers(role, sound, name, level_db):
            layers = (Layer(sound, name[:80], level_db=level_db),)
            return kit.with_voice(replace(kit.voice(role), layers=layers, drive=0.0, velocity_bright=1.0))
        case AddAlternate(role, sound, name):
            voice = kit.voice(role)
            if len(voice.alternates) >= MAX_ALTERNATES:
                raise EditRefusedError(f"{voice.title} has {MAX_ALTERNATES} alternate sounds, the most it can have.")
            return kit.with_voice(replace(voice, alternates=(*voice.alternates, (Layer(sound, name[:80]),))))
        case RemoveAlternate(role, alternate):
            voice = kit.voice(role)
            _layers(voice, max(alternate, 1))
            kept = tuple(one for n, one in enumerate(voice.alternates, 1) if n != alternate)
            return kit.with_voice(replace(voice, alternates=kept))
        case AddVoice(role, sound, name):
            if check_voice(role) in kit.roles:
                raise EditRefusedError(f"{kit.name} already has a {ROLES[role].name.lower()}.")
            return replace(kit, voices=(*kit.voices, plain_voice(role, sound, name=name[:80])))
        case RemoveVoice(role):
            gone = kit.voice(role)
            if len(kit.voices) == 1:
                raise EditRefusedError(f"{gone.title} is the last voice of {kit.name}; a kit needs at least one.")
            return replace(kit, voices=tuple(voice for voice in kit.voices if voice.role != role))
        case MoveVoice(role, place):
            moved = kit.voice(role)
            others = [voice for voice in kit.voices if voice.role != role]
            others.insert(max(0, min(place, len(others))), moved)
            return replace(kit, voices=tuple(others))
        case SetKeyNote(key_note):
            return replace(kit, key_note=key_note)
        case GeneralMidi():
            return replace(kit, voices=tuple(replace(voice, note=None) for voice in kit.voices))


def _whole(field: str, value: Any) -> Any:
    """Numbers from a page come as floats; some fields count, some may be nothing."""
    if value is None:
        if field in MAY_BE_NOTHING:
            return None
        raise BadValueError(f"The {field.replace('_', ' ')} needs a value.")
    if field in ("reverse", "invert", "mono", "rings"):
        return bool(value)
    if field in ("name", "glyph", "choke_group"):
        return str(value)
    try:
        return int(value) if field in COUNTED else float(value)
    except (TypeError, ValueError):
        raise BadValueError(f"The {field.replace('_', ' ')} is '{value}'; a number is needed.") from None


def _put(voice: KitVoice, number: int, alternate: int, sound: Sound, name: str) -> KitVoice:
    layers = _layers(voice, alternate)
    if number == len(layers):
        if number >= MAX_LAYERS:
            raise EditRefusedError(f"{voice.title} has {MAX_LAYERS} layers, the most it can have: fold them first.")
        return _with_layers(voice, alternate, (*layers, Layer(sound, name[:80])))
    layer = replace(_layer(voice, number, alternate), sound=sound, name=name[:80])
    return _with_layer(voice, number, alternate, layer)


def describe_kit_edit(edit: KitEdit, kit: Kit) -> str:
    """What the edit does, in words for the undo list; `kit` is the one before it."""
    match edit:
        case SetVoiceField(role, field, value):
            return f"{field.replace('_', ' ')} of {_title(kit, role)}{_shown(value)}"
        case SetLayerFields(role, number, values, _):
            return f"{', '.join(name.replace('_', ' ') for name in values)} of {_title(kit, role)} layer {number + 1}"
        case SetModelControl(role, number, control, value, _):
            return f"{control.replace('_', ' ')} of {_title(kit, role)} layer {number + 1} {value:.3g}"
        case PutSound(role, number, _, name, _):
            return f"{name} on {_title(kit, role)} layer {number + 1}"
        case RemoveLayer(role, number, _):
            return f"take layer {number + 1} off {_title(kit, role)}"
        case FoldLayers(role, _, name, _):
            return f"fold {_title(kit, role)} into {name}"
        case AddAlternate(role, _, name):
            return f"{name} as another sound of {_title(kit, role)}"
        case RemoveAlternate(role, alternate):
            return f"take alternate sound {alternate} off {_title(kit, role)}"
        case AddVoice(role, _, name):
            return f"add {ROLES[role].name.lower()} with {name} to {kit.name}"
        case RemoveVoice(role):
            return f"take {_title(kit, role)} out of {kit.name}"
        case MoveVoice(role, place):
            return f"{_title(kit, role)} to place {place + 1} in {kit.name}"
        case SetKeyNote(key_note):
            return f"key note of {kit.name} {'none' if key_note is None else NOTE_NAMES[key_note]}"
        case GeneralMidi():
            return f"General MIDI notes for {kit.name}"


NOTE_NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")


def _title(kit: Kit, role: str) -> str:
    found = next((voice for voice in kit.voices if voice.role == role), None)
    return found.title.lower() if found else role


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return " on" if value else " off"
    return f" {value:.3g}" if isinstance(value, int | float) else f" {value}" if value else ""
