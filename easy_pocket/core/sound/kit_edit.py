"""Edits of a kit: each is a small value with its rule; `edit.applied(kit)` gives the kit after it.

`alternate` says whose layers are meant: 0 the voice's own, 1-4 one of its alternate sounds.
"""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from typing import Annotated, Any, ClassVar

from annotated_types import Ge, Le, MaxLen, MinLen

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.pattern.voices import ROLES, check_voice
from easy_pocket.core.sound.controls import CONTROLS
from easy_pocket.core.sound.kit import MAX_ALTERNATES, MAX_LAYERS, Kit, KitVoice, plain_voice
from easy_pocket.core.sound.layer import Layer
from easy_pocket.core.sound.sound import SAMPLED, Sound

VOICE_FIELDS = {
    "level_db", "pan", "drive", "velocity_level", "velocity_bright", "vary_cents", "vary_db", "strokes", "rings",
    "choke_group", "note", "name", "glyph", "key_step",
}  # fmt: skip
COUNTED = {"velocity_low", "velocity_high", "note", "key_step", "strokes"}
MAY_BE_NOTHING = {"length_ms", "choke_group", "note", "key_step"}
LAYER_FIELDS = {field.name for field in fields(Layer)} - {"sound"}


Role = Annotated[str, MinLen(1), MaxLen(30)]
FieldName = Annotated[str, MinLen(1), MaxLen(30)]
LayerNumber = Annotated[int, Ge(0), Le(3)]
AlternateNumber = Annotated[int, Ge(0), Le(4)]
Number = Annotated[float, Ge(-1e9), Le(1e9)]
Value = bool | Number | Annotated[str, MaxLen(40)] | None


class KitEdit:
    """What every edit of a kit is: a small value with its rule and its words.

    One that lacks either fails when it is imported. `kind`: its name in requests; those made with a sound of the
    library have none, for the store fills it in.
    """

    kind: ClassVar[str]
    kinds: ClassVar[dict[str, type[KitEdit]]] = {}

    def __init_subclass__(cls, kind: str = "") -> None:
        for needed in ("applied", "description"):
            if needed not in cls.__dict__:
                raise TypeError(f"the edit {cls.__name__} has no '{needed}': it needs a rule and a description")
        cls.kind = kind
        if kind:
            KitEdit.kinds[kind] = cls

    def applied(self, kit: Kit) -> Kit:
        """The kit after the edit. Raises EditRefusedError or BadValueError and changes nothing."""
        raise NotImplementedError

    def description(self, kit: Kit) -> str:
        """What it does, for the undo list; `kit` is the one before it."""
        raise NotImplementedError


@dataclass(frozen=True)
class SetVoiceField(KitEdit, kind="kit_voice"):
    """One setting of a voice."""

    role: Role
    field: FieldName
    value: Value

    def applied(self, kit: Kit) -> Kit:
        if self.field not in VOICE_FIELDS:
            raise BadValueError(f"A voice has no '{self.field[:30]}'.")
        return kit.with_voice(replace(kit.voice(self.role), **{self.field: _whole(self.field, self.value)}))

    def description(self, kit: Kit) -> str:
        return f"{self.field.replace('_', ' ')} of {_title(kit, self.role)}{_shown(self.value)}"


@dataclass(frozen=True)
class SetLayerFields(KitEdit, kind="kit_layer"):
    """Several fields of a layer at once, as a handle or a proposal sets them."""

    role: Role
    layer: LayerNumber
    values: Annotated[dict[FieldName, Value], MinLen(1), MaxLen(16)]
    alternate: AlternateNumber = 0

    def applied(self, kit: Kit) -> Kit:
        odd = set(self.values) - LAYER_FIELDS
        if odd:
            raise BadValueError(f"A layer has no '{min(odd)[:30]}'.")
        voice = kit.voice(self.role)
        whole = {name: _whole(name, value) for name, value in self.values.items()}
        layer = replace(_layer(voice, self.layer, self.alternate), **whole)
        return kit.with_voice(_with_layer(voice, self.layer, self.alternate, layer))

    def description(self, kit: Kit) -> str:
        names = ", ".join(name.replace("_", " ") for name in self.values)
        return f"{names} of {_title(kit, self.role)} layer {self.layer + 1}"


