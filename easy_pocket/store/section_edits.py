"""Sections as they are edited: made, moved, set, split, joined, taken away."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, EditRefusedError, as_number, require_range
from easy_pocket.core.song.bounds import check_size
from easy_pocket.core.song.section import MAX_REPEATS
from easy_pocket.core.timebase import MAX_BARS, check_tempo, parse_metre
from easy_pocket.store.cells import INHERITED, Resolved
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.keep import begin, finish
from easy_pocket.store.models import SectionRow
from easy_pocket.store.sections import add_row, bar_ticks, check_length, places, section_doc
from easy_pocket.store.songs import LoadedSong, check_name
from easy_pocket.store.under_rows import sections_of, under_docs

MAX_NOTES = 2000
MARKS = ("", "circle", "triangle", "square", "diamond", "cross", "star")
FIELD_WORDS = {
    "name": "name", "bars": "bars", "repeats": "repeats", "tempo_bpm": "tempo", "metre": "metre", "notes": "notes",
    "mark": "mark",
}  # fmt: skip


def finish_sections(
    session: Session, loaded: LoadedSong, words: str, patches: list[Patch], gesture: str | None = None
) -> LoadedSong:
    """Keep a step that changes sections; one that makes the song too long is refused and not kept."""
    done = finish(session, loaded, words, patches, gesture)
    check_length(done.resolved)
    check_size(done.arrangement)
    return done


def find_section(loaded: LoadedSong, section_id: int) -> Resolved:
    found = next((one for one in loaded.resolved if one.row.id == section_id), None)
    if found is None:
        raise EditRefusedError("This section is gone: look at the sections as they are now.")
    return found


def add_section(session: Session, song_id: int, revision: int, after_id: int, how: str) -> LoadedSong:
    """After another one (0: at the end). how: "empty", a "copy" of it, or a "variation" that goes along with it."""
    loaded = begin(session, song_id, revision)
    if not after_id:
        after_id = loaded.resolved[-1].row.id if loaded.resolved else 0
    one = find_section(loaded, after_id)
    row = one.row
    patches = _make_room(loaded, row.position + 1)
    position, name = row.position + 1, next_name(row.name, loaded.sections)
    match how:
        case "empty":
            values: dict[str, Any] = {"bars": one.bars, "tempo_bpm": None, "metre": None, "cells": {}}
            patches.append(add_row(session, song_id, position=position, name=name, **values))
            words = f"add section {name}"
        case "copy":
            values = {**section_doc(row), **_own_values(one), "name": name, "position": position, "parent_id": None}
            patches.append(add_row(session, **{**values, "own": []}))
            words = f"copy {row.name} as {name}"
        case "variation":
            values = {"bars": one.bars, "repeats": one.repeats, "cells": {}, "parent_id": row.id, "position": position}
            patches.append(add_row(session, song_id, name=name, **values))
            words = f"{name}, a variation of {row.name}"
        case _:
            raise BadValueError(f"A section can be empty, a copy or a variation, not '{how[:20]}'.")
    if how != "empty":
        patches += _loops_too(loaded, row.id, patches[-1])
    return finish_sections(session, loaded, words, patches)


def _loops_too(loaded: LoadedSong, old_id: int, added: Patch) -> list[Patch]:
    """Loops that play in a section play in the one made of it, too."""
    docs = under_docs(loaded.row)
    after = [
        {**doc, "section_id": None, "section_ids": [*sections_of(doc), added["id"]]}
        if old_id in sections_of(doc)
        else doc
        for doc in docs
    ]
    return [field_patch("song", loaded.row, under=after)] if after != docs else []


def _own_values(one: Resolved) -> dict[str, Any]:
    """All a section has, whether its own or from another: what a copy of it holds."""
    return {
        "bars": one.bars,
        "repeats": one.repeats,
        "tempo_bpm": one.tempo_bpm,
        "metre": one.metre,
        "joins": list(one.joins),
        "cells": {str(part): cell for part, cell in one.cells.items()},
    }


def _make_room(loaded: LoadedSong, position: int, count: int = 1) -> list[Patch]:
    return [
        field_patch("section", row, position=row.position + count)
        for row in loaded.sections
        if row.position >= position
    ]


def take_section(session: Session, song_id: int, revision: int, section_id: int) -> LoadedSong:
    """Variations of it keep what they had from it, as their own."""
    loaded = begin(session, song_id, revision)
    gone = find_section(loaded, section_id)
    if len(loaded.resolved) < 2:
        raise EditRefusedError("A song needs one section at least: add another one first.")
    patches = _set_free(loaded, gone.row)
    patches.append({"table": "section", "id": gone.row.id, "exists": [section_doc(gone.row), None]})
    return finish_sections(session, loaded, f"take away {gone.row.name}", patches)


def _set_free(loaded: LoadedSong, parent: SectionRow) -> list[Patch]:
    children = [one for one in loaded.resolved if one.row.parent_id == parent.id]
    return [field_patch("section", one.row, **_own_values(one), parent_id=None, own=[]) for one in children]


def free_section(session: Session, song_id: int, revision: int, section_id: int) -> LoadedSong:
    """A variation becomes a section by itself, sounding as it does."""
    loaded = begin(session, song_id, revision)
    one = find_section(loaded, section_id)
    if one.parent is None:
        raise EditRefusedError(f"{one.row.name} is no variation of another section.")
    patch = field_patch("section", one.row, **_own_values(one), parent_id=None, own=[])
    return finish_sections(session, loaded, f"{one.row.name} no longer goes along with {one.parent.name}", [patch])


def move_section(session: Session, song_id: int, revision: int, section_id: int, to: int) -> LoadedSong:
    """To a place among the sections, counted from 0."""
    loaded = begin(session, song_id, revision)
    one = find_section(loaded, section_id)
    rows = [other for other in loaded.sections if other.id != section_id]
    rows.insert(max(0, min(to, len(rows))), one.row)
    patches = [
        field_patch("section", row, position=number) for number, row in enumerate(rows) if row.position != number
    ]
    if not patches:
        raise EditRefusedError(f"{one.row.name} is there already.")
    return finish_sections(session, loaded, f"move {one.row.name}", patches)


def set_section(
    session: Session, song_id: int, revision: int, section_id: int, field: str, value: Any, gesture: str | None = None
) -> LoadedSong:
    """One field; None gives tempo and metre back to the song, and any field of a variation back to its parent."""
    loaded = begin(session, song_id, revision)
    one = find_section(loaded, section_id)
    own = set(one.row.own or ())
    gives_back = value is None and one.parent is not None and field in INHERITED and field in own
    fields: dict[str, Any] = {}
    if gives_back:
        own.discard(field)
        words = f"{FIELD_WORDS[field]} of {one.row.name} from {one.parent.name if one.parent else ''}"
    else:
        fields[field] = checked(field, value)
        if one.parent is not None and field in INHERITED:
            own.add(field)
        words = f"{FIELD_WORDS[field]} of {one.row.name} {_said(field, fields[field])}".strip()
    if one.parent is not None:
        fields["own"] = sorted(own)
    return finish_sections(session, loaded, words, [field_patch("section", one.row, **fields)], gesture)


def checked(field: str, value: Any) -> Any:
    """The value as it is kept; raises BadValueError for what does not fit."""
    match field:
        case "name":
            return check_name(str(value))
        case "notes":
            text = "".join(c for c in str(value or "") if c.isprintable() or c == "\n").strip()
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


def _said(field: str, value: Any) -> str:
    if field == "notes":
        return ""
    return "of the song" if value is None else f"{value:g}" if isinstance(value, float) else str(value)


def split_section(session: Session, song_id: int, revision: int, bar: int) -> LoadedSong:
    """A section begins at this bar of the song: the one it lies in ends before it. Raises EditRefusedError where none
    can."""
    loaded = begin(session, song_id, revision)
    place = next((p for p in places(loaded.resolved) if p.first_bar < bar <= p.last_bar), None)
    if place is None:
        raise EditRefusedError(f"No section can begin at bar {bar}: choose a bar inside a section, not its first one.")
    one = place.section
    if one.repeats > 1:
        raise EditRefusedError(
            f"{one.row.name} is played {one.repeats} times: set its repeats to 1 first, then one can begin inside it."
        )
    before = bar - place.first_bar
    ticks = before * bar_ticks(one, loaded.metre)
    values = _own_values(one)
    cells = {part: {**cell, "start": cell.get("start", 0) + ticks} for part, cell in values["cells"].items()}
    name = next_name(one.row.name, loaded.sections)
    patches = _make_room(loaded, one.row.position + 1)
    patches.append(field_patch("section", one.row, **{**values, "bars": before, "joins": []}, parent_id=None, own=[]))
    second = {**values, "bars": one.bars - before, "cells": cells, "name": name, "position": one.row.position + 1}
    patches.append(add_row(session, song_id, **second))
    patches += _loops_too(loaded, one.row.id, patches[-1])
    return finish_sections(session, loaded, f"{name} begins at bar {bar}", patches)


def next_name(name: str, sections: tuple[SectionRow, ...]) -> str:
    """ "Verse 2" after "Verse", and so on: the first that is free."""
    stem = name.rstrip("0123456789 ") or name
    taken = {row.name for row in sections}
    return next(one for number in range(2, 10_000) if (one := f"{stem[:60]} {number}") not in taken)


def name_section(session: Session, song_id: int, revision: int, section_id: int, name: str) -> LoadedSong:
    loaded = begin(session, song_id, revision)
    row = find_section(loaded, section_id).row
    patch = field_patch("section", row, name=check_name(name))
    return finish(session, loaded, f"rename {row.name}", [patch], None)


def join_section(session: Session, song_id: int, revision: int, section_id: int) -> LoadedSong:
    """A section and the one after it become one, under the first one's name and with what it plays; it ends as the
    second one did."""
    loaded = begin(session, song_id, revision)
    one = find_section(loaded, section_id)
    following = [other for other in loaded.resolved if other.row.position > one.row.position]
    if not following:
        raise EditRefusedError(f"{one.row.name} is the last section: there is none after it to join.")
    gone = following[0]
    if bar_ticks(one, loaded.metre) != bar_ticks(gone, loaded.metre):
        raise EditRefusedError(f"{one.row.name} and {gone.row.name} have bars of different length: they stay apart.")
    bars = one.bars * one.repeats + gone.bars * gone.repeats
    fields = {"bars": bars, "repeats": 1, "joins": list(gone.joins)}
    if one.parent is not None:
        fields["own"] = sorted({*(one.row.own or ()), *fields})
    patches: list[Patch] = [
        *_set_free(loaded, gone.row),
        field_patch("section", one.row, **fields),
        {"table": "section", "id": gone.row.id, "exists": [section_doc(gone.row), None]},
    ]
    return finish_sections(session, loaded, f"join {gone.row.name} to {one.row.name}", patches)
