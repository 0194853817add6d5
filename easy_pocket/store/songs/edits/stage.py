"""Edits of where the sounds stand: chains and their units, what goes to rooms and echo, groups, the ceiling."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.feel.feel import MAX_PUSH_MS
from easy_pocket.core.stage.section_settings import SectionSettings, unit_keys
from easy_pocket.core.stage.stage import (
    MOST_GROUPS,
    RETURNS,
    VOICE_PLACE,
    Group,
    Place,
    Unit,
    unit_from_doc,
)
from easy_pocket.core.stage.unit_fields import MOST_UNITS, UNITS
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import Finite, Id, Name
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit
from easy_pocket.store.songs.edits.stage_places import (
    RETURN_NAMES,
    Settings,
    UnitDoc,
    Where,
    check_place,
    in_section,
    kept,
    place_name,
    section_words,
    stage_stored,
)
from easy_pocket.store.songs.find import find_part
from easy_pocket.store.songs.song_rows import SongRows
from easy_pocket.store.songs.stage_doc import setting_names, with_shown

Setting = Literal["A", "B", "C"]


class SetChain(Edit):
    """All units of a place, in order."""

    kind: Literal["stage_chain"]
    where: Where
    chain: Annotated[list[UnitDoc], Field(max_length=MOST_UNITS)]


def _chain_words(song: SongRows, sent: SetChain) -> str:
    before = [unit.kind for unit in song.values.stage.place(sent.where).chain]
    after = [unit.kind for unit in sent.chain]
    name = place_name(song.values, sent.where)
    if len(after) > len(before):
        return f"{next((kind for kind in after if kind not in before), after[-1])} on {name}"
    if len(after) < len(before):
        return f"take {next((kind for kind in before if kind not in after), before[-1])} off {name}"
    return f"order of the chain of {name}"


@edit(description=_chain_words)
def set_chain(context: EditContext, sent: SetChain) -> Step:
    stage, where = stage_stored(context), check_place(context.song, sent.where)
    chain = tuple(unit_from_doc(one.model_dump()) for one in sent.chain)
    _check_sides(context.song, chain)
    return kept(context, stage.with_place(where, Place(chain, stage.place(where).sends)))


def _check_sides(song: SongRows, chain: tuple[Unit, ...]) -> None:
    """A compressor is fed by a voice of the song, as it is before its own chain: so nothing is fed by itself."""
    for unit in chain:
        side = str(unit.settings.get("side", ""))
        if side and not side.startswith(("part:", "loop:")):
            raise EditRefusedError("A compressor can be fed by a voice or a loop, not by what it feeds itself.")
        if side:
            check_place(song, side)


class AddUnit(Edit):
    """One more unit at the end of a chain."""

    kind: Literal["stage_add"]
    where: Where
    unit: UnitDoc


@edit(description=lambda song, sent: f"{sent.unit.kind} on {place_name(song.values, sent.where)}")
def add_unit(context: EditContext, sent: AddUnit) -> Step:
    stage, where = stage_stored(context), check_place(context.song, sent.where)
    place, unit = stage.place(where), unit_from_doc(sent.unit.model_dump())
    _check_sides(context.song, (unit,))
    return kept(context, stage.with_place(where, replace(place, chain=(*place.chain, unit))))


class SetUnit(Edit):
    """Settings of one unit of a chain, or whether it is on; what is not named stays. section_id: it is on or off in
    that section only."""

    kind: Literal["stage_unit"]
    where: Where
    at: Annotated[int, Field(ge=0, le=MOST_UNITS - 1)]
    settings: Settings = Field(default_factory=dict)
    on: bool | None = None
    section_id: Id | None = None


def _unit_words(song: SongRows, sent: SetUnit) -> str:
    chain = song.values.stage.place(sent.where).chain
    kind = chain[sent.at].kind if sent.at < len(chain) else "unit"
    name = place_name(song.values, sent.where)
    if sent.on is not None:
        return f"{kind} of {name} {'on' if sent.on else 'off'}{section_words(song, sent.section_id)}"
    labels = [UNITS[kind].fields[key].label for key in sent.settings if kind in UNITS and key in UNITS[kind].fields]
    return f"{kind} of {name}: {', '.join(dict.fromkeys(labels))}"


@edit(description=_unit_words)
def set_unit(context: EditContext, sent: SetUnit) -> Step:
    stage, where = stage_stored(context), check_place(context.song, sent.where)
    place = stage.place(where)
    if sent.at >= len(place.chain):
        raise EditRefusedError("This unit is gone from the chain.")
    old = place.chain[sent.at]
    if sent.section_id is not None:
        if sent.on is None or sent.settings:
            raise EditRefusedError("A section has its own switches; settings of units are those of the song.")
        key = unit_keys([unit.kind for unit in place.chain])[sent.at]
        return in_section(context, sent.section_id, SectionSettings(switches={where: {key: sent.on}}))
    on = old.on if sent.on is None else sent.on
    new = Unit(old.kind, on, {**old.settings, **sent.settings})
    _check_sides(context.song, (new,))
    chain = tuple(new if number == sent.at else unit for number, unit in enumerate(place.chain))
    return kept(context, stage.with_place(where, replace(place, chain=chain)))


class SetSend(Edit):
    """How much of a place goes to a room or the echo; in one section only, if one is named."""

    kind: Literal["stage_send"]
    where: Where
    to: Literal["short", "long", "echo"]
    percent: Finite
    section_id: Id | None = None


def _send_words(song: SongRows, sent: SetSend) -> str:
    where = section_words(song, sent.section_id)
    return f"{place_name(song.values, sent.where)} to {RETURN_NAMES[sent.to]} {sent.percent:.0f} %{where}"


@edit(description=_send_words)
def set_send(context: EditContext, sent: SetSend) -> Step:
    stage, where = stage_stored(context), check_place(context.song, sent.where)
    if where in (*RETURNS, "whole"):
        raise EditRefusedError("Rooms and the whole mix are sent nowhere: that would go round and round.")
    if sent.section_id is not None:
        return in_section(context, sent.section_id, SectionSettings(sends={where: {sent.to: sent.percent}}))
    place = stage.place(where)
    sends = {name: percent for name, percent in {**place.sends, sent.to: sent.percent}.items() if percent}
    return kept(context, stage.with_place(where, Place(place.chain, sends)))


class MoveSound(Edit):
    """A sound moved on the floor: its pan and how much of it goes to a room, in one step. section_id: what goes to the
    room is that of the section; a sound has one pan."""

    kind: Literal["stage_move"]
    where: Where
    pan: Finite
    to: Literal["short", "long", "echo"]
    percent: Finite
    section_id: Id | None = None


@edit(description=lambda song, sent: f"move {place_name(song.values, sent.where)}")
def move_sound(context: EditContext, sent: MoveSound) -> Step:
    song, where = context.song, check_place(context.song, sent.where)
    if not VOICE_PLACE.fullmatch(where):
        raise EditRefusedError("Voices of parts have a pan; this is none.")
    number, voice = where.split(":")[1:]
    require_range("The pan", sent.pan, -1.0, 1.0)
    part = find_part(song, int(number)).row
    mix = {**part.mix, voice: {**part.mix.get(voice, {}), "pan": sent.pan}}
    if sent.section_id is not None:
        step = in_section(context, sent.section_id, SectionSettings(sends={where: {sent.to: sent.percent}}))
    else:
        stage = stage_stored(context)
        place = stage.place(where)
        step = kept(context, stage.with_place(where, replace(place, sends={**place.sends, sent.to: sent.percent})))
    return Step([field_patch("part", part, mix=mix), *step.patches])


class MoveInTime(Edit):
    """All hits of a voice so many ms later than they are (negative: earlier): its push in the feel."""

    kind: Literal["stage_later"]
    where: Where
    later_ms: Finite


def _later_words(song: SongRows, sent: MoveInTime) -> str:
    return (
        f"{place_name(song.values, sent.where)} {abs(sent.later_ms):g} ms {'later' if sent.later_ms > 0 else 'earlier'}"
    )


@edit(description=_later_words)
def move_in_time(context: EditContext, sent: MoveInTime) -> Step:
    where = check_place(context.song, sent.where)
    if not VOICE_PLACE.fullmatch(where):
        raise EditRefusedError("Voices of parts are moved in time; this is none.")
    number, voice = where.split(":")[1:]
    part = find_part(context.song, int(number)).row
    own = part.voice_feel.get(voice, {})
    push_ms = float(own.get("push_ms") or 0.0) + sent.later_ms
    require_range("The push of this voice", push_ms, -MAX_PUSH_MS, MAX_PUSH_MS, "ms")
    return Step([field_patch("part", part, voice_feel={**part.voice_feel, voice: {**own, "push_ms": push_ms}})])


class SetGroup(Edit):
    """Make a group (key ""), or change its name and what is in it; with no members it is taken away."""

    kind: Literal["stage_group"]
    key: Annotated[str, Field(max_length=24, pattern=r"^[a-z0-9-]*$")] = ""
    name: Name
    members: Annotated[list[Where], Field(max_length=128)]


def _group_words(song: SongRows, sent: SetGroup) -> str:
    if not sent.members:
        return f"take the group {sent.name} away"
    known = any(one.key == sent.key for one in song.values.stage.groups)
    return f"group {sent.name}" if known else f"a group, {sent.name}"


@edit(description=_group_words)
def set_group(context: EditContext, sent: SetGroup) -> Step:
    """A sound that was in another group leaves it; a group that is left with nothing is gone."""
    stage = stage_stored(context)
    members = tuple(dict.fromkeys(check_place(context.song, one) for one in sent.members))
    key = sent.key or _new_key({one.key for one in stage.groups})
    others = [
        replace(one, members=left)
        for one in stage.groups
        if one.key != key and (left := tuple(member for member in one.members if member not in members))
    ]
    if sent.key and not any(one.key == key for one in stage.groups):
        raise EditRefusedError("This group is gone.")
    if not sent.key and not members:
        raise EditRefusedError("A group of nothing cannot be made: choose the sounds that are to be in it.")
    groups = [*others, Group(key, check_name(sent.name)[:60], members)] if members else others
    places = {where: place for where, place in stage.places.items() if _stays(where, groups)}
    return kept(context, replace(stage, groups=tuple(groups), places=places))


def _new_key(taken: set[str]) -> str:
    return next(f"g{number}" for number in range(1, MOST_GROUPS + 2) if f"g{number}" not in taken)


def _stays(where: str, groups: list[Group]) -> bool:
    return not where.startswith("group:") or any(where == f"group:{one.key}" for one in groups)


class SetReturn(Edit):
    """Settings of a room or of the echo; what is not named stays."""

    kind: Literal["stage_return"]
    name: Literal["short", "long", "echo"]
    settings: Settings


@edit(description=lambda song, sent: RETURN_NAMES[sent.name])
def set_return(context: EditContext, sent: SetReturn) -> Step:
    stage = stage_stored(context)
    if sent.name == "echo":
        return kept(context, replace(stage, echo={**stage.echo, **sent.settings}))
    rooms = {**stage.rooms, sent.name: {**stage.rooms[sent.name], **sent.settings}}
    return kept(context, replace(stage, rooms=rooms))


class SetCeiling(Edit):
    kind: Literal["stage_ceiling"]
    ceiling_db: Finite


@edit(description="ceiling {ceiling_db:+.1f} dB")
def set_ceiling(context: EditContext, sent: SetCeiling) -> Step:
    stage = replace(stage_stored(context), ceiling_db=sent.ceiling_db)
    return kept(context, stage, ceiling_db=sent.ceiling_db)


class SwitchStage(Edit):
    """All of the Stage on or off; the ceiling stays."""

    kind: Literal["stage_on"]
    on: bool


@edit(description=lambda song, sent: "Stage on" if sent.on else "Stage off")
def switch_stage(context: EditContext, sent: SwitchStage) -> Step:
    return kept(context, replace(stage_stored(context), on=sent.on))


class ShowSetting(Edit):
    """Other settings of the Stage are heard; those that were never made begin as a copy."""

    kind: Literal["stage_settings"]
    to: Setting
    name: Name = ""


@edit(description=lambda song, sent: f"settings {sent.name or setting_names(song.row.stage)[sent.to] or sent.to}")
def show_setting(context: EditContext, sent: ShowSetting) -> Step:
    row = context.song.row
    doc = with_shown(row.stage, sent.to)
    if sent.name:
        settings = {**doc["settings"], sent.to: {**doc["settings"][sent.to], "name": check_name(sent.name)[:24]}}
        doc = {**doc, "settings": settings}
    return Step([field_patch("song", row, stage=doc)])
