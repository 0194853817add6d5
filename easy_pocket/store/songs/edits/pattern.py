"""Edits of the selected pattern: those the core has, a line of the shelf put in, a snapshot taken back."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import AfterValidator, Field

import easy_pocket.core.feel.tighten  # noqa: F401 - it has an edit of patterns, too
from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.articulation import PLAIN, articulation_from_doc
from easy_pocket.core.pattern.edits import apply_edit
from easy_pocket.core.pattern.insert_phrase import InsertPhrase, on_kit
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.pattern_edit import MAX_CHOSEN, PatternEdit
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.hits_json import hits_from_json
from easy_pocket.store.songs.edits.fields import Finite, Id, Strict, Tick, Voice, Word
from easy_pocket.store.songs.edits.registry import (
    Apply,
    Description,
    Edit,
    EditContext,
    Step,
    edit,
    register,
    request_of,
    value_of,
)
from easy_pocket.store.songs.phrases import find_phrase
from easy_pocket.store.songs.snapshots import find_snapshot
from easy_pocket.store.songs.song_rows import SongRows


class ArticulationFields(Strict):
    """Articulation fields; what is not named stays as it is."""

    ornament: Word = ""
    strokes: int = Field(0, ge=-1000, le=1000)
    span_ticks: int = Field(0, ge=-4_000_000, le=4_000_000)
    spacing: Word = "even"
    swell: int = Field(0, ge=-1000, le=1000)
    grace_ms: Finite = 24.0
    tune_cents: int = Field(0, ge=-100_000, le=100_000)
    pan: Finite = 0.0
    length_ticks: int = Field(0, ge=-4_000_000, le=4_000_000)
    odds_percent: int = Field(100, ge=-1000, le=1000)
    room_percent: int = Field(0, ge=-1000, le=1000)
    passes: int = Field(0, ge=-1000, le=10_000)
    locked: bool = False
    backwards: bool = False
    fade_ms: Finite = 0.0
    into: Annotated[str, Field(max_length=30)] = ""


def _pairs(doc: ArticulationFields) -> tuple[tuple[str, Any], ...]:
    return tuple(doc.model_dump(exclude_unset=True).items())


Small = Annotated[int, Field(ge=-1000, le=1000)]
HitRow = tuple[Voice, Tick, Small, Finite, Small, ArticulationFields]


def _hits(rows: list[HitRow]) -> tuple[Hit, ...]:
    """From rows of voice, tick, velocity, own offset, alternate, what sets it apart."""
    return tuple(_hit(*row) for row in rows)


def _hit(voice: str, tick: int, velocity: int, offset_ms: float, alternate: int, doc: ArticulationFields) -> Hit:
    fields: dict[str, object] = doc.model_dump(exclude_unset=True)
    return Hit(voice, tick, velocity, offset_ms, alternate, articulation_from_doc(fields) if fields else PLAIN)


Rows = Annotated[list[HitRow], Field(min_length=1, max_length=MAX_CHOSEN), AfterValidator(_hits)]
if TYPE_CHECKING:
    SentHits = tuple[Hit, ...]
else:
    SentHits = Rows
SENT_OTHERWISE: dict[str, dict[str, object]] = {
    "articulate": {"values": Annotated[ArticulationFields, AfterValidator(_pairs)]},
    "paste": {"hits": Rows},
}


def _of_the_core(value: type[PatternEdit]) -> tuple[Apply, Description]:
    """How an edit of the core is made and described."""

    def edit_pattern(context: EditContext, sent: Edit) -> Step:
        before = context.song.pattern
        after = apply_edit(before, value_of(value, sent))
        _refuse_other_rails(context.song, before, after)
        return Step(pattern=after)

    def described(song: SongRows, sent: Edit) -> str:
        words: str = value_of(value, sent).description(song.pattern)
        return words

    return edit_pattern, described


def _refuse_other_rails(song: SongRows, before: Pattern, after: Pattern) -> None:
    if not set(after.arrays.voices) - set(before.arrays.voices) <= set(song.part.voices):
        raise EditRefusedError("This part has no rail for that voice: add the voice first.")


for _kind, _value in PatternEdit.kinds.items():
    register(request_of(_value, _kind, **SENT_OTHERWISE.get(_kind, {})), *_of_the_core(_value))


class InsertPhraseEdit(Edit):
    """Insert a line of the shelf from a place on."""

    kind: Literal["put_line"]
    key: Annotated[str, Field(max_length=80)]
    start_tick: Tick = 0


@edit(description="line {name}")
def put_line(context: EditContext, sent: InsertPhraseEdit) -> Step:
    """Insert the line, and add the rails it needs."""
    song = context.song
    line = find_phrase(context.session, sent.key)
    put = InsertPhrase(line.name, on_kit(line.hits, song.kit.roles), line.length_ticks, sent.start_tick)
    needed = {hit.voice for hit in put.hits} - set(song.part.voices)
    voices = [role for role in ROLES if role in {*song.part.voices, *needed}]
    rails = [field_patch("part", song.part, voices=voices)] if needed else []
    return Step(rails, apply_edit(song.pattern, put), said={"name": line.name})


class TakeSnapshotBack(Edit):
    kind: Literal["snapshot_back"]
    snapshot_id: Id


@edit(description="back to snapshot {name}")
def take_snapshot_back(context: EditContext, sent: TakeSnapshotBack) -> Step:
    """Put back the pattern of a snapshot."""
    row = find_snapshot(context.session, context.song.values, sent.snapshot_id)
    hits = tuple(hits_from_json(row.hits))
    after = replace(context.song.pattern, length_ticks=row.length_ticks, hits=hits)
    return Step(pattern=after, said={"name": row.name})
