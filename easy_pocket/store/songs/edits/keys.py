"""Edits of which MIDI note each voice of the song has, in files and on pads."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.voices import ROLES, check_voice, voice_name
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.songs.edits.fields import Voice
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit


class SetKey(Edit):
    """One voice; note None gives it back to the kits."""

    kind: Literal["key"]
    voice: Voice
    note: Annotated[int, Field(ge=0, le=127)] | None


@edit(description="note of {name} {shown}")
def set_key(context: EditContext, sent: SetKey) -> Step:
    row = context.song.row
    keys = {voice: note for voice, note in (row.key_map or {}).items() if voice != sent.voice}
    if sent.note is not None:
        keys[check_voice(sent.voice)] = sent.note
    if (keys or None) == row.key_map:
        raise EditRefusedError(f"The note of {voice_name(sent.voice)} is that already.")
    said = {"name": voice_name(sent.voice), "shown": "as the kit says" if sent.note is None else sent.note}
    return Step([field_patch("song", row, key_map=keys or None)], said=said)


class SetAllKeys(Edit):
    """All voices: as their kits say, or General MIDI's."""

    kind: Literal["keys_all"]
    like: Literal["kits", "general_midi"]


WORDS = {"kits": "as the kits say", "general_midi": "of General MIDI"}


@edit(description=lambda song, sent: f"notes {WORDS[sent.like]}")
def set_all_keys(context: EditContext, sent: SetAllKeys) -> Step:
    voices = {voice.role for kit in context.song.values.kits.values() for voice in kit.voices}
    keys = {voice: ROLES[voice].midi_note for voice in sorted(voices)} if sent.like == "general_midi" else None
    if keys == context.song.row.key_map:
        raise EditRefusedError(f"The notes are {WORDS[sent.like]} already.")
    return Step([field_patch("song", context.song.row, key_map=keys)])
