"""Places of a Stage as edits name them, and how a Stage that was changed is kept."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any

from pydantic import Field

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.stage.section_settings import NO_SETTINGS, SectionSettings
from easy_pocket.core.stage.stage import PLACES, Stage
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.songs.edits.fields import Finite, Strict, Word
from easy_pocket.store.songs.edits.registry import EditContext, Step
from easy_pocket.store.songs.find import find_section
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.song_rows import SongRows
from easy_pocket.store.songs.stage_doc import stage_of, with_stage

Where = Annotated[str, Field(max_length=50)]
Value = Finite | Annotated[str, Field(max_length=200)]
Settings = Annotated[dict[Annotated[str, Field(max_length=30)], Value], Field(max_length=20)]
RETURN_NAMES = {"short": "the short room", "long": "the long room", "echo": "the echo"}


class UnitDoc(Strict):
    kind: Word
    on: bool = True
    settings: Settings = Field(default_factory=dict)


def place_name(song: LoadedSong, where: str) -> str:
    """What a place is called: "high conga", "Backbone", "percussion", "everything"."""
    kind, _, rest = where.partition(":")
    number, _, voice = rest.partition(":")
    if kind == "part":
        part = next((one.name for one in song.parts if str(one.id) == number), "a part")
        return voice_name(voice) if voice else part
    if kind == "loop":
        return next((one.name for one in song.layered_loops if str(one.id) == number), "a loop")
    if kind == "group":
        return next((one.name for one in song.stage.groups if one.key == rest), "a group")
    return RETURN_NAMES.get(where, "everything")


def check_place(song: SongRows, where: str) -> str:
    """Raises for a place that is not there."""
    if not PLACES.fullmatch(where):
        raise BadValueError(f"'{where[:40]}' is no place of a Stage.")
    kind, _, rest = where.partition(":")
    number, _, voice = rest.partition(":")
    values = song.values
    if kind == "part":
        part = next((one for one in values.parts if str(one.id) == number), None)
        if part is None or (voice and voice not in part.voices):
            raise EditRefusedError("This sound is gone: it is on no rail any more.")
    elif kind == "loop" and not any(str(doc["loop_id"]) == number for doc in values.layered_loop_docs):
        raise EditRefusedError("This loop does not play under the song any more.")
    elif kind == "group" and not any(one.key == rest for one in values.stage.groups):
        raise EditRefusedError("This group is gone.")
    return where


def stage_stored(context: EditContext) -> Stage:
    """The settings that are heard, as they are stored."""
    return stage_of(context.song.row.stage)


def kept(context: EditContext, stage: Stage, **said: Any) -> Step:
    row = context.song.row
    return Step([field_patch("song", row, stage=with_stage(row.stage, stage))], said=said)


def in_section(context: EditContext, section_id: int, own: SectionSettings) -> Step:
    """Settings of a section besides those it has."""
    find_section(context.song, section_id)
    stage = stage_stored(context)
    after = own.over(stage.sections.get(section_id, NO_SETTINGS))
    return kept(context, replace(stage, sections={**stage.sections, section_id: after}))


def section_words(song: SongRows, section_id: int | None) -> str:
    if section_id is None:
        return ""
    return f" in {next((one.row.name for one in song.resolved if one.row.id == section_id), 'a section')}"
