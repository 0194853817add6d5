"""Edits of the kit of the selected part. It belongs to all songs that use it: they are held together."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from typing import Annotated, Literal

from pydantic import Field, SkipValidation
from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.formats.sfz import ReadKit
from easy_pocket.core.pattern.voices import ROLES, check_voice, voice_name
from easy_pocket.core.sound.character import Character
from easy_pocket.core.sound.fold_layers import folded
from easy_pocket.core.sound.kit import MAX_LAYERS, MAX_UNITS, Kit, plain_voice, voice_to_doc
from easy_pocket.core.sound.kit_edit import AddAlternate, AddVoice, FoldLayers, KitEdit, PutSound
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import Sound
from easy_pocket.core.stage.stage import unit_doc, unit_from_doc
from easy_pocket.store.history.undo_log import field_patch, voices_patch
from easy_pocket.store.kits.kits import add_kit, kit_from_row
from easy_pocket.store.kits.samples import save_samples
from easy_pocket.store.kits.sound_library import NewSound, get_sound, keep_measured, mark_used, measured, sound_of
from easy_pocket.store.schema.tables import HOUSE, KitRow, SoundRow
from easy_pocket.store.scope import get_of_everybody, viewer_of
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import Id, Name, Voice
from easy_pocket.store.songs.edits.registry import (
    Apply,
    Description,
    Edit,
    EditContext,
    FileEdit,
    Preparation,
    Step,
    edit,
    register,
    request_of,
    value_of,
)
from easy_pocket.store.songs.edits.stage_places import UnitDoc
from easy_pocket.store.songs.find import find_part
from easy_pocket.store.songs.song_rows import SongRows

LayerNumber = Annotated[int, Field(ge=0, le=3)]
AlternateNumber = Annotated[int, Field(ge=0, le=4)]


def of_the_part(song: SongRows, sent: Edit) -> str:
    """What these edits share with other songs: the kit of the selected part."""
    return f"kit {song.part.kit_key}"


def _kit_to_change(context: EditContext, key: str) -> KitRow:
    """The kit, held. Raises EditRefusedError when it belongs to neither who edits nor whose song it is."""
    row = get_of_everybody(context.session, KitRow, key, with_for_update=True, populate_existing=True)
    assert isinstance(row, KitRow), "a part's kit is never taken away"
    viewer = viewer_of(context.session)
    if viewer is not None and row.owner_id not in (viewer.person, viewer.song_owner):
        whose = "everybody here" if row.owner_id == HOUSE else "somebody else"
        raise EditRefusedError(
            f"{row.name} belongs to {whose}, and stays as it is: make a copy of it for this song (Kit, new kit), and "
            "change that."
        )
    return row


def _with_edit(context: EditContext, change: KitEdit) -> Step:
    """The kit after an edit of the core, with its words."""
    row = _kit_to_change(context, context.song.part.kit_key)
    kit = kit_from_row(row)
    after = change.applied(kit)
    voices: list[dict[str, object]] = json.loads(json.dumps([voice_to_doc(voice) for voice in after.voices]))
    return Step([voices_patch(row, voices, key_note=after.key_note)], said={"done": change.description(kit)})


def _of_the_core(value: type[KitEdit]) -> tuple[Apply, Description]:
    def edit_kit(context: EditContext, sent: Edit) -> Step:
        return _with_edit(context, value_of(value, sent))

    return edit_kit, "{done}"


for _kind, _value in KitEdit.kinds.items():
    register(request_of(_value, _kind), *_of_the_core(_value), shares=of_the_part)


class PutLibrarySound(Edit):
    """A sound of the library on a layer; layer None: one layer more."""

    kind: Literal["kit_put"]
    role: Voice
    layer: LayerNumber | None = None
    alternate: AlternateNumber = 0
    sound_id: Id


@edit(description="{done}", shares=of_the_part)
def put_library_sound(context: EditContext, sent: PutLibrarySound) -> Step:
    row = get_sound(context.session, sent.sound_id)
    layer = sent.layer
    if layer is None:
        voice = context.song.kit.voice(sent.role)
        layers = voice.layers if sent.alternate == 0 else voice.alternate(sent.alternate).layers
        layer = min(len(layers), MAX_LAYERS)
    step = _with_edit(context, PutSound(sent.role, layer, sound_of(row), row.name, sent.alternate))
    mark_used(context.session, sent.sound_id)
    return step


class AddLibraryVoice(Edit):
    """A voice more for the kit, with a sound of the library (none chosen: the first of that role)."""

    kind: Literal["kit_voice_on"]
    role: Voice
    sound_id: Id | None = None


@edit(description="{done}", shares=of_the_part)
def add_library_voice(context: EditContext, sent: AddLibraryVoice) -> Step:
    session = context.session
    row = get_sound(session, sent.sound_id) if sent.sound_id else _first_for(session, sent.role)
    return _with_edit(context, AddVoice(sent.role, sound_of(row), row.name))


def _first_for(session: Session, role: str) -> SoundRow:
    found = session.scalar(
        select(SoundRow)
        .where(SoundRow.role == check_voice(role), SoundRow.removed.is_(False))
        .order_by(SoundRow.id)
        .limit(1)
    )
    if found is None:
        raise EditRefusedError(f"The library has no {ROLES[role].name.lower()}: bring one in, then add the voice.")
    return found


class AddLibraryAlternate(Edit):
    kind: Literal["kit_alternate"]
    role: Voice
    sound_id: Id


@edit(description="{done}", shares=of_the_part)
def add_library_alternate(context: EditContext, sent: AddLibraryAlternate) -> Step:
    row = get_sound(context.session, sent.sound_id)
    step = _with_edit(context, AddAlternate(sent.role, sound_of(row), row.name))
    mark_used(context.session, sent.sound_id)
    return step


class SetKitChain(Edit):
    """What a voice of a part's kit goes through before the song's own chain; it comes along with the kit."""

    kind: Literal["kit_chain"]
    part_id: Id
    role: Voice
    chain: Annotated[list[UnitDoc], Field(max_length=MAX_UNITS)]


def of_that_part(song: SongRows, sent: SetKitChain) -> str:
    return f"kit {find_part(song, sent.part_id).row.kit_key}"


@edit(description=lambda song, sent: f"chain of the {voice_name(sent.role)} in its kit", shares=of_that_part)
def set_kit_chain(context: EditContext, sent: SetKitChain) -> Step:
    key = find_part(context.song, sent.part_id).row.kit_key
    row = _kit_to_change(context, key)
    units = [unit_from_doc(one.model_dump()) for one in sent.chain]
    for unit in units:
        if unit.settings.get("side") or ":" in str(unit.settings.get("by", "")):
            raise EditRefusedError("A chain of a kit listens to no voice of a song: choose one by its name only.")
    kit = kit_from_row(row)
    after = kit.with_voice(replace(kit.voice(sent.role), chain=tuple(unit_doc(unit) for unit in units)))
    return Step([voices_patch(row, json.loads(json.dumps([voice_to_doc(voice) for voice in after.voices])))])


class FoldVoice(Edit):
    """A voice's layers become one sound of the library, which takes their place."""

    kind: Literal["kit_fold"]
    role: Voice
    name: Name


