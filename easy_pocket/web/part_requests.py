"""Parts and their patterns as the page edits them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.store.part_edits import (
    PART_WORDS,
    add_part,
    add_part_of_line,
    add_part_of_loop,
    add_pattern,
    copy_part,
    merge_parts,
    move_part,
    name_pattern,
    set_part,
    split_part,
    take_part,
    take_pattern,
)
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.request_types import Finite, Name, Strict, Voice

At = tuple[Any, int, int]
Id = Annotated[int, Field(ge=1, le=2**31 - 1)]
KitKey = Annotated[str, Field(max_length=40)]


class AddPart(Strict):
    """From nothing, from a line of the shelf, or from a loop's hits."""

    kind: Literal["part_add"]
    kit_key: KitKey
    name: Name = ""
    line: Annotated[str, Field(max_length=80)] = ""
    loop_id: int = Field(0, ge=0, le=2**31 - 1)

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        if self.line:
            return add_part_of_line(*at, self.kit_key, self.line)
        if self.loop_id:
            return add_part_of_loop(*at, self.kit_key, self.loop_id)
        return add_part(*at, self.kit_key, self.name)


class CopyPart(Strict):
    """The same hits on another kit, these voices muted."""

    kind: Literal["part_copy"]
    part_id: Id
    kit_key: KitKey
    muted: Annotated[list[Voice], Field(max_length=64)] = Field(default_factory=list)

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return copy_part(*at, self.part_id, self.kit_key, tuple(self.muted))


class TakePart(Strict):
    kind: Literal["part_take"]
    part_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return take_part(*at, self.part_id)


class MovePart(Strict):
    kind: Literal["part_move"]
    part_id: Id
    to: int = Field(ge=0, le=64)

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return move_part(*at, self.part_id, self.to)


class SetPart(Strict):
    kind: Literal["part_set"]
    part_id: Id
    field: Literal[*PART_WORDS]  # type: ignore[valid-type]
    value: bool | Finite | Annotated[str, Field(max_length=400)] | Annotated[list[Id], Field(max_length=64)] | None

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return set_part(*at, self.part_id, self.field, self.value, gesture)


class MergeParts(Strict):
    kind: Literal["part_merge"]
    part_id: Id
    other_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return merge_parts(*at, self.part_id, self.other_id)


class SplitPart(Strict):
    """By voice."""

    kind: Literal["part_split"]
    part_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return split_part(*at, self.part_id)


class AddPattern(Strict):
    """Empty, or a copy of another one of the part."""

    kind: Literal["pattern_add"]
    part_id: Id
    copy_of: Id | None = None

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return add_pattern(*at, self.part_id, self.copy_of)


class NamePattern(Strict):
    kind: Literal["pattern_name"]
    part_id: Id
    pattern_id: Id
    name: Name

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return name_pattern(*at, self.part_id, self.pattern_id, self.name)


class TakePattern(Strict):
    kind: Literal["pattern_take"]
    part_id: Id
    pattern_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return take_pattern(*at, self.part_id, self.pattern_id)


PartChange = (
    AddPart | CopyPart | TakePart | MovePart | SetPart | MergeParts | SplitPart | AddPattern | NamePattern | TakePattern
)
