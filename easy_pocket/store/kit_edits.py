"""Editing a kit from a song: load, change, keep, all in one transaction with its entry in the song's undo log."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.sound.fold import folded
from easy_pocket.core.sound.kit import MAX_LAYERS, Kit, plain_voice
from easy_pocket.core.sound.kit_edit import (
    AddAlternate,
    AddVoice,
    FoldLayers,
    KitEdit,
    PutSound,
    apply_kit_edit,
    describe_kit_edit,
)
from easy_pocket.core.voices import ROLES, check_voice
from easy_pocket.store.changes import field_patch, lock_song, record, voices_patch
from easy_pocket.store.kits import add_kit, kit_from_row, voice_to_doc
from easy_pocket.store.models import KitRow, PartRow, SongRow, SoundRow
from easy_pocket.store.samples import sample_source, save_samples
from easy_pocket.store.songs import LoadedSong, check_name, load_song
from easy_pocket.store.sounds import NewSound, add_sounds, get_sound, mark_used, sound_of


def edit_kit(session: Session, song_id: int, revision: int, edit: KitEdit, gesture: str | None = None) -> LoadedSong:
    """Edit the kit of the song's part. Raises StaleRevisionError, EditRefusedError or BadValueError; nothing is
    written then."""
    lock_song(session, song_id, revision)
    loaded = load_song(session, song_id)
    row = _lock_kit(session, loaded.part.kit_key)
    kit = kit_from_row(row)
    return _keep(session, loaded, row, apply_kit_edit(kit, edit), describe_kit_edit(edit, kit), gesture)


def _lock_kit(session: Session, key: str) -> KitRow:
    row = session.scalar(select(KitRow).where(KitRow.key == key).with_for_update())
    assert row is not None, "a part's kit is never taken away"
    return row


def _keep(session: Session, loaded: LoadedSong, row: KitRow, after: Kit, words: str, gesture: str | None) -> LoadedSong:
    voices: list[dict[str, Any]] = json.loads(json.dumps([voice_to_doc(voice) for voice in after.voices]))
    patch = voices_patch(row, voices, key_note=after.key_note)
    record(session, loaded.row, words, [patch], gesture)
    session.flush()
    return replace(loaded, kit=kit_from_row(row), just_done=words)


def put_library_sound(
    session: Session, song_id: int, revision: int, role: str, layer: int, alternate: int, sound_id: int
) -> LoadedSong:
    """A sound of the library on a layer of the voice; layer -1: one layer more."""
    row = get_sound(session, sound_id)
    if layer < 0:
        voice = load_song(session, song_id).kit.voice(role)
        layers = voice.layers if alternate == 0 else voice.alternate(alternate).layers
        layer = min(len(layers), MAX_LAYERS)
    loaded = edit_kit(session, song_id, revision, PutSound(role, layer, sound_of(row), row.name, alternate))
    mark_used(session, sound_id)
    return loaded


def add_library_voice(session: Session, song_id: int, revision: int, role: str, sound_id: int | None) -> LoadedSong:
    """Add a voice to the kit, with a sound of the library (none chosen: the first of that role)."""
    row = get_sound(session, sound_id) if sound_id else _first_for(session, role)
    return edit_kit(session, song_id, revision, AddVoice(role, sound_of(row), row.name))


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


def add_library_alternate(session: Session, song_id: int, revision: int, role: str, sound_id: int) -> LoadedSong:
    row = get_sound(session, sound_id)
    loaded = edit_kit(session, song_id, revision, AddAlternate(role, sound_of(row), row.name))
    mark_used(session, sound_id)
    return loaded


def fold_voice(session: Session, song_id: int, revision: int, role: str, name: str) -> LoadedSong:
    """Write a voice's layers as one sound of the library and put it in their place."""
    name = check_name(name)
    samples = sample_source(session)
    voice = load_song(session, song_id).kit.voice(role)
    sound, level_db, audio = folded(voice, samples)
    save_samples(session, audio)
    add_sounds(session, [NewSound(name, role, "folded", sound)], samples)
    return edit_kit(session, song_id, revision, FoldLayers(role, sound, name, level_db))


def new_kit(session: Session, song_id: int, revision: int, name: str, source: str) -> LoadedSong:
    """A kit of one's own on the part: a copy of the one there ("copy"), or one with a first sound of the library for
    every voice the part has ("new")."""
    lock_song(session, song_id, revision)
    loaded = load_song(session, song_id)
    name = check_name(name)
    if source == "copy":
        kit = replace(loaded.kit, name=name)
    else:
        rows = [_first_for(session, role) for role in loaded.part.voices]
        voices = tuple(plain_voice(row.role, sound_of(row), name=row.name) for row in rows)
        kit = Kit("", name, voices)
    return put_kit(session, loaded, kit, f"{'copy of the kit as' if source == 'copy' else 'new kit'} {name}")


def put_kit(session: Session, loaded: LoadedSong, kit: Kit, words: str) -> LoadedSong:
    """Keep a kit and put it on the song's part."""
    row = add_kit(session, kit)
    record(session, loaded.row, words, [field_patch("part", loaded.part, kit_key=row.key)])
    session.flush()
    return replace(load_song(session, loaded.row.id), just_done=words)


def rename_kit(session: Session, song_id: int, revision: int, name: str) -> LoadedSong:
    lock_song(session, song_id, revision)
    loaded = load_song(session, song_id)
    row = _lock_kit(session, loaded.part.kit_key)
    name = check_name(name)
    words = f"rename the kit {row.name} to {name}"
    record(session, loaded.row, words, [voices_patch(row, row.voices, name=name)])
    session.flush()
    return replace(load_song(session, song_id), just_done=words)


def songs_with_kit(session: Session, key: str) -> int:
    """How many songs on the shelf use this kit."""
    count = session.scalar(
        select(func.count(func.distinct(PartRow.song_id)))
        .join(SongRow, SongRow.id == PartRow.song_id)
        .where(PartRow.kit_key == key, SongRow.deleted_at.is_(None))
    )
    return int(count or 0)
