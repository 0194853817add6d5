"""Edits of what a section has of its own on the Stage."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any, Literal

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.stage.section_settings import NO_SETTINGS, SectionSettings
from easy_pocket.core.stage.stage import VOICE_PLACE
from easy_pocket.store.songs.edits.fields import Finite, Id
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit
from easy_pocket.store.songs.edits.stage_places import (
    Where,
    check_place,
    in_section,
    kept,
    place_name,
    section_words,
    stage_stored,
)
from easy_pocket.store.songs.song_rows import SongRows


class SetLevel(Edit):
    """The level of a voice or a loop in one section; null: as in the song."""

    kind: Literal["stage_level"]
    where: Where
    section_id: Id
    level_db: Finite | None


def _level_words(song: SongRows, sent: SetLevel) -> str:
    level = "as in the song" if sent.level_db is None else f"{sent.level_db:+.1f} dB"
    return f"level of {place_name(song.values, sent.where)} {level}{section_words(song, sent.section_id)}"


@edit(description=_level_words)
def set_level(context: EditContext, sent: SetLevel) -> Step:
    where = check_place(context.song, sent.where)
    if not VOICE_PLACE.fullmatch(where) and not where.startswith("loop:"):
        raise EditRefusedError("Voices and loops have a level in a section; this is neither.")
    if sent.level_db is not None:
        return in_section(context, sent.section_id, SectionSettings(levels={where: sent.level_db}))
    stage = stage_stored(context)
    own = stage.sections.get(sent.section_id, NO_SETTINGS)
    left = replace(own, levels={key: value for key, value in own.levels.items() if key != where})
    return kept(context, replace(stage, sections={**stage.sections, sent.section_id: left}))


class ClearSection(Edit):
    """A section sounds as the song does again: one of its places, or (where "") all of them."""

    kind: Literal["stage_section_clear"]
    section_id: Id
    where: Where = ""


def _clear_words(song: SongRows, sent: ClearSection) -> str:
    what = place_name(song.values, sent.where) if sent.where else "the Stage"
    return f"{what} as in the song{section_words(song, sent.section_id)}"


@edit(description=_clear_words)
def clear_section(context: EditContext, sent: ClearSection) -> Step:
    stage = stage_stored(context)
    own = stage.sections.get(sent.section_id, NO_SETTINGS)
    if own.is_empty:
        raise EditRefusedError("This section has nothing of its own on the Stage.")

    def without(values: Mapping[str, Any]) -> dict[str, Any]:
        return {where: value for where, value in values.items() if sent.where and where != sent.where}

    left = SectionSettings(without(own.levels), without(own.sends), without(own.switches))
    return kept(context, replace(stage, sections={**stage.sections, sent.section_id: left}))
