"""An idea, or the changes of it that are kept, put into the pattern."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.ideas.build_up import MOST_STAGES
from easy_pocket.core.ideas.change import Change, with_changes
from easy_pocket.core.pattern.articulation import PLAIN, articulation_from_doc
from easy_pocket.core.pattern.lock_edits import keep_locks
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import MAX_BARS
from easy_pocket.core.pattern.voices import ROLES, check_voice, voice_name
from easy_pocket.store.history.idea_choices import ChosenIdea
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.songs.edits.fields import Finite, Name, Strict, Tick, Voice, Word
from easy_pocket.store.songs.edits.pattern import ArticulationFields
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit
from easy_pocket.store.songs.song_rows import SongRows
from easy_pocket.store.songs.spans import put_before

MOST_STEPS = 64  # changes that are put in one by one
MOST_HITS = 20_000
FIELDS = ("voice", "tick", "velocity", "offset_ms", "alternate", "articulation")


class HitDoc(Strict):
    voice: Voice
    tick: Tick
    velocity: Annotated[int, Field(ge=1, le=127)]
    offset_ms: Finite = 0.0
    alternate: Annotated[int, Field(ge=-1000, le=1000)] = 0
    articulation: ArticulationFields | None = None

    def to_core(self) -> Hit:
        articulation = (
            articulation_from_doc(self.articulation.model_dump(exclude_defaults=True)) if self.articulation else PLAIN
        )
        return Hit(self.voice, self.tick, self.velocity, self.offset_ms, self.alternate, articulation)


def _named(row: Any) -> Any:
    """A row of a hit's values by their names."""
    fits = isinstance(row, list) and 3 <= len(row) <= len(FIELDS)
    return dict(zip(FIELDS[: len(row)], row, strict=True)) if fits else row


Hits = Annotated[list[Annotated[HitDoc, BeforeValidator(_named)]], Field(max_length=MOST_HITS)]


class ChangeDoc(Strict):
    """gone, come: hits as rows of voice, tick, velocity, offset in ms, and for some alternate and articulation."""

    kind: Word
    gone: Hits = Field(default_factory=list)
    come: Hits = Field(default_factory=list)
    words: Annotated[str, Field(max_length=2000)] = ""

    def to_core(self) -> Change:
        gone, come = (tuple(hit.to_core() for hit in hits) for hits in (self.gone, self.come))
        return Change(self.kind, gone, come, self.words)


Changes = Annotated[list[ChangeDoc], Field(max_length=4000)]
IdeaKind = Literal["fill", "variation", "grow", "roll", "build", "borrow", "mix"]


class Stage(Strict):
    name: Annotated[str, Field(min_length=1, max_length=40)]
    bars: int = Field(ge=1, le=512)


class LearnedFrom(Strict):
    """The idea that is put in: its key and traits, from which is learned what is kept."""

    key: Annotated[str, Field(min_length=16, max_length=16, pattern="^[0-9a-f]+$")]
    traits: Annotated[list[Annotated[str, Field(max_length=80)]], Field(max_length=24)]

    def chosen(self, kind: str) -> ChosenIdea:
        return ChosenIdea(kind, self.key, tuple(self.traits))


class PutIdea(Edit):
    """stages: names and bars of sections before the one there is (a build-up). one_by_one: every change is a step of
    its own to undo. learn: what is learned from while it is in."""

    kind: Literal["idea"]
    what: IdeaKind
    words: Name
    changes: Changes
    length_ticks: Tick
    stages: Annotated[list[Stage], Field(max_length=MOST_STAGES)] = Field(default_factory=list)
    one_by_one: bool = False
    learn: LearnedFrom | None = None


@edit(description="{what}: {done}")
def put_idea(context: EditContext, sent: PutIdea) -> list[Step]:
    """Raises EditRefusedError for what is locked, or voices the kit has not."""
    song = context.song
    changes = [change.to_core() for change in sent.changes]
    if not changes:
        raise EditRefusedError("None of the changes is kept, so there is nothing to put in: keep one at least.")
    wanted = [changes]
    if sent.one_by_one:
        if len(changes) > MOST_STEPS:
            raise EditRefusedError(
                f"This idea has {len(changes)} changes; at most {MOST_STEPS} can be steps of their own: put it in "
                "as one step, or keep fewer."
            )
        wanted = [[change] for change in changes]
    patches = _rails_for(song, changes)
    if sent.stages:
        patches += _stages(context, sent)
    pattern, steps = song.pattern, list[Step]()
    meant = (hit for change in changes for hit in (*change.gone, *change.come))
    aims = frozenset(f"pattern/{song.pattern_row.id}/hits/{hit.voice}/{hit.tick}" for hit in meant)
    for number, some in enumerate(wanted):
        length = sent.length_ticks if number == 0 else pattern.length_ticks
        after = _after(pattern, some, length, free=sent.what == "build")
        if after.hits == pattern.hits and after.length_ticks == pattern.length_ticks:
            continue
        done = (sent.words if len(wanted) == 1 else some[0].words)[:380]
        chosen = sent.learn.chosen(sent.what) if sent.learn and not steps else None
        step = Step(patches, after, follows=not sent.stages, said={"done": done}, aims=aims, chosen=chosen)
        steps.append(step)
        pattern, patches = after, []
    if not steps:
        raise EditRefusedError("This idea is in the pattern already.")
    return steps


def _stages(context: EditContext, sent: PutIdea) -> list[Patch]:
    """Sections before the others, which play what the idea put before the pattern."""
    bar = context.song.metre.bar_ticks
    for stage in sent.stages:
        require_range("The bars of a stage", stage.bars, 1, MAX_BARS)
    if sum(stage.bars for stage in sent.stages) >= -(-sent.length_ticks // bar):
        raise EditRefusedError("These stages are longer than the pattern they lead to: ask for the ideas again.")
    return put_before(context.session, context.song, [(stage.name, stage.bars) for stage in sent.stages])


def _after(before: Pattern, changes: Sequence[Change], length_ticks: int, free: bool) -> Pattern:
    """A build-up puts the pattern, locked hits and all, behind its stages; every other idea leaves them in place."""
    require_range("The length", length_ticks, 10, MAX_BARS * 3840, "ticks")
    after = with_changes(before, changes, length_ticks)
    return after if free else keep_locks(before, after)


def _rails_for(song: SongRows, changes: Sequence[Change]) -> list[Patch]:
    needed = {check_voice(hit.voice) for change in changes for hit in change.come}
    lacking = sorted(needed - set(song.kit.roles) - set(song.part.voices))
    if lacking:
        raise EditRefusedError(f"{song.kit.name} has no {voice_name(lacking[0])}: ask for ideas on this kit again.")
    if needed <= set(song.part.voices):
        return []
    voices = [role for role in ROLES if role in {*song.part.voices, *needed}]
    return [field_patch("part", song.part, voices=voices)]
