"""Sections, their cells and joins as the page edits them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.store.cell_edits import change_cell, copy_cell, free_cell, set_cell
from easy_pocket.store.feels import FEEL_WORDS
from easy_pocket.store.join_edits import draw_fill, fill_from_idea, set_joins
from easy_pocket.store.section_edits import (
    add_section,
    free_section,
    join_section,
    move_section,
    name_section,
    set_section,
    split_section,
    take_section,
)
from easy_pocket.store.song_edits import go_back, settle_double, stage_section, write_flat
from easy_pocket.store.songs import LoadedSong
from easy_pocket.store.under import set_under_section
from easy_pocket.web.idea_requests import ChangeDoc
from easy_pocket.web.request_types import Finite, Name, Strict, Tick, Voice

At = tuple[Any, int, int]
Id = Annotated[int, Field(ge=1, le=2**31 - 1)]
Ids = Annotated[list[Id], Field(min_length=1, max_length=128)]


class SplitSection(Strict):
    """A section begins at this bar of the song, counted from 1."""

    kind: Literal["section_split"]
    bar: int = Field(ge=1, le=512)

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return split_section(*at, self.bar)


class NameSection(Strict):
    kind: Literal["section_name"]
    section_id: Id
    name: Name

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return name_section(*at, self.section_id, self.name)


class JoinSection(Strict):
    """With the one after it."""

    kind: Literal["section_join"]
    section_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return join_section(*at, self.section_id)


class AddSection(Strict):
    """After another one; 0: at the end."""

    kind: Literal["section_add"]
    after_id: int = Field(0, ge=0, le=2**31 - 1)
    how: Literal["empty", "copy", "variation"] = "copy"

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return add_section(*at, self.after_id, self.how)


class TakeSection(Strict):
    kind: Literal["section_take"]
    section_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return take_section(*at, self.section_id)


class FreeSection(Strict):
    """A variation becomes a section by itself."""

    kind: Literal["section_free"]
    section_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return free_section(*at, self.section_id)


class MoveSection(Strict):
    kind: Literal["section_move"]
    section_id: Id
    to: int = Field(ge=0, le=128)

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return move_section(*at, self.section_id, self.to)


class SetSection(Strict):
    """One field; null gives it back to the song, or to the section it is a variation of."""

    kind: Literal["section_set"]
    section_id: Id
    field: Literal["name", "bars", "repeats", "tempo_bpm", "metre", "notes", "mark"]
    value: Annotated[str, Field(max_length=4000)] | Finite | None

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return set_section(*at, self.section_id, self.field, self.value, gesture)


class StageSection(Strict):
    kind: Literal["section_stages"]
    section_id: Id
    stages: int = Field(3, ge=1, le=16)
    bars: int = Field(2, ge=1, le=64)
    way: Literal["up", "down"] = "up"

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return stage_section(*at, self.section_id, self.stages, self.bars, self.way)


class SetCell(Strict):
    """pattern: an id, 0 for the part's order, null for rest."""

    kind: Literal["cell_set"]
    section_ids: Ids
    part_id: Id
    pattern: Annotated[int, Field(ge=0, le=2**31 - 1)] | None

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return set_cell(*at, self.section_ids, self.part_id, self.pattern)


class CellLevel(Strict):
    kind: Literal["cell_level"]
    section_id: Id
    part_id: Id
    value: Finite

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return change_cell(*at, self.section_id, self.part_id, "level_db", self.value, gesture)


class CellMute(Strict):
    kind: Literal["cell_mute"]
    section_id: Id
    part_id: Id
    voice: Voice
    value: bool

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return change_cell(*at, self.section_id, self.part_id, f"mute {self.voice}", self.value)


class CellFeel(Strict):
    """What is felt otherwise here; null goes by the part again."""

    kind: Literal["cell_feel"]
    section_id: Id
    part_id: Id
    field: Literal[*FEEL_WORDS]  # type: ignore[valid-type]
    value: bool | Finite | Annotated[str, Field(max_length=20)] | None

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return change_cell(*at, self.section_id, self.part_id, f"feel {self.field}", self.value, gesture)


class CopyCell(Strict):
    kind: Literal["cell_copy"]
    part_id: Id
    from_id: Id
    to_ids: Ids

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return copy_cell(*at, self.part_id, self.from_id, self.to_ids)


class FreeCell(Strict):
    """A cell of a variation goes along with its parent's again."""

    kind: Literal["cell_free"]
    section_id: Id
    part_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return free_cell(*at, self.section_id, self.part_id)


class UnderCell(Strict):
    """Whether a loop plays in a section."""

    kind: Literal["under_cell"]
    loop_id: Id
    section_id: Id
    there: bool

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return set_under_section(*at, self.loop_id, self.section_id, self.there)


class JoinDoc(Strict):
    kind: Literal["fill", "drop", "crash", "swell", "pickup"]
    part: int = Field(0, ge=0, le=2**31 - 1)
    pattern: int = Field(0, ge=0, le=2**31 - 1)
    voice: Annotated[str, Field(max_length=30)] = ""
    beats: Finite = 1.0
    velocity: int = 112
    gap_ms: Finite = 0.0
    fade_ms: Finite = 0.0
    keep: Annotated[list[Id], Field(max_length=32)] = Field(default_factory=list)
    last_only: bool = False


class SetJoins(Strict):
    kind: Literal["joins_set"]
    section_id: Id
    joins: Annotated[list[JoinDoc], Field(max_length=16)]

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        docs = [join.model_dump(exclude_defaults=True) | {"kind": join.kind} for join in self.joins]
        return set_joins(*at, self.section_id, docs, gesture)


class DrawFill(Strict):
    """A fill or pick-up of the program's own."""

    kind: Literal["join_draw"]
    section_id: Id
    part_id: Id
    what: Literal["fill", "pickup"] = "fill"
    beats: Annotated[float, Field(ge=1, le=16)] = 2.0
    seed: Annotated[int, Field(ge=0, le=999_999)] = 1
    last_only: bool = False

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return draw_fill(*at, self.section_id, self.part_id, self.what, self.beats, self.seed, self.last_only)


class FillFromIdea(Strict):
    kind: Literal["join_idea"]
    section_id: Id
    changes: Annotated[list[ChangeDoc], Field(max_length=2000)]
    begin_tick: Tick
    end_tick: Tick
    last_only: bool = False

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        changes = tuple(change.to_core() for change in self.changes)
        return fill_from_idea(*at, self.section_id, changes, (self.begin_tick, self.end_tick), self.last_only)


class SettleDouble(Strict):
    kind: Literal["double"]
    part_id: Id
    other_id: Id
    voice: Voice
    choice: Literal["keep", "drop", "offset"]

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return settle_double(*at, self.part_id, self.other_id, self.voice, self.choice)


class WriteFlat(Strict):
    kind: Literal["song_flat"]

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return write_flat(*at)


class GoBack(Strict):
    kind: Literal["song_back"]

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return go_back(*at)


SectionChange = (
    SplitSection | NameSection | JoinSection | AddSection | TakeSection | FreeSection | MoveSection | SetSection
    | StageSection | SetCell | CellLevel | CellMute | CellFeel | CopyCell | FreeCell | UnderCell | SetJoins | DrawFill
    | FillFromIdea | SettleDouble | WriteFlat | GoBack
)  # fmt: skip
