"""Takes as values: their passes laid on slots by the feel of their part."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.pattern.timebase import parse_metre
from easy_pocket.core.takes.alignment import Slots, felt_slots_of, take_slots, with_swing
from easy_pocket.core.takes.played import Played, TakeBars, played_from_rows
from easy_pocket.core.takes.sewing import LaidPass, Sew, SewnHit, lay, sewn
from easy_pocket.core.takes.strokes import BOUNCE_MS
from easy_pocket.store.database import Reads
from easy_pocket.store.schema.tables import PassRow, TakeRow

Doc = dict[str, Any]


@dataclass(frozen=True)
class LoadedPass:
    id: int
    name: str
    source: str
    made_at: datetime
    played: Played


@dataclass(frozen=True)
class LoadedTake:
    """bounce_ms, step_ticks (0: guessed), pulls (by voice, in percent): what was set. section_id: what went
    round, 0 for the pattern. song_take: a number that the takes of one time through the song share, 0 for none."""

    id: int
    part_id: int
    name: str
    bars: TakeBars
    bounce_ms: float
    step_ticks: int
    pulls: Mapping[str, float]
    sews: tuple[Sew, ...]
    passes: tuple[LoadedPass, ...]
    section_id: int = 0
    song_take: int = 0

    @property
    def voices(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(voice for one in self.passes for voice in one.played.voices))


@dataclass(frozen=True)
class LaidTake:
    """A take on the slots its part's feel gives. feel: with swing that was found in it, where the part has none."""

    take: LoadedTake
    slots: Slots
    feel: FeelScopes
    part_feel: FeelScopes = field(repr=False)

    @cached_property
    def passes(self) -> list[LaidPass]:
        take = self.take
        felt = felt_slots_of(take.voices, take.bars, self.slots, self.feel)
        return [lay(one.id, one.played, take.bars, felt, take.bounce_ms) for one in take.passes]

    @cached_property
    def sewn(self) -> list[SewnHit]:
        return sewn(self.passes, self.take.sews, self.take.bars)

    @property
    def finds_swing(self) -> bool:
        return self.feel is not self.part_feel


def laid(take: LoadedTake, feel: FeelScopes) -> LaidTake:
    """The take on its slots: grids guessed from all passes together, or the one that was set."""
    rows = [row for one in take.passes for row in one.played.rows]
    everything = played_from_rows(rows[:20_000])
    slots = take_slots(everything, take.bars, step_ticks=take.step_ticks, feel=feel)
    return LaidTake(take, slots, with_swing(feel, slots, take.voices), feel)


def takes_of(reads: Reads, song_id: int) -> list[TakeRow]:
    """The newest first."""
    asked = select(TakeRow).where(TakeRow.song_id == song_id, TakeRow.removed.is_(False))
    return list(reads.scalars(asked.order_by(TakeRow.id.desc())))


def load_take(reads: Reads, row: TakeRow) -> LoadedTake:
    asked = select(PassRow).where(PassRow.take_id == row.id, PassRow.removed.is_(False)).order_by(PassRow.id)
    return take_from_rows(row, reads.scalars(asked))


def take_from_rows(row: TakeRow, passes: Iterable[PassRow]) -> LoadedTake:
    settings: Doc = row.settings or {}
    return LoadedTake(
        row.id,
        row.part_id,
        row.name,
        TakeBars(row.length_ticks, parse_metre(row.metre), row.tempo_bpm, row.start_tick),
        float(settings.get("bounce_ms", BOUNCE_MS)),
        int(settings.get("step_ticks", 0)),
        {str(voice): float(percent) for voice, percent in settings.get("pulls", {}).items()},
        tuple(Sew(int(bar), int(key), str(voice)) for bar, key, voice in row.sews or ()),
        tuple(
            LoadedPass(one.id, one.name, one.source, one.made_at, played_from_rows(json.loads(one.hits)))
            for one in passes
        ),
        int(settings.get("section_id", 0)),
        int(settings.get("song_take", 0)),
    )


def find_take(session: Session, song_id: int, take_id: int) -> TakeRow:
    row = session.get(TakeRow, take_id)
    if row is None or row.song_id != song_id or row.removed:
        raise EditRefusedError("This take is gone: undo brings it back, or play in again.")
    return row


def find_pass(session: Session, take: TakeRow, pass_id: int) -> PassRow:
    row = session.get(PassRow, pass_id)
    if row is None or row.take_id != take.id or row.removed:
        raise EditRefusedError("This pass is gone: undo brings it back, or choose another.")
    return row


def passes_of(session: Session, take: TakeRow) -> list[PassRow]:
    asked = select(PassRow).where(PassRow.take_id == take.id, PassRow.removed.is_(False)).order_by(PassRow.id)
    return list(session.scalars(asked))
