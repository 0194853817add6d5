"""Edits of chosen hits, of lengths and of locks, as the page sends them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.core import chosen, lengths, locks, tighten
from easy_pocket.core.articulation import PLAIN, articulation_from_doc
from easy_pocket.core.pattern import Hit
from easy_pocket.core.shapes import Shape
from easy_pocket.web.request_types import Finite, Strict, Tick, Voice

MAX_PLACES = 30_000
Place = tuple[Voice, Tick]
Places = Annotated[list[Place], Field(min_length=1, max_length=MAX_PLACES)]
AnyTick = Annotated[int, Field(ge=-4_000_000, le=4_000_000)]
Word = Annotated[str, Field(max_length=20)]


class DressDoc(Strict):
    """Articulation fields; what is not named stays as it is."""

    ornament: Word = ""
    strokes: int = 0
    span_ticks: int = 0
    spacing: Word = "even"
    swell: int = 0
    grace_ms: Finite = 24.0
    tune_cents: int = 0
    pan: Finite = 0.0
    length_ticks: int = 0
    odds_percent: int = 100
    passes: int = 0
    locked: bool = False
    backwards: bool = False


class Values(Strict):
    """One value of the detail strip for each of these hits."""

    kind: Literal["values"]
    field: Word
    values: Annotated[list[tuple[Voice, Tick, Finite]], Field(min_length=1, max_length=MAX_PLACES)]
    step_ticks: Tick = 240

    def to_core(self) -> chosen.SetValues:
        return chosen.SetValues(self.field, tuple(self.values), self.step_ticks)


class ShapeValues(Strict):
    kind: Literal["shape"]
    field: Word
    places: Places
    shape: Word
    start: Finite = 0.0
    end: Finite = 0.0
    bend: Finite = 0.0
    count: Finite = 1.0
    amount: Finite = 0.0
    seed: Annotated[int, Field(ge=0, le=2**31)] = 0
    figure: Word = ""
    weights: Annotated[list[Finite], Field(max_length=64, default_factory=list)]
    step_ticks: Tick = 240

    def to_core(self) -> Shape:
        values = self.model_dump(exclude={"kind", "places", "weights"})
        return Shape(**values, places=tuple(self.places), weights=tuple(self.weights))


class Dress(Strict):
    kind: Literal["dress"]
    places: Places
    values: DressDoc

    def to_core(self) -> chosen.Dress:
        return chosen.Dress(tuple(self.places), tuple(self.values.model_dump(exclude_unset=True).items()))


class MoveMany(Strict):
    kind: Literal["move_many"]
    moves: Annotated[list[tuple[Voice, Tick, Voice, AnyTick]], Field(min_length=1, max_length=MAX_PLACES)]
    copies: bool = False

    def to_core(self) -> chosen.MoveHits:
        return chosen.MoveHits(tuple(self.moves), self.copies)


class Paste(Strict):
    """Hits as [voice, tick, velocity, own offset, alternate, what sets it apart]."""

    kind: Literal["paste"]
    hits: Annotated[list[tuple[Voice, Tick, int, Finite, int, DressDoc]], Field(min_length=1, max_length=MAX_PLACES)]
    tick: Tick

    def to_core(self) -> chosen.PasteHits:
        return chosen.PasteHits(tuple(_hit(*row) for row in self.hits), self.tick)


def _hit(voice: str, tick: int, velocity: int, offset_ms: float, alternate: int, doc: DressDoc) -> Hit:
    fields: dict[str, Any] = doc.model_dump(exclude_unset=True)
    return Hit(voice, tick, velocity, offset_ms, alternate, articulation_from_doc(fields) if fields else PLAIN)


class NudgeMany(Strict):
    kind: Literal["nudge"]
    places: Places
    by_ms: Finite

    def to_core(self) -> chosen.NudgeHits:
        return chosen.NudgeHits(tuple(self.places), self.by_ms)


class TurnMany(Strict):
    kind: Literal["turn"]
    places: Places
    how: Word
    step_ticks: Tick
    start_tick: Tick
    end_tick: Tick

    def to_core(self) -> chosen.TurnHits:
        return chosen.TurnHits(tuple(self.places), self.how, self.step_ticks, self.start_tick, self.end_tick)


class StretchMany(Strict):
    kind: Literal["stretch"]
    places: Places
    factor: Finite
    start_tick: Tick

    def to_core(self) -> chosen.StretchHits:
        return chosen.StretchHits(tuple(self.places), self.factor, self.start_tick)


class LockMany(Strict):
    kind: Literal["lock_hits"]
    places: Places
    locked: bool

    def to_core(self) -> locks.LockHits:
        return locks.LockHits(tuple(self.places), self.locked)


class LockRow(Strict):
    kind: Literal["lock_voice"]
    voice: Voice
    locked: bool

    def to_core(self) -> locks.LockVoice:
        return locks.LockVoice(self.voice, self.locked)


class LockPlaces(Strict):
    kind: Literal["lock_place"]
    tick: Tick
    locked: bool

    def to_core(self) -> locks.LockPlace:
        return locks.LockPlace(self.tick, self.locked)


class Length(Strict):
    kind: Literal["length"]
    bars: int

    def to_core(self) -> lengths.SetLength:
        return lengths.SetLength(self.bars)


class LengthTicks(Strict):
    kind: Literal["length_ticks"]
    length_ticks: int

    def to_core(self) -> lengths.SetLengthTicks:
        return lengths.SetLengthTicks(self.length_ticks)


class DropBars(Strict):
    kind: Literal["drop_bars"]
    from_bar: int
    bars: int

    def to_core(self) -> lengths.DropBars:
        return lengths.DropBars(self.from_bar, self.bars)


class AddBars(Strict):
    kind: Literal["add_bars"]
    from_bar: int
    bars: int
    copies: bool = False

    def to_core(self) -> lengths.AddBars:
        return lengths.AddBars(self.from_bar, self.bars, self.copies)


class Speed(Strict):
    kind: Literal["speed"]
    factor: Finite

    def to_core(self) -> lengths.ChangeSpeed:
        return lengths.ChangeSpeed(self.factor)


class BreakBars(Strict):
    kind: Literal["break"]
    from_bar: int
    bars: int
    keep: Annotated[list[Voice], Field(max_length=64)]

    def to_core(self) -> lengths.Break:
        return lengths.Break(self.from_bar, self.bars, tuple(self.keep))


class StraightMany(Strict):
    """On the grid, without offsets of their own; no places: all hits."""

    kind: Literal["straight_again"]
    places: Annotated[list[Place], Field(max_length=MAX_PLACES)]
    step_ticks: Tick

    def to_core(self) -> tighten.StraightAgain:
        return tighten.StraightAgain(tuple(self.places), self.step_ticks)


ChosenEdit = Values | ShapeValues | Dress | MoveMany | Paste | NudgeMany | TurnMany | StretchMany | StraightMany
LockEdit = LockMany | LockRow | LockPlaces
LengthEdit = Length | LengthTicks | DropBars | AddBars | Speed | BreakBars
