"""New parts and patterns, made so that undo can take them away: the row is inserted with `removed` set, and the edit's
patch clears it."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import GRID_TICKS
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.hits_json import pattern_to_json
from easy_pocket.store.schema.tables import PartRow, PatternRow
from easy_pocket.store.songs.song_rows import PartOfRows, SongRows

MOST_PARTS = 32
MOST_OF_PART = 64  # patterns


def new_pattern(session: Session, part_id: int, name: str, pattern: Pattern) -> tuple[PatternRow, Patch]:
    row = PatternRow(
        part_id=part_id,
        name=name,
        length_ticks=pattern.length_ticks,
        hits=pattern_to_json(pattern),
        locks={},
        removed=True,
    )
    session.add(row)
    session.flush()
    return row, field_patch("pattern", row, removed=False)


def new_part(session: Session, loaded: SongRows, position: int, **values: Any) -> tuple[PartRow, list[Patch]]:
    """A part at a position; the parts from there on make room. Patches are not applied yet."""
    if len(loaded.parts) >= MOST_PARTS:
        raise EditRefusedError(f"A song has at most {MOST_PARTS} parts: merge or remove one first.")
    plain: dict[str, object] = {
        "kit_key": loaded.part.kit_key, "voices": [], "cycle_ticks": None, "step_ticks": GRID_TICKS["16"],
        "start_shift_ticks": 0, "restarts": True, "feel": {}, "voice_feel": {}, "mix": {}, "voice_steps": {},
        "player": next_player(loaded), "rotation_ticks": 0, "bars": "", "pattern_order": [], "change_percent": 0.0,
        "seed": 1, "fills": True, "level_db": 0.0, "mute": False, "solo": False,
    }  # fmt: skip
    row = PartRow(**{**plain, **values, "song_id": loaded.row.id, "position": position, "removed": True})
    session.add(row)
    session.flush()
    moved = [
        field_patch("part", one.row, position=one.row.position + 1)
        for one in loaded.parts
        if one.row.position >= position
    ]
    return row, [*moved, field_patch("part", row, removed=False)]


def next_player(loaded: SongRows) -> int:
    return max((part.row.player for part in loaded.parts), default=-1) + 1


def part_values(part: PartOfRows) -> dict[str, object]:
    """What a copy of a part has from it, but its patterns."""
    left_out = ("id", "song_id", "position", "removed", "player", "pattern_order")
    row = part.row
    return {c.key: getattr(row, c.key) for c in PartRow.__table__.columns if c.key not in left_out}


def free_name(name: str, taken: set[str]) -> str:
    """The name, or with the first number that makes it a new one."""
    if name not in taken:
        return name
    stem = name.rstrip("0123456789 ") or name
    return next(one for number in range(2, 10_000) if (one := f"{stem[:60]} {number}") not in taken)


def pattern_name(part: PartOfRows | None) -> str:
    """A, B, C ... Z, A2 ...: the first that the part has not."""
    taken = {row.name for row in part.patterns} if part else set()
    letters = [chr(ord("A") + number) for number in range(26)]
    names = (letter + tail for tail in ("", *(str(number) for number in range(2, 99))) for letter in letters)
    return next(name for name in names if name not in taken)


def in_kit_order(voices: set[str]) -> list[str]:
    return [role for role in ROLES if role in voices]
