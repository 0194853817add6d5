"""The patterns of a part: made, named, taken away."""

from __future__ import annotations

from typing import Literal

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.schema.tables import PatternRow
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import Id, Name
from easy_pocket.store.songs.edits.parts import OfPart
from easy_pocket.store.songs.edits.registry import EditContext, Step, edit
from easy_pocket.store.songs.find import find_part
from easy_pocket.store.songs.part_rows import MOST_OF_PART, new_pattern, pattern_name
from easy_pocket.store.songs.song_rows import PartOfRows


class AddPattern(OfPart):
    """Another pattern of a part: empty as long as a bar, or a copy of one of its patterns."""

    kind: Literal["pattern_add"]
    copy_of: Id | None = None


@edit(description="pattern {pattern} of {part}")
def add_pattern(context: EditContext, sent: AddPattern) -> Step:
    part, metre = find_part(context.song, sent.part_id), context.song.metre
    if len(part.patterns) >= MOST_OF_PART:
        raise EditRefusedError(
            f"{part.row.name} has {MOST_OF_PART} patterns, the most there can be: take one away first."
        )
    if sent.copy_of is None:
        pattern = Pattern(metre.bar_ticks, (), metre)
    elif sent.copy_of in part.patterns_by_id:
        pattern = part.patterns_by_id[sent.copy_of]
    else:
        raise EditRefusedError(f"{part.row.name} has no such pattern any more: choose another.")
    name = pattern_name(part)
    row, patch = new_pattern(context.session, sent.part_id, name, pattern)
    return Step([patch], added=row.id, said={"pattern": name, "part": part.row.name})


class OfPattern(OfPart):
    pattern_id: Id


def _pattern(part: PartOfRows, pattern_id: int) -> PatternRow:
    row = next((row for row in part.patterns if row.id == pattern_id), None)
    if row is None:
        raise EditRefusedError("This pattern is gone: choose another.")
    return row


class NamePattern(OfPattern):
    kind: Literal["pattern_name"]
    name: Name


@edit(description="rename pattern {before}")
def name_pattern(context: EditContext, sent: NamePattern) -> Step:
    row = _pattern(find_part(context.song, sent.part_id), sent.pattern_id)
    return Step([field_patch("pattern", row, name=check_name(sent.name))], said={"before": row.name})


class TakePattern(OfPattern):
    """Remove a pattern; refused while it is played somewhere."""

    kind: Literal["pattern_take"]


@edit(description="remove pattern {name} of {part}")
def take_pattern(context: EditContext, sent: TakePattern) -> Step:
    song, part_id, pattern_id = context.song, sent.part_id, sent.pattern_id
    part = find_part(song, part_id)
    row = _pattern(part, pattern_id)
    if len(part.patterns) < 2:
        raise EditRefusedError(f"{part.row.name} needs one pattern at least.")
    used = [one.row.name for one in song.resolved if (one.cells.get(part_id) or {}).get("pattern") == pattern_id]
    used += [one.row.name for one in song.resolved if any(join.get("pattern") == pattern_id for join in one.joins)]
    if used:
        raise EditRefusedError(
            f"{row.name} is played in {', '.join(dict.fromkeys(used))}: let it play another one there first."
        )
    order = [key for key in part.row.pattern_order or () if key != pattern_id]
    patches = [field_patch("pattern", row, removed=True), field_patch("part", part.row, pattern_order=order)]
    return Step(patches, said={"name": row.name, "part": part.row.name})