@dataclass(frozen=True)
class Folded:
    sound: Sound
    level_db: float
    audio: dict[str, Frames]
    character: Character


def _folded(preparation: Preparation, sent: FoldVoice) -> Folded:
    samples = preparation.song.values.samples
    sound, level_db, audio = folded(preparation.song.kit.voice(sent.role), samples)
    return Folded(sound, level_db, audio, measured(sound, lambda key: audio[key] if key in audio else samples(key)))


@edit(description="{done}", shares=of_the_part, prepare=_folded)
def fold_voice(context: EditContext, sent: FoldVoice) -> Step:
    name, made = check_name(sent.name), context.prepared
    save_samples(context.session, made.audio)
    keep_measured(context.session, [(NewSound(name, sent.role, "folded", made.sound), made.character)])
    return _with_edit(context, FoldLayers(sent.role, made.sound, name, made.level_db))


class NewKit(Edit):
    """A kit of one's own on the part: a copy of the one there, or one with a first sound of the library for every voice
    the part has. For the song: a copy on each of its parts that play on that kit."""

    kind: Literal["kit_new"]
    name: Name
    source: Literal["copy", "new", "song"]


NEW_KIT_WORDS = {"copy": "copy of the kit as", "new": "new kit", "song": "copy of the kit for this song,"}


@edit(description=lambda song, sent: f"{NEW_KIT_WORDS[sent.source]} {sent.name.strip()}")
def new_kit(context: EditContext, sent: NewKit) -> Step:
    song, name = context.song, check_name(sent.name)
    if sent.source != "new":
        kit = replace(song.kit, name=name)
    else:
        rows = [_first_for(context.session, role) for role in song.part.voices]
        kit = Kit("", name, tuple(plain_voice(row.role, sound_of(row), name=row.name) for row in rows))
    row = add_kit(context.session, kit)
    own = [song.part]
    if sent.source == "song":
        own = [part.row for part in song.parts if part.row.kit_key == song.part.kit_key]
    return Step([field_patch("part", part, kit_key=row.key) for part in own])


class RenameKit(Edit):
    kind: Literal["kit_name"]
    name: Name


@edit(description="rename the kit {before} to {after}", shares=of_the_part)
def rename_kit(context: EditContext, sent: RenameKit) -> Step:
    row = _kit_to_change(context, context.song.part.kit_key)
    name = check_name(sent.name)
    return Step([voices_patch(row, row.voices, name=name)], said={"before": row.name, "after": name})


class BringInKit(FileEdit):
    """A kit that was read from a file, on the part."""

    kind: Literal["kit_bring"] = "kit_bring"
    read: Annotated[ReadKit, SkipValidation]


@edit(description=lambda song, sent: f"bring in the kit {sent.read.kit.name}", by_file=True)
def bring_in_kit(context: EditContext, sent: BringInKit) -> Step:
    save_samples(context.session, sent.read.audio)
    row = add_kit(context.session, sent.read.kit)
    return Step([field_patch("part", context.song.part, kit_key=row.key)])
