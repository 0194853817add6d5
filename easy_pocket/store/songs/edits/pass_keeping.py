"""A pass that was played in, kept: in the take of its bars, as a pass of its own, on top of another or in its place."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Annotated, Literal, NamedTuple

from pydantic import Field

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.pattern import MAX_ALTERNATE
from easy_pocket.core.pattern.timebase import parse_metre
from easy_pocket.core.takes.played import MOST_PASSES, Played, TakeBars, joined, played_from_rows
from easy_pocket.core.text import one_line
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.schema.tables import PassRow, TakeRow
from easy_pocket.store.songs.edits.fields import Voice
from easy_pocket.store.songs.edits.registry import EditContext, Step
from easy_pocket.store.takes.takes import passes_of

MOST_TAKES = 64
LEAD_MS = 10_000.0
At = Annotated[float, Field(ge=-LEAD_MS, le=1e8, allow_inf_nan=False)]
Size = Annotated[int, Field(ge=1, le=127)]
# Voice, ms, velocity, and which of its voice's sounds, where it is not its own.
PlayedRow = tuple[Voice, At, Size] | tuple[Voice, At, Size, Annotated[int, Field(ge=0, le=MAX_ALTERNATE)]]
Mode = Literal["new", "top", "place"]


class TakeFrame(NamedTuple):
    """What a take was played over; passes of another frame are another take's."""

    part_id: int
    start_tick: int
    length_ticks: int
    section_id: int
    tempo_bpm: float


def frame_of(take: TakeRow) -> TakeFrame:
    section_id = int(take.settings.get("section_id", 0))
    return TakeFrame(take.part_id, take.start_tick, take.length_ticks, section_id, round(take.tempo_bpm, 2))


def rows_of_kit(context: EditContext, rows: Sequence[PlayedRow]) -> Sequence[PlayedRow]:
    """The same rows. Raises EditRefusedError for a voice that the kit has not."""
    kit = context.song.kit
    for voice in {row[0] for row in rows}:
        if voice not in kit.roles:
            raise EditRefusedError(f"The kit {kit.name} has no {voice}: choose another voice for that key.")
    return rows


class KeptHow(NamedTuple):
    """As a pass of its own, on top of the last one or in its place; from where it was played.

    section_id: that went round (0: the pattern). song_take: a number that the takes of one time through the song share
    (0: none). over: which pass "top" and "place" are about, counted back from the last one. added: passes this edit
    added to the take before.
    """

    mode: Mode
    source: str
    section_id: int = 0
    song_take: int = 0
    over: int = 1
    added: int = 0


def kept_pass(context: EditContext, take: TakeRow | None, played: Played, how: KeptHow, bars: TakeBars) -> Step:
    """Of a take there is, or a new one; also after a take that is full, so that whoever plays on loses nothing."""
    rows = passes_of(context.session, take) if take is not None else []
    full = how.mode == "new" and len(rows) + how.added >= MOST_PASSES
    if take is None or full:
        take = _new_take(context, bars, how._replace(added=0))
        return _added(context, take, "pass 1", how, played, [field_patch("take", take, removed=False)])
    if how.mode == "new" or len(rows) < how.over:
        return _added(context, take, _next_name(rows, how.added), how, played, [])
    over = rows[-how.over]
    if how.mode == "top":
        played = joined(played_from_rows(json.loads(over.hits)), played)
    patch = field_patch("take_pass", over, hits=_json(played), source=one_line(how.source, 40))
    return Step([patch], said={"name": over.name}, made=take.id)


def _new_take(context: EditContext, bars: TakeBars, how: KeptHow) -> TakeRow:
    song, session = context.song, context.session
    known = [row.name for row in session.query(TakeRow).filter_by(song_id=song.id, removed=False)]
    if len(known) >= MOST_TAKES:
        raise EditRefusedError(f"This song has {MOST_TAKES} takes, the most it can have: throw some away first.")
    name = next(one for number in range(1, MOST_TAKES + 2) if (one := f"take {number}") not in known)
    if how.song_take:
        section = next(one.row.name for one in song.resolved if one.row.id == how.section_id)
        name = f"song {how.song_take}: {section}"[:60]
    settings = {"section_id": how.section_id, "song_take": how.song_take}
    row = TakeRow(
        song_id=song.id,
        part_id=song.part.id,
        name=name,
        start_tick=bars.start_tick,
        length_ticks=bars.length_ticks,
        metre=str(bars.metre),
        tempo_bpm=bars.tempo_bpm,
        settings={name: value for name, value in settings.items() if value},
        sews=[],
        removed=True,
    )
    session.add(row)
    session.flush()
    return row


def _next_name(rows: Sequence[PassRow], added: int) -> str:
    numbers = [int(row.name.removeprefix("pass ")) for row in rows if row.name.removeprefix("pass ").isdigit()]
    return f"pass {max(numbers, default=0) + added + 1}"


def _json(played: Played) -> str:
    rows = [
        [voice, round(time_ms, 3), velocity, *([sound] if sound else [])]
        for voice, time_ms, velocity, sound in played.full_rows
    ]
    return json.dumps(rows, separators=(",", ":"))


def _added(context: EditContext, take: TakeRow, name: str, how: KeptHow, played: Played, patches: list[Patch]) -> Step:
    row = PassRow(take_id=take.id, name=name, source=one_line(how.source, 40), hits=_json(played), removed=True)
    context.session.add(row)
    context.session.flush()
    patches = [*patches, field_patch("take_pass", row, removed=False)]
    if not take.sews and not how.added:  # the first pass is heard whole until something else is chosen
        bars = -(-take.length_ticks // parse_metre(take.metre).bar_ticks)
        patches.append(field_patch("take", take, sews=[[bar, row.id, ""] for bar in range(bars)]))
    return Step(merged(patches), said={"name": name}, made=take.id)


def merged(patches: list[Patch]) -> list[Patch]:
    """Patches of one row as one."""
    found: dict[tuple[str, int], Patch] = {}
    for patch in patches:
        known = found.setdefault((patch["table"], patch["id"]), {**patch, "fields": {}})
        known["fields"].update(patch["fields"])
    return list(found.values())
