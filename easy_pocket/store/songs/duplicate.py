"""A copy of a song, with its parts, patterns, sections and loops; it starts an undo log of its own."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.store.loops.layered_loop_rows import copied_layered_loops
from easy_pocket.store.schema.tables import LoopRow, PartRow, PatternRow, SectionRow, SongRow, row_values
from easy_pocket.store.songs.create import MAX_NAME
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.stage_doc import moved_stage
from easy_pocket.store.takes.copies import copy_takes


def duplicate_song(session: Session, song_id: int) -> SongRow:
    source = load_song(session, song_id)
    copy = SongRow(**{**row_values(source.row), "name": f"{source.row.name[: MAX_NAME - 5]} copy", "revision": 1})
    copy.sections_before_flatten = copy.layered_loops = copy.collision_choices = None
    session.add(copy)
    session.flush()
    parts: dict[int, PartRow] = {}
    patterns: dict[int, int] = {}
    for part in source.parts:
        row = PartRow(**{**row_values(part.row), "song_id": copy.id})
        session.add(row)
        session.flush()
        parts[part.row.id] = row
        for pattern in part.patterns:
            made = PatternRow(**{**row_values(pattern), "part_id": row.id})
            session.add(made)
            session.flush()
            patterns[pattern.id] = made.id
        row.pattern_order = [patterns[key] for key in row.pattern_order or () if key in patterns]
    ids = {old: row.id for old, row in parts.items()}
    sections = _sections(session, source.sections, copy.id, ids, patterns)
    copy.collision_choices = {
        moved: choice
        for key, choice in (source.row.collision_choices or {}).items()
        if (moved := moved_double(key, ids))
    }
    loops: dict[int, int] = {}
    asked = select(LoopRow).where(LoopRow.song_id == song_id, LoopRow.removed.is_(False))
    for loop in session.scalars(asked):
        made_loop = LoopRow(**{**row_values(loop), "song_id": copy.id})
        session.add(made_loop)
        session.flush()
        loops[loop.id] = made_loop.id
    copy.layered_loops = copied_layered_loops(source.row, loops, sections)
    copy.stage = moved_stage(source.row.stage, ids, loops, sections)
    copy_takes(session, song_id, copy.id, ids, sections)
    session.flush()
    return copy


def _sections(
    session: Session, sections: tuple[SectionRow, ...], song_id: int, parts: dict[int, int], patterns: dict[int, int]
) -> dict[int, int]:
    """Their copies; the new id of each."""
    made: dict[int, SectionRow] = {}
    for row in sections:
        cells = {
            str(parts[int(key)]): moved_cell(cell, patterns) for key, cell in row.cells.items() if int(key) in parts
        }
        joins = [moved_join(join, parts, patterns) for join in row.joins or ()]
        copy = SectionRow(**{**row_values(row), "song_id": song_id, "cells": cells, "joins": joins, "parent_id": None})
        session.add(copy)
        session.flush()
        made[row.id] = copy
    for row in sections:
        if row.parent_id in made:
            made[row.id].parent_id = made[row.parent_id].id
    session.flush()
    return {old: row.id for old, row in made.items()}


def moved_cell(cell: dict[str, Any] | None, patterns: dict[int, int]) -> dict[str, Any] | None:
    """For a copy whose patterns have other ids."""
    return cell and {**cell, "pattern": patterns.get(cell.get("pattern", 0), 0)}


def moved_join(join: dict[str, Any], parts: dict[int, int], patterns: dict[int, int]) -> dict[str, Any]:
    moved = dict(join)
    if "part" in join:
        moved["part"] = parts.get(join["part"], 0)
    if "pattern" in join:
        moved["pattern"] = patterns.get(join["pattern"], 0)
    if "keep" in join:
        moved["keep"] = [parts[key] for key in join["keep"] if key in parts]
    return moved


def moved_double(key: str, parts: dict[int, int]) -> str:
    """What is done where two parts strike a voice: the key of that for a copy; "" where a part is not there."""
    one, other, voice = key.split(":", 2)
    return f"{parts[int(one)]}:{parts[int(other)]}:{voice}" if {int(one), int(other)} <= set(parts) else ""
