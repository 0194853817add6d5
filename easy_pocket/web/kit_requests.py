"""Changes of the kit as the page sends them: one typed value each. `apply` keeps it through the store."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.core.sound import kit_edit
from easy_pocket.store import kit_edits
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.request_types import Finite, Name, Strict, Voice

LayerNumber = Annotated[int, Field(ge=0, le=3)]
AlternateNumber = Annotated[int, Field(ge=0, le=4)]
Short = Annotated[str, Field(max_length=40)]
Value = bool | Finite | Short | None


class VoiceField(Strict):
    kind: Literal["kit_voice"]
    role: Voice
    field: Voice
    value: Value

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.edit_kit(*at, kit_edit.SetVoiceField(self.role, self.field, self.value), gesture)


class LayerFields(Strict):
    kind: Literal["kit_layer"]
    role: Voice
    layer: LayerNumber
    alternate: AlternateNumber = 0
    values: Annotated[dict[Voice, Value], Field(min_length=1, max_length=16)]

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        edit = kit_edit.SetLayerFields(self.role, self.layer, dict(self.values), self.alternate)
        return kit_edits.edit_kit(*at, edit, gesture)


class ModelControl(Strict):
    kind: Literal["kit_model"]
    role: Voice
    layer: LayerNumber
    alternate: AlternateNumber = 0
    control: Voice
    value: Finite

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        edit = kit_edit.SetModelControl(self.role, self.layer, self.control, self.value, self.alternate)
        return kit_edits.edit_kit(*at, edit, gesture)


class PutSound(Strict):
    """A sound of the library on a layer; layer None: one layer more."""

    kind: Literal["kit_put"]
    role: Voice
    layer: LayerNumber | None = None
    alternate: AlternateNumber = 0
    sound_id: int

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        layer = -1 if self.layer is None else self.layer
        return kit_edits.put_library_sound(*at, self.role, layer, self.alternate, self.sound_id)


class RemoveLayer(Strict):
    kind: Literal["kit_layer_off"]
    role: Voice
    layer: LayerNumber
    alternate: AlternateNumber = 0

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.edit_kit(*at, kit_edit.RemoveLayer(self.role, self.layer, self.alternate))


class Fold(Strict):
    kind: Literal["kit_fold"]
    role: Voice
    name: Name

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.fold_voice(*at, self.role, self.name)


class AddAlternate(Strict):
    kind: Literal["kit_alternate"]
    role: Voice
    sound_id: int

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.add_library_alternate(*at, self.role, self.sound_id)


class RemoveAlternate(Strict):
    kind: Literal["kit_alternate_off"]
    role: Voice
    alternate: Annotated[int, Field(ge=1, le=4)]

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.edit_kit(*at, kit_edit.RemoveAlternate(self.role, self.alternate))


class AddVoice(Strict):
    kind: Literal["kit_voice_on"]
    role: Voice
    sound_id: int | None = None

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.add_library_voice(*at, self.role, self.sound_id)


class RemoveVoice(Strict):
    kind: Literal["kit_voice_off"]
    role: Voice

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.edit_kit(*at, kit_edit.RemoveVoice(self.role))


class MoveVoice(Strict):
    kind: Literal["kit_voice_place"]
    role: Voice
    place: Annotated[int, Field(ge=0, le=64)]

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.edit_kit(*at, kit_edit.MoveVoice(self.role, self.place), gesture)


class KeyNote(Strict):
    kind: Literal["kit_key"]
    key_note: Annotated[int, Field(ge=0, le=11)] | None

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.edit_kit(*at, kit_edit.SetKeyNote(self.key_note))


class GeneralMidi(Strict):
    kind: Literal["kit_midi"]

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.edit_kit(*at, kit_edit.GeneralMidi())


class NewKit(Strict):
    kind: Literal["kit_new"]
    name: Name
    source: Literal["copy", "new"]

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.new_kit(*at, self.name, self.source)


class RenameKit(Strict):
    kind: Literal["kit_name"]
    name: Name

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        return kit_edits.rename_kit(*at, self.name)


KitChange = (
    VoiceField | LayerFields | ModelControl | PutSound | RemoveLayer | Fold | AddAlternate | RemoveAlternate | AddVoice
    | RemoveVoice | MoveVoice | KeyNote | GeneralMidi | NewKit | RenameKit
)  # fmt: skip
