"""Edits of sections: made, moved, set, split, joined, taken away."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.core.errors import BadValueError, EditRefusedError, as_number, require_range
from easy_pocket.core.pattern.timebase import MAX_BARS, check_tempo, parse_metre
from easy_pocket.core.song.section import MAX_REPEATS
from easy_pocket.core.text import several_lines
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.loops.layered_loop_rows import layered_loop_docs_of, sections_of
from easy_pocket.store.schema.tables import SectionRow
from easy_pocket.store.songs.cells import INHERITED, Resolved
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import Bars, Finite, Id, Name
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit
from easy_pocket.store.songs.find import find_section
from easy_pocket.store.songs.song_rows import SongRows
from easy_pocket.store.songs.spans import add_row, bar_ticks, places, section_doc
from easy_pocket.store.songs.stage_doc import with_section_copied

MAX_NOTES = 2000
MARKS = ("", "circle", "triangle", "square", "diamond", "cross", "star")
FIELD_WORDS = {
    "name": "name", "bars": "bars", "repeats": "repeats", "tempo_bpm": "tempo", "metre": "metre", "notes": "notes",
    "mark": "mark",
}  # fmt: skip


class AddSection(Edit):
    """Add a section after another one; 0: at the end. how: "empty", a "copy" of it, or a "variation" that goes along
    with it."""

    kind: Literal["section_add"]
    after_id: int = Field(0, ge=0, le=2**31 - 1)
    how: Literal["empty", "copy", "variation"] = "copy"


@edit(description="{done}")
def add_section(context: EditContext, sent: AddSection) -> Step:
    song, session = context.song, context.session
    after_id = sent.after_id or (song.resolved[-1].row.id if song.resolved else 0)
    one = find_section(song, after_id)
    row = one.row
    position, name = row.position + 1, next_name(row.name, song.sections)
    patches = _make_room(song, position)
    match sent.how:
        case "empty":
            values: dict[str, Any] = {"bars": one.bars, "tempo_bpm": None, "metre": None, "cells": {}}
            patches.append(add_row(session, song.row.id, position=position, name=name, **values))
            done = f"add section {name}"
        case "copy":
            values = {**section_doc(row), **own_values(one), "name": name, "position": position, "parent_id": None}
            patches.append(add_row(session, **{**values, "own": []}))
            done = f"copy {row.name} as {name}"
        case "variation":
            values = {"bars": one.bars, "repeats": one.repeats, "cells": {}, "parent_id": row.id, "position": position}
            patches.append(add_row(session, song.row.id, name=name, **values))
            done = f"{name}, a variation of {row.name}"
    if sent.how != "empty":
        added = patches[-1]
        patches += _loops_too(song, row.id, added)
        if sent.how != "variation":  # that one has what its section has
            patches += _stage_too(song, one, added["id"])
    return Step(patches, said={"done": done}, long=True)


def _loops_too(song: SongRows, old_id: int, added: Patch) -> list[Patch]:
    """Loops that play in a section play in the one made of it, too."""
    docs = layered_loop_docs_of(song.row)
    after = [
        {**doc, "section_id": None, "section_ids": [*sections_of(doc), added["id"]]}
        if old_id in sections_of(doc)
        else doc
        for doc in docs
    ]
    return [field_patch("song", song.row, layered_loops=after)] if after != docs else []


def _stage_too(song: SongRows, one: Resolved, new_id: int) -> list[Patch]:
    """A section stands on the Stage as another one does, with what that one has from the one it varies."""
    stage = with_section_copied(song.row.stage, stage_line(one), new_id)
    return [field_patch("song", song.row, stage=stage)] if stage != song.row.stage else []


def stage_line(one: Resolved) -> list[int]:
    """Ids of the section it varies, if it does, and of itself."""
    return [*([one.row.parent_id] if one.row.parent_id else []), one.row.id]


def own_values(one: Resolved) -> dict[str, Any]:
    """All a section has, whether its own or from another: what a copy of it holds."""
    return {
        "bars": one.bars,
        "repeats": one.repeats,
        "tempo_bpm": one.tempo_bpm,
        "metre": one.metre,
        "joins": list(one.joins),
        "cells": {str(part): cell for part, cell in one.cells.items()},
    }


def _make_room(song: SongRows, position: int) -> list[Patch]:
    return [field_patch("section", row, position=row.position + 1) for row in song.sections if row.position >= position]


def next_name(name: str, sections: tuple[SectionRow, ...]) -> str:
    """ "Verse 2" after "Verse", and so on: the first that is free."""
    stem = name.rstrip("0123456789 ") or name
    taken = {row.name for row in sections}
    return next(one for number in range(2, 10_000) if (one := f"{stem[:60]} {number}") not in taken)


class OfSection(Edit):
    section_id: Id


class TakeSection(OfSection):
    """Remove a section; variations of it keep what they had from it, as their own."""

    kind: Literal["section_take"]


@edit(description="remove {name}")
def take_section(context: EditContext, sent: TakeSection) -> Step:
    song = context.song
    gone = find_section(song, sent.section_id)
    if len(song.resolved) < 2:
        raise EditRefusedError("A song needs one section at least: add another one first.")
    patches = _set_free(song, gone.row)
    patches.append({"table": "section", "id": gone.row.id, "exists": [section_doc(gone.row), None]})
    return Step(patches, said={"name": gone.row.name}, long=True)


def _set_free(song: SongRows, parent: SectionRow) -> list[Patch]:
    children = [one for one in song.resolved if one.row.parent_id == parent.id]
    stage = song.row.stage
    for one in children:
        stage = with_section_copied(stage, stage_line(one), one.row.id)
    stands = [field_patch("song", song.row, stage=stage)] if stage != song.row.stage else []
    return [*(field_patch("section", one.row, **own_values(one), parent_id=None, own=[]) for one in children), *stands]


class FreeSection(OfSection):
    """A variation becomes a section by itself, sounding as it does."""

    kind: Literal["section_free"]


@edit(description="{name} no longer goes along with {parent}")
def free_section(context: EditContext, sent: FreeSection) -> Step:
    one = find_section(context.song, sent.section_id)
    if one.parent is None:
        raise EditRefusedError(f"{one.row.name} is no variation of another section.")
    patch = field_patch("section", one.row, **own_values(one), parent_id=None, own=[])
    return Step(
        [patch, *_stage_too(context.song, one, one.row.id)],
        said={"name": one.row.name, "parent": one.parent.name},
        long=True,
    )


class MoveSection(OfSection):
    """Move a section to a place among the sections, counted from 0."""

    kind: Literal["section_move"]
    to: int = Field(ge=0, le=128)


@edit(description="move {name}")
def move_section(context: EditContext, sent: MoveSection) -> Step:
    song = context.song
    one = find_section(song, sent.section_id)
    rows = [other for other in song.sections if other.id != sent.section_id]
    rows.insert(max(0, min(sent.to, len(rows))), one.row)
    patches = [
        field_patch("section", row, position=number) for number, row in enumerate(rows) if row.position != number
    ]
    if not patches:
        raise EditRefusedError(f"{one.row.name} is there already.")
    return Step(patches, said={"name": one.row.name}, long=True)


class SetSection(OfSection):
    """Set one field of a section; null gives it back to the song, or to the section it is a variation of."""

    kind: Literal["section_set"]
    field: Literal["name", "bars", "repeats", "tempo_bpm", "metre", "notes", "mark"]
    value: Annotated[str, Field(max_length=4000)] | Finite | None


@edit(description="{what} of {name} {shown}")
def set_section(context: EditContext, sent: SetSection) -> Step:
    field, value = sent.field, sent.value
    one = find_section(context.song, sent.section_id)
    own = set(one.row.own or ())
    fields: dict[str, object] = {}
    if value is None and one.parent is not None and field in INHERITED and field in own:
        own.discard(field)
        shown = f"from {one.parent.name}"
    else:
        fields[field] = _checked(field, value)
        if one.parent is not None and field in INHERITED:
            own.add(field)
        shown = _shown(field, fields[field])
    if one.parent is not None:
        fields["own"] = sorted(own)
    said = {"what": FIELD_WORDS[field], "name": one.row.name, "shown": shown}
    return Step([field_patch("section", one.row, **fields)], said=said, long=True)


def _checked(field: str, value: Any) -> Any:
    """The value as it is kept; raises BadValueError for what does not fit."""
    match field:
        case "name":
            return check_name(str(value))
        case "notes":
            text = several_lines(str(value or ""))
            if len(text) > MAX_NOTES:
                raise BadValueError(f"The notes have {len(text)} characters; at most {MAX_NOTES} fit.")
            return text
        case "mark":
            if value not in MARKS:
                raise BadValueError(f"A section is marked with one of {', '.join(MARKS[1:])}, or with none.")
            return value
        case "bars":
            return _whole("The bars of a section", value, MAX_BARS)
        case "repeats":
            return _whole("The repeats of a section", value, MAX_REPEATS)
        case "tempo_bpm":
            return None if value is None else round(check_tempo(as_number("The tempo", value)), 3)
        case "metre":
            return None if value is None else str(parse_metre(str(value)))
    raise BadValueError(f"A section has no {field[:20]}.")


def _whole(words: str, value: Any, most: int) -> int:
    number = as_number(words, value)
    require_range(words, number, 1, most)
    if number != int(number):
        raise BadValueError(f"{words} is {number:g}; a whole number is needed.")
    return int(number)


def _shown(field: str, value: Any) -> str:
    if field == "notes":
        return "changed"
    return "of the song" if value is None else f"{value:g}" if isinstance(value, float) else str(value)


class SplitSection(Edit):
    """A section begins at this bar of the song, counted from 1: the one it lies in ends before it."""

    kind: Literal["section_split"]
    bar: Bars


@edit(description="{name} begins at bar {bar}")
def split_section(context: EditContext, sent: SplitSection) -> Step:
    song, bar = context.song, sent.bar
    place = next((p for p in places(song.resolved) if p.first_bar < bar <= p.last_bar), None)
    if place is None:
        raise EditRefusedError(f"No section can begin at bar {bar}: choose a bar inside a section, not its first one.")
    one = place.section
    if one.repeats > 1:
        raise EditRefusedError(
            f"{one.row.name} is played {one.repeats} times: set its repeats to 1 first, then one can begin inside it."
        )
    before = bar - place.first_bar
    ticks = before * bar_ticks(one, song.metre)
    values = own_values(one)
    cells = {part: {**cell, "start": cell.get("start", 0) + ticks} for part, cell in values["cells"].items()}
    name = next_name(one.row.name, song.sections)
    patches = _make_room(song, one.row.position + 1)
    patches.append(field_patch("section", one.row, **{**values, "bars": before, "joins": []}, parent_id=None, own=[]))
    second = {**values, "bars": one.bars - before, "cells": cells, "name": name, "position": one.row.position + 1}
    patches.append(add_row(context.session, song.row.id, **second))
    patches += _loops_too(song, one.row.id, patches[-1])
    return Step(patches, said={"name": name}, long=True)


class NameSection(OfSection):
    kind: Literal["section_name"]
    name: Name


@edit(description="rename {before}")
def name_section(context: EditContext, sent: NameSection) -> Step:
    row = find_section(context.song, sent.section_id).row
    return Step([field_patch("section", row, name=check_name(sent.name))], said={"before": row.name})


class JoinSection(OfSection):
    """A section and the one after it become one, under the first one's name and with what it plays; it ends as the
    second one did."""

    kind: Literal["section_join"]


@edit(description="join {gone} to {name}")
def join_section(context: EditContext, sent: JoinSection) -> Step:
    song = context.song
    one = find_section(song, sent.section_id)
    following = [other for other in song.resolved if other.row.position > one.row.position]
    if not following:
        raise EditRefusedError(f"{one.row.name} is the last section: there is none after it to join.")
    gone = following[0]
    if bar_ticks(one, song.metre) != bar_ticks(gone, song.metre):
        raise EditRefusedError(f"{one.row.name} and {gone.row.name} have bars of different length: they stay apart.")
    bars = one.bars * one.repeats + gone.bars * gone.repeats
    fields: dict[str, object] = {"bars": bars, "repeats": 1, "joins": list(gone.joins)}
    if one.parent is not None:
        fields["own"] = sorted({*(one.row.own or ()), *fields})
    patches: list[Patch] = [
        *_set_free(song, gone.row),
        field_patch("section", one.row, **fields),
        {"table": "section", "id": gone.row.id, "exists": [section_doc(gone.row), None]},
    ]
    return Step(patches, said={"gone": gone.row.name, "name": one.row.name}, long=True)
