"""What a song takes from a loop, as the page sends it. `apply` keeps each through the store."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.core.sit_in import SitIn
from easy_pocket.store import loop_uses, under
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.request_types import Finite, Strict, Tick, Voice

At = tuple[Any, int, int]
Id = Annotated[int, Field(ge=1, le=2**31 - 1)]


class PutBeat(Strict):
    """The loop's hits on the song's kit."""

    kind: Literal["loop_beat"]
    loop_id: Id
    how: Literal["replace", "join"]
    tempo: bool = False

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return loop_uses.put_beat(*at, self.loop_id, self.how, self.tempo)


class SitInRequest(Strict):
    """How far which voices (none: all) go to the loop's hits."""

    strength_percent: Finite
    voices: Annotated[list[Voice], Field(max_length=64)] = Field(default_factory=list)
    step_ticks: Tick = 240

    def to_core(self) -> SitIn:
        return SitIn(self.strength_percent, tuple(self.voices), self.step_ticks)


class SitSongIn(SitInRequest):
    kind: Literal["sit_in"]
    loop_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return loop_uses.sit_song_in(*at, self.loop_id, self.to_core())


class PutUnder(Strict):
    """The loop plays under the stack, or (there: False) no longer."""

    kind: Literal["under"]
    loop_id: Id
    there: bool

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return under.put_under(*at, self.loop_id) if self.there else under.take_from_under(*at, self.loop_id)


class SetUnder(Strict):
    """One thing of how it plays there."""

    kind: Literal["under_set"]
    loop_id: Id
    field: Literal[
        "how", "level_db", "low_cut_hz", "muted", "from_bar", "to_bar", "section_id", "cycle_ticks", "start_ticks",
        "to", "strength_percent", "template_id", "duck_voice", "duck_db", "duck_hold_ms", "duck_release_ms",
    ]  # fmt: skip
    value: Finite | bool | Annotated[str, Field(max_length=30, pattern=r"^[a-z_0-9]*$")] | None

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return under.set_under(*at, self.loop_id, self.field, self.value, gesture)


LoopUse = PutBeat | SitSongIn | PutUnder | SetUnder