@dataclass(frozen=True)
class SetModelControl(KitEdit, kind="kit_model"):
    """One control of a layer's model, or "room"."""

    role: Role
    layer: LayerNumber
    control: FieldName
    value: Number
    alternate: AlternateNumber = 0

    def applied(self, kit: Kit) -> Kit:
        voice = kit.voice(self.role)
        layer = _layer(voice, self.layer, self.alternate)
        if self.control == "room" and layer.sound.model != SAMPLED:
            sound = replace(layer.sound, room=float(self.value))
        elif layer.sound.model != SAMPLED and self.control in CONTROLS[layer.sound.model]:
            sound = replace(layer.sound, settings={**layer.sound.settings, self.control: float(self.value)})
        else:
            raise EditRefusedError(f"The sound of this layer has no {self.control[:30]}.")
        return kit.with_voice(_with_layer(voice, self.layer, self.alternate, replace(layer, sound=sound)))

    def description(self, kit: Kit) -> str:
        control = self.control.replace("_", " ")
        return f"{control} of {_title(kit, self.role)} layer {self.layer + 1} {self.value:.3g}"


@dataclass(frozen=True)
class PutSound(KitEdit):
    """A sound in the place of a layer's, which keeps its cut; or as one layer more, when `layer` is their number."""

    role: str
    layer: int
    sound: Sound
    name: str
    alternate: int = 0

    def applied(self, kit: Kit) -> Kit:
        return kit.with_voice(_put(kit.voice(self.role), self.layer, self.alternate, self.sound, self.name))

    def description(self, kit: Kit) -> str:
        return f"{self.name} on {_title(kit, self.role)} layer {self.layer + 1}"


@dataclass(frozen=True)
class RemoveLayer(KitEdit, kind="kit_layer_off"):
    """A layer goes; the last one of a sound stays."""

    role: Role
    layer: LayerNumber
    alternate: AlternateNumber = 0

    def applied(self, kit: Kit) -> Kit:
        voice = kit.voice(self.role)
        _layer(voice, self.layer, self.alternate)
        left = tuple(layer for n, layer in enumerate(_layers(voice, self.alternate)) if n != self.layer)
        if not left:
            raise EditRefusedError(f"{voice.title} needs at least one layer: put another sound in its place.")
        return kit.with_voice(_with_layers(voice, self.alternate, left))

    def description(self, kit: Kit) -> str:
        return f"take layer {self.layer + 1} off {_title(kit, self.role)}"


@dataclass(frozen=True)
class FoldLayers(KitEdit):
    """One finished sound in the place of all layers. level_db brings it to where the layers were."""

    role: str
    sound: Sound
    name: str
    level_db: float

    def applied(self, kit: Kit) -> Kit:
        layers = (Layer(self.sound, self.name[:80], level_db=self.level_db),)
        return kit.with_voice(replace(kit.voice(self.role), layers=layers, drive=0.0, velocity_bright=1.0))

    def description(self, kit: Kit) -> str:
        return f"fold {_title(kit, self.role)} into {self.name}"


@dataclass(frozen=True)
class AddAlternate(KitEdit):
    """A voice gets one more alternate sound."""

    role: str
    sound: Sound
    name: str

    def applied(self, kit: Kit) -> Kit:
        voice = kit.voice(self.role)
        if len(voice.alternates) >= MAX_ALTERNATES:
            raise EditRefusedError(f"{voice.title} has {MAX_ALTERNATES} alternate sounds, the most it can have.")
        return kit.with_voice(replace(voice, alternates=(*voice.alternates, (Layer(self.sound, self.name[:80]),))))

    def description(self, kit: Kit) -> str:
        return f"{self.name} as another sound of {_title(kit, self.role)}"


