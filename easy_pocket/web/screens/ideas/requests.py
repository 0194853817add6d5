"""What a page asks of ideas, and ideas it pins or drops."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.grow import GrowSettings
from easy_pocket.core.ideas.rolls import MOST_CELLS, RollSettings
from easy_pocket.core.ideas.variations import VariationSettings
from easy_pocket.store.songs.edits.fields import Finite, Strict, Tick, Voice, Word
from easy_pocket.store.songs.edits.ideas import Changes, IdeaKind

Key = Annotated[str, Field(min_length=16, max_length=16, pattern="^[0-9a-f]+$")]
Seed = Annotated[int, Field(ge=0, le=999_999_999)]
Small = Annotated[int, Field(ge=-1_000_000, le=1_000_000)]  # the rules themselves say what is allowed, in words
Words = Annotated[str, Field(max_length=2000)]


class Batched(Strict):
    """seen: keys of ideas that are not to come again."""

    seed: Seed = 1
    batch: int = Field(0, ge=0, le=1000)
    seen: Annotated[list[Key], Field(max_length=1200)] = Field(default_factory=list)
    learned: bool = True  # whether what was kept and dropped counts


class Window(Strict):
    """A fill's window: beats before end_tick (None: the pattern's end)."""

    end_tick: Tick | None = None
    beats: Finite | None = None


class FillAsk(Batched, Window):
    kind: Literal["fill"]
    density: tuple[Finite, Finite] | None = None
    loudness: tuple[Small, Small] | None = None
    offbeat: Finite | None = None
    subdivision: Word | None = None
    path: Word | None = None
    keep: Annotated[list[Voice], Field(max_length=64)] | None = None
    playable: bool = True
    ending: Word | None = None

    def to_core(self) -> FillSettings:
        return FillSettings(
            density=self.density,
            loudness=self.loudness,
            offbeat=self.offbeat,
            subdivision=self.subdivision,
            path=self.path,
            keep=None if self.keep is None else tuple(self.keep),
            playable=self.playable,
            ending=self.ending,
        )


class VariationAsk(Batched):
    """Of these bars (counted from 1); bars None: all from there on."""

    kind: Literal["variation"]
    from_bar: int = Field(1, ge=1, le=512)
    bars: int | None = Field(None, ge=1, le=512)
    changes: Small | None = None
    distance: Finite | None = None
    kinds: Annotated[list[Word], Field(max_length=20)] = Field(default_factory=list)
    playable: bool = True

    def to_core(self) -> VariationSettings:
        return VariationSettings(self.changes, self.distance, tuple(self.kinds), self.playable)


class GrowAsk(Strict):
    kind: Literal["grow"]
    seed: Seed = 1
    bars: Small = 8
    changes: Small = 2
    bigger: bool = True
    plan: Literal["phrase", "every"] = "phrase"
    fill_beats: Finite = 2
    kinds: Annotated[list[Word], Field(max_length=20)] = Field(default_factory=list)
    again: Annotated[dict[Small, Small], Field(max_length=64)] = Field(default_factory=dict)

    def to_core(self) -> GrowSettings:
        return GrowSettings(self.bars, self.changes, self.bigger, self.fill_beats, tuple(self.kinds), self.plan)


class RollAsk(Strict):
    kind: Literal["roll"]
    voice: Voice
    begin: Tick
    end: Tick
    rates: Annotated[list[Word], Field(max_length=MOST_CELLS)] = Field(default_factory=list)
    velocity: tuple[Small, Small] = (58, 116)
    tune_cents: tuple[Small, Small] = (0, 0)
    gap: Tick = 0
    lands: bool = True
    batch: int = Field(0, ge=0, le=1000)

    def to_core(self) -> RollSettings:
        return RollSettings(
            self.voice, self.begin, self.end, tuple(self.rates), self.velocity, self.tune_cents, self.gap, self.lands
        )


class BuildAsk(Strict):
    kind: Literal["build"]
    stages: Small = 4
    order: Annotated[list[Voice], Field(max_length=64)] = Field(default_factory=list)
    from_percent: Finite = 60
    bars: Small = 0


class BorrowAsk(Strict):
    """A line of `voice` from another song (its number), a line of the shelf (its key), or the next ones there are."""

    kind: Literal["borrow"]
    voice: Voice
    to_voice: Voice
    song_id: Annotated[int, Field(ge=1, le=2**31 - 1)] | None = None
    on_grid: bool = True
    batch: int = Field(0, ge=0, le=1000)


Tags = Annotated[list[Annotated[str, Field(max_length=80)]], Field(max_length=24)]


class IdeaDoc(Strict):
    """An idea as the page holds it."""

    kind: IdeaKind
    key: Key
    words: Words
    tags: Tags = Field(default_factory=list)
    traits: Tags = Field(default_factory=list)
    seed: Seed = 0
    length_ticks: Tick
    changes: Changes


class HearAsk(Strict):
    """What the stack plays with these changes in it. from_bar, bars: round which it goes (0: the whole pattern)."""

    changes: Changes
    length_ticks: Tick


class MixAsk(Window):
    """Changes of two fills, one after the other, to be made into one."""

    kind: Literal["mix"]
    one: Changes
    other: Changes
    way: Word


class BringAsk(Window):
    """A fill out of a loop of the song, from a bar and beat of it on (None: its last beats)."""

    kind: Literal["bring"]
    loop_id: Annotated[int, Field(ge=1, le=2**31 - 1)]
    from_bar: int | None = Field(None, ge=1, le=512)
    from_beat: int = Field(1, ge=1, le=64)


Ask = Annotated[
    FillAsk | VariationAsk | GrowAsk | RollAsk | BuildAsk | BorrowAsk | MixAsk | BringAsk, Field(discriminator="kind")
]


State = Literal["pinned", "taken", "dropped", "passed"]


class LogAsk(Strict):
    """Ideas to remember."""

    state: State
    ideas: Annotated[list[IdeaDoc], Field(min_length=1, max_length=24)]


class StateAsk(Strict):
    state: State


class ChoicesAsk(Strict):
    """Whether nothing more is learned from what was chosen so far."""

    kind: Literal["fill", "variation"]
    forgotten: bool
