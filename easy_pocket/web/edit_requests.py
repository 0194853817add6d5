"""Edits as the page sends them: one typed value each, checked before anything is loaded."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from easy_pocket.core import edit as core_edit
from easy_pocket.core import rows
from easy_pocket.web.chosen_requests import ChosenEdit, LengthEdit, LockEdit
from easy_pocket.web.feel_requests import FeelChange
from easy_pocket.web.groove_requests import GrooveChange
from easy_pocket.web.idea_requests import PutIdeaEdit
from easy_pocket.web.kit_requests import KitChange
from easy_pocket.web.loop_requests import LoopUse
from easy_pocket.web.part_requests import PartChange
from easy_pocket.web.request_types import Finite, Strict, Tick, Voice
from easy_pocket.web.section_requests import SectionChange


class Write(Strict):
    kind: Literal["write"]
    voice: Voice
    tick: Tick
    velocity: int = 96

    def to_core(self) -> core_edit.Edit:
        return core_edit.WriteHit(self.voice, self.tick, self.velocity)


class Remove(Strict):
    kind: Literal["remove"]
    voice: Voice
    tick: Tick

    def to_core(self) -> core_edit.Edit:
        return core_edit.RemoveHit(self.voice, self.tick)


class Move(Strict):
    kind: Literal["move"]
    voice: Voice
    tick: Tick
    to_voice: Voice
    to_tick: Tick

    def to_core(self) -> core_edit.Edit:
        return core_edit.MoveHit(self.voice, self.tick, self.to_voice, self.to_tick)


class Velocity(Strict):
    kind: Literal["velocity"]
    voice: Voice
    tick: Tick
    velocity: int

    def to_core(self) -> core_edit.Edit:
        return core_edit.SetVelocity(self.voice, self.tick, self.velocity)


class Offset(Strict):
    kind: Literal["offset"]
    voice: Voice
    tick: Tick
    offset_ms: Finite

    def to_core(self) -> core_edit.Edit:
        return core_edit.SetOffset(self.voice, self.tick, self.offset_ms)


class Alternate(Strict):
    kind: Literal["alternate"]
    voice: Voice
    tick: Tick
    alternate: int

    def to_core(self) -> core_edit.Edit:
        return core_edit.SetAlternate(self.voice, self.tick, self.alternate)


class Paint(Strict):
    """Hits drawn along a rail in one move."""

    kind: Literal["paint"]
    voice: Voice
    ticks: Annotated[list[Tick], Field(min_length=1, max_length=4096)]
    velocity: int = 96

    def to_core(self) -> core_edit.Edit:
        return rows.WriteHits(self.voice, tuple(self.ticks), self.velocity)


class Wipe(Strict):
    """Hits wiped away in one move, over any number of rails."""

    kind: Literal["wipe"]
    places: Annotated[list[tuple[Voice, Tick]], Field(min_length=1, max_length=4096)]

    def to_core(self) -> core_edit.Edit:
        return rows.RemoveHits(tuple(self.places))


class PaintRow(Strict):
    kind: Literal["row_every"]
    voice: Voice
    start_tick: Tick
    step_ticks: Tick
    every: int
    velocity: int = 96

    def to_core(self) -> core_edit.Edit:
        return rows.PaintRow(self.voice, self.start_tick, self.step_ticks, self.every, self.velocity)


class SpreadRow(Strict):
    kind: Literal["row_spread"]
    voice: Voice
    start_tick: Tick
    step_ticks: Tick
    hits: int
    slots: int
    turned: Annotated[int, Field(ge=-64, le=64)] = 0
    velocity: int = 96

    def to_core(self) -> core_edit.Edit:
        return rows.SpreadRow(
            self.voice, self.start_tick, self.step_ticks, self.hits, self.slots, self.turned, self.velocity
        )


class ThinRow(Strict):
    kind: Literal["row_thin"]
    voice: Voice
    percent: Finite
    seed: Annotated[int, Field(ge=0, le=2**31)]

    def to_core(self) -> core_edit.Edit:
        return rows.ThinRow(self.voice, self.percent, self.seed)


class CopyRow(Strict):
    kind: Literal["row_copy"]
    voice: Voice
    to_voice: Voice
    shift_ticks: Annotated[int, Field(ge=-2_000_000, le=2_000_000)] = 0

    def to_core(self) -> core_edit.Edit:
        return rows.CopyRow(self.voice, self.to_voice, self.shift_ticks)


class TurnRow(Strict):
    kind: Literal["row_turn"]
    voice: Voice
    how: Voice
    step_ticks: Tick

    def to_core(self) -> core_edit.Edit:
        return rows.TurnRow(self.voice, self.how, self.step_ticks)


RowEdit = Paint | Wipe | PaintRow | SpreadRow | ThinRow | CopyRow | TurnRow
PatternEdit = Write | Remove | Move | Velocity | Offset | Alternate | RowEdit | ChosenEdit | LockEdit | LengthEdit


class SetTempo(Strict):
    kind: Literal["tempo"]
    tempo_bpm: Finite


class SetMix(Strict):
    kind: Literal["mix"]
    voice: Voice
    field: Literal["level_db", "pan", "mute", "solo"]
    value: Finite | bool


class SetVoice(Strict):
    """Give the part a voice's rail, or take away one without hits."""

    kind: Literal["voice"]
    voice: Voice
    there: bool


