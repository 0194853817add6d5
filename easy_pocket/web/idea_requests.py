"""What a page asks of ideas, and an idea it puts in, pins or drops."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from easy_pocket.core.articulation import PLAIN, articulation_from_doc
from easy_pocket.core.ideas.build import MOST_STAGES
from easy_pocket.core.ideas.change import Change
from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.grow import GrowSettings
from easy_pocket.core.ideas.rolls import MOST_CELLS, RollSettings
from easy_pocket.core.ideas.variations import VariationSettings
from easy_pocket.core.pattern import Hit
from easy_pocket.store.ideas import PutIdea, put_idea
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.chosen_requests import DressDoc
from easy_pocket.web.request_types import Finite, Name, Strict, Tick, Voice

Word = Annotated[str, Field(max_length=20)]
Key = Annotated[str, Field(min_length=16, max_length=16, pattern="^[0-9a-f]+$")]
Seed = Annotated[int, Field(ge=0, le=999_999_999)]
Velocity = Annotated[int, Field(ge=1, le=127)]
Words = Annotated[str, Field(max_length=2000)]
MOST_HITS = 20_000


class Batched(Strict):
    """seen: keys of ideas that are not to come again."""

    seed: Seed = 1
    batch: int = Field(0, ge=0, le=1000)
    seen: Annotated[list[Key], Field(max_length=1200)] = Field(default_factory=list)


class Window(Strict):
    """A fill's window: beats before end_tick (None: the pattern's end)."""

    end_tick: Tick | None = None
    beats: Finite | None = None


class FillAsk(Batched, Window):
    kind: Literal["fill"]
    density: tuple[Finite, Finite] | None = None
    loudness: tuple[int, int] | None = None
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
    changes: int | None = None
    distance: Finite | None = None
    kinds: Annotated[list[Word], Field(max_length=20)] = Field(default_factory=list)
    playable: bool = False

    def to_core(self) -> VariationSettings:
        return VariationSettings(self.changes, self.distance, tuple(self.kinds), self.playable)


class GrowAsk(Strict):
    kind: Literal["grow"]
    seed: Seed = 1
    bars: int = 8
    changes: int = 2
    bigger: bool = True
    fill_beats: Finite = 2
    kinds: Annotated[list[Word], Field(max_length=20)] = Field(default_factory=list)
    again: Annotated[dict[int, int], Field(max_length=64)] = Field(default_factory=dict)

    def to_core(self) -> GrowSettings:
        return GrowSettings(self.bars, self.changes, self.bigger, self.fill_beats, tuple(self.kinds))


class RollAsk(Strict):
    kind: Literal["roll"]
    voice: Voice
    begin: Tick
    end: Tick
    rates: Annotated[list[Word], Field(max_length=MOST_CELLS)] = Field(default_factory=list)
    velocity: tuple[int, int] = (58, 116)
    tune_cents: tuple[int, int] = (0, 0)
    gap: int = 0
    lands: bool = True
    batch: int = Field(0, ge=0, le=1000)

    def to_core(self) -> RollSettings:
        return RollSettings(
            self.voice, self.begin, self.end, tuple(self.rates), self.velocity, self.tune_cents, self.gap, self.lands
        )


class BuildAsk(Strict):
    kind: Literal["build"]
    stages: int = 4
    order: Annotated[list[Voice], Field(max_length=64)] = Field(default_factory=list)
    from_percent: Finite = 60
    bars: int = 0


class BorrowAsk(Strict):
    """A line of `voice` from another song (its number), a line of the shelf (its key), or the next ones there are."""

    kind: Literal["borrow"]
    voice: Voice
    to_voice: Voice
    song_id: int | None = None
    on_grid: bool = True
    batch: int = Field(0, ge=0, le=1000)


class HitDoc(Strict):
    voice: Voice
    tick: Tick
    velocity: Velocity
    offset_ms: Finite = 0.0
    alternate: int = 0
    dress: DressDoc | None = None

    def to_core(self) -> Hit:
        dress = articulation_from_doc(self.dress.model_dump(exclude_defaults=True)) if self.dress else PLAIN
        return Hit(self.voice, self.tick, self.velocity, self.offset_ms, self.alternate, dress)


FIELDS = ("voice", "tick", "velocity", "offset_ms", "alternate", "dress")


def _named(row: Any) -> Any:
    """A row of a hit's values by their names."""
    fits = isinstance(row, list) and 3 <= len(row) <= len(FIELDS)
    return dict(zip(FIELDS, row, strict=False)) if fits else row


Hits = Annotated[list[Annotated[HitDoc, BeforeValidator(_named)]], Field(max_length=MOST_HITS)]


class ChangeDoc(Strict):
    """gone and come: hits as rows of voice, tick, velocity, offset in ms, and for some alternate sound and dress."""

    kind: Word
    gone: Hits = Field(default_factory=list)
    come: Hits = Field(default_factory=list)
    words: Words = ""

    def to_core(self) -> Change:
        gone, come = (tuple(hit.to_core() for hit in hits) for hits in (self.gone, self.come))
        return Change(self.kind, gone, come, self.words)


Changes = Annotated[list[ChangeDoc], Field(max_length=4000)]
Tags = Annotated[list[Annotated[str, Field(max_length=80)]], Field(max_length=24)]
IdeaKind = Literal["fill", "variation", "grow", "roll", "build", "borrow", "mix"]


class IdeaDoc(Strict):
    """An idea as the page holds it."""

    kind: IdeaKind
    key: Key
    words: Words
    tags: Tags = Field(default_factory=list)
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
    loop_id: int
    from_bar: int | None = Field(None, ge=1, le=512)
    from_beat: int = Field(1, ge=1, le=64)


Ask = Annotated[
    FillAsk | VariationAsk | GrowAsk | RollAsk | BuildAsk | BorrowAsk | MixAsk | BringAsk, Field(discriminator="kind")
]


class LogAsk(Strict):
    """Ideas to remember."""

    state: Literal["pinned", "taken", "dropped"]
    ideas: Annotated[list[IdeaDoc], Field(min_length=1, max_length=24)]


class StateAsk(Strict):
    state: Literal["pinned", "taken", "dropped"]


class Stage(Strict):
    name: Annotated[str, Field(min_length=1, max_length=40)]
    bars: int = Field(ge=1, le=512)


class PutIdeaEdit(Strict):
    """An idea, or the changes of it that are kept, into the pattern."""

    kind: Literal["idea"]
    what: IdeaKind
    words: Name
    changes: Changes
    length_ticks: Tick
    stages: Annotated[list[Stage], Field(max_length=MOST_STAGES)] = Field(default_factory=list)
    one_by_one: bool = False

    def apply(self, at: tuple[Any, int, int], gesture: str | None) -> LoadedSong:
        stages = tuple((stage.name, stage.bars) for stage in self.stages)
        changes = tuple(change.to_core() for change in self.changes)
        return put_idea(*at, PutIdea(self.what, self.words, changes, self.length_ticks, stages, self.one_by_one))
