"""Changes of the groove shelf as the page sends them. `apply` keeps each through the store."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.store import groove_make, grooves
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.request_types import Finite, Name, Strict, Voice

At = tuple[Any, int, int]
Id = Annotated[int, Field(ge=1, le=2**31 - 1)]
Bars = Annotated[int, Field(ge=1, le=512)]
Slot = tuple[Annotated[int, Field(ge=0, le=4096)], Finite | None, Finite | None]


class DrawGroove(Strict):
    kind: Literal["groove_draw"]
    name: Name
    slots_per_bar: int
    bars: int = 1

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return groove_make.draw_groove(*at, self.name, self.slots_per_bar, self.bars)


class GrooveOfBars(Strict):
    kind: Literal["groove_bars"]
    name: Name
    from_bar: Bars
    bars: Bars = 1

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return groove_make.groove_of_bars(*at, self.name, self.from_bar, self.bars)


class GrooveOfLoop(Strict):
    kind: Literal["groove_loop"]
    name: Name
    loop_id: Id
    bars: Literal[1, 2, 4, 8] = 1

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return groove_make.groove_of_loop(*at, self.name, self.loop_id, self.bars)


class BlendGrooves(Strict):
    kind: Literal["groove_blend"]
    name: Name
    shares: Annotated[list[tuple[Id, Finite]], Field(min_length=2, max_length=8)]

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return groove_make.blended_groove(*at, self.name, list(self.shares))


class LongerGroove(Strict):
    kind: Literal["groove_longer"]
    groove_id: Id
    how: Literal["copy", "stretch", "repeat"]
    bars: int = 2

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return groove_make.longer_groove(*at, self.groove_id, self.how, self.bars)


class ChangeSlots(Strict):
    """Slots of a lane as [slot from 0, offset in ms, accent 0-1], None leaving one as it is."""

    kind: Literal["groove_slots"]
    groove_id: Id
    lane: Voice
    values: Annotated[list[Slot], Field(min_length=1, max_length=1024)]

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        values = {slot: (offset_ms, accent) for slot, offset_ms, accent in self.values}
        return grooves.change_slots(*at, self.groove_id, self.lane, values, gesture)


class NameGroove(Strict):
    kind: Literal["groove_name"]
    groove_id: Id
    name: Name
    words: Name = ""

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return grooves.name_groove(*at, self.groove_id, self.name, self.words)


class PutGrooveAway(Strict):
    kind: Literal["groove_away"]
    groove_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return grooves.put_away_groove(*at, self.groove_id)


GrooveChange = (
    DrawGroove | GrooveOfBars | GrooveOfLoop | BlendGrooves | LongerGroove | ChangeSlots | NameGroove | PutGrooveAway
)