class SetGrid(Strict):
    """What a slot is: "8", "8T", "16", "16T", "32" or "quint"."""

    kind: Literal["grid"]
    grid: Literal["8", "8T", "16", "16T", "32", "quint"]


class SetVoiceGrid(Strict):
    """A row's own grid: as for the part, "part" for the part's, or "off"."""

    kind: Literal["voice_grid"]
    voice: Voice
    grid: Literal["8", "8T", "16", "16T", "32", "quint", "part", "off"]


class SoloOnly(Strict):
    """Exactly these voices soloed; none: all sound again."""

    kind: Literal["solo_only"]
    voices: Annotated[list[Voice], Field(max_length=64)]


class PutLine(Strict):
    """A line of the shelf from a place on."""

    kind: Literal["put_line"]
    key: Annotated[str, Field(max_length=80)]
    start_tick: Tick = 0


class TakeSnapshotBack(Strict):
    kind: Literal["snapshot_back"]
    snapshot_id: Annotated[int, Field(ge=1)]


class SetKit(Strict):
    kind: Literal["kit"]
    kit_key: Annotated[str, Field(max_length=40)]


class SetName(Strict):
    kind: Literal["name"]
    name: Annotated[str, Field(max_length=400)]


SongEdit = (
    SetTempo | SetMix | SoloOnly | SetVoice | SetGrid | SetVoiceGrid | SetKit | SetName | PutLine | TakeSnapshotBack
)
AnyEdit = Annotated[
    PatternEdit | SongEdit | KitChange | FeelChange | GrooveChange | LoopUse | PutIdeaEdit | SectionChange | PartChange,
    Field(discriminator="kind"),
]


class View(Strict):
    """What the page shows: which screen, whose feel, whether it is heard straight; on the Kit screen which voice,
    layer, and alternate sound (0 its own); on the Grooves screen which groove and lane."""

    screen: Literal["bench", "loops", "grooves", "kit", "ideas", "arrangement"] = "bench"
    scope: Voice = "stack"
    straight: bool = False
    voice: Annotated[str, Field(max_length=30, pattern=r"^[a-z_0-9]*$")] = ""
    layer: int = Field(0, ge=0, le=3)
    alternate: int = Field(0, ge=0, le=4)
    groove: int = Field(0, ge=0)
    lane: Literal["all", "low", "mid", "high"] = "all"


class EditRequest(Strict):
    revision: int
    edit: AnyEdit
    gesture: Annotated[str, Field(max_length=40)] | None = None
    view: View = View()


class StepRequest(Strict):
    """steps: how many to undo or redo in one go."""

    revision: int
    steps: int = Field(1, ge=1, le=400)
    view: View = View()