@dataclass(frozen=True)
class RemoveAlternate(KitEdit, kind="kit_alternate_off"):
    """An alternate sound goes; those after it move up."""

    role: Role
    alternate: Annotated[int, Ge(1), Le(4)]

    def applied(self, kit: Kit) -> Kit:
        voice = kit.voice(self.role)
        _layers(voice, max(self.alternate, 1))
        kept = tuple(one for n, one in enumerate(voice.alternates, 1) if n != self.alternate)
        return kit.with_voice(replace(voice, alternates=kept))

    def description(self, kit: Kit) -> str:
        return f"take alternate sound {self.alternate} off {_title(kit, self.role)}"


@dataclass(frozen=True)
class AddVoice(KitEdit):
    """The kit gets a voice of this role."""

    role: str
    sound: Sound
    name: str

    def applied(self, kit: Kit) -> Kit:
        if check_voice(self.role) in kit.roles:
            raise EditRefusedError(f"{kit.name} already has a {ROLES[self.role].name.lower()}.")
        return replace(kit, voices=(*kit.voices, plain_voice(self.role, self.sound, name=self.name[:80])))

    def description(self, kit: Kit) -> str:
        return f"add {ROLES[self.role].name.lower()} with {self.name} to {kit.name}"


@dataclass(frozen=True)
class RemoveVoice(KitEdit, kind="kit_voice_off"):
    """A voice goes; the last one of a kit stays."""

    role: Role

    def applied(self, kit: Kit) -> Kit:
        gone = kit.voice(self.role)
        if len(kit.voices) == 1:
            raise EditRefusedError(f"{gone.title} is the last voice of {kit.name}; a kit needs at least one.")
        return replace(kit, voices=tuple(voice for voice in kit.voices if voice.role != self.role))

    def description(self, kit: Kit) -> str:
        return f"take {_title(kit, self.role)} out of {kit.name}"


@dataclass(frozen=True)
class MoveVoice(KitEdit, kind="kit_voice_place"):
    """To a place in the order, from 0."""

    role: Role
    place: Annotated[int, Ge(0), Le(64)]

    def applied(self, kit: Kit) -> Kit:
        moved = kit.voice(self.role)
        others = [voice for voice in kit.voices if voice.role != self.role]
        others.insert(max(0, min(self.place, len(others))), moved)
        return replace(kit, voices=tuple(others))

    def description(self, kit: Kit) -> str:
        return f"{_title(kit, self.role)} to place {self.place + 1} in {kit.name}"


@dataclass(frozen=True)
class SetKeyNote(KitEdit, kind="kit_key"):
    """The note tuned voices follow, 0 = C ... 11 = B; None for none."""

    key_note: Annotated[int, Ge(0), Le(11)] | None

    def applied(self, kit: Kit) -> Kit:
        return replace(kit, key_note=self.key_note)

    def description(self, kit: Kit) -> str:
        return f"key note of {kit.name} {'none' if self.key_note is None else NOTE_NAMES[self.key_note]}"


@dataclass(frozen=True)
class GeneralMidi(KitEdit, kind="kit_midi"):
    """Give every voice its General MIDI note again."""

    def applied(self, kit: Kit) -> Kit:
        return replace(kit, voices=tuple(replace(voice, note=None) for voice in kit.voices))

    def description(self, kit: Kit) -> str:
        return f"General MIDI notes for {kit.name}"


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


NOTE_NAMES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")


def _title(kit: Kit, role: str) -> str:
    found = next((voice for voice in kit.voices if voice.role == role), None)
    return found.title.lower() if found else role


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return " on" if value else " off"
    return f" {value:.3g}" if isinstance(value, int | float) else f" {value}" if value else ""
