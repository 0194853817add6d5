"""A demo song from a few lines: patterns in marks, parts with their rules, sections with what each part plays."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.hits_json import hits_to_json
from easy_pocket.store.schema.tables import PartRow, PatternRow, SectionRow, SongRow

LEVELS = {"X": 114, "x": 92, "o": 68, "-": 38}
# How a player's hand rises and falls within the beat, so that no two neighbours are alike.
HAND = (6, -5, 2, -7)
HAND_VOICES = ("hat_closed", "shaker", "ride", "conga_high")


@dataclass(frozen=True)
class DemoPart:
    """patterns: by name, lines of X x o - and . by voice, 16ths unless step says otherwise. rules: of the row."""

    name: str
    kit: str
    patterns: dict[str, dict[str, str]]
    step: int = 240
    rules: dict[str, object] = field(default_factory=dict)


@dataclass(frozen=True)
class DemoSection:
    """plays: by part a pattern's name, or a cell's fields with the name under "pattern". of: the section this is a
    variation of."""

    name: str
    bars: int
    plays: dict[str, str | dict[str, object]]
    repeats: int = 1
    joins: tuple[dict[str, object], ...] = ()
    metre: str | None = None
    tempo_bpm: float | None = None
    notes: str = ""
    of: str = ""


def hits_of(lines: dict[str, str], step: int = 240) -> tuple[Hit, ...]:
    hits = []
    for voice, line in lines.items():
        for slot, mark in enumerate(line.replace("|", "")):
            if mark != ".":
                velocity = LEVELS[mark] + (HAND[slot % 4] if voice in HAND_VOICES else 0)
                hits.append(Hit(voice, slot * step, velocity))
    return tuple(hits)


def build_song(
    session: Session,
    name: str,
    *,
    tempo_bpm: float,
    parts: tuple[DemoPart, ...],
    sections: tuple[DemoSection, ...],
    metre: Metre = Metre(),
    feel: dict[str, Any] | None = None,
) -> SongRow:
    song = SongRow(
        name=name,
        tempo_bpm=tempo_bpm,
        metre_beats=metre.beats,
        metre_unit=metre.unit,
        seed=1,
        feel=feel or {},
        revision=1,
    )
    session.add(song)
    session.flush()
    ids: dict[str, int] = {}
    patterns: dict[tuple[str, str], int] = {}
    for number, part in enumerate(parts):
        made_part = _part(session, song, part, number)
        ids[part.name] = made_part.id
        for title, lines in part.patterns.items():
            slots = max(len(line.replace("|", "")) for line in lines.values())
            made = Pattern(slots * part.step, hits_of(lines, part.step), metre)
            kept = PatternRow(
                part_id=made_part.id, name=title, length_ticks=made.length_ticks, hits=hits_to_json(made.hits), locks={}
            )
            session.add(kept)
            session.flush()
            patterns[part.name, title] = kept.id
    rows: dict[str, SectionRow] = {}
    for position, section in enumerate(sections):
        cells = {str(ids[part]): _cell(patterns, part, plays) for part, plays in section.plays.items()}
        row = SectionRow(
            song_id=song.id, position=position, name=section.name, bars=section.bars, repeats=section.repeats,
            tempo_bpm=section.tempo_bpm, metre=section.metre, cells=cells, notes=section.notes,
            joins=[_join(ids, patterns, join) for join in section.joins], own=["joins"] if section.of else [],
            parent_id=rows[section.of].id if section.of else None,
        )  # fmt: skip
        if section.of:
            row.own = [*row.own, *(["bars", "repeats"] if section.repeats != rows[section.of].repeats else [])]
        session.add(row)
        session.flush()
        rows[section.name] = row
    return song


def _part(session: Session, song: SongRow, part: DemoPart, number: int) -> PartRow:
    voices = {voice for lines in part.patterns.values() for voice in lines}
    values: dict[str, object] = {
        "cycle_ticks": None, "step_ticks": part.step, "start_shift_ticks": 0, "restarts": True, "feel": {},
        "voice_feel": {}, "mix": {}, "voice_steps": {}, "pattern_order": [], "player": number, **part.rules,
    }  # fmt: skip
    row = PartRow(
        song_id=song.id, position=number, name=part.name, kit_key=part.kit,
        voices=[role for role in ROLES if role in voices], **values,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def _cell(patterns: dict[tuple[str, str], int], part: str, plays: str | dict[str, Any]) -> dict[str, Any]:
    if isinstance(plays, str):
        return {"pattern": patterns[part, plays]}
    return {**plays, "pattern": patterns[part, plays["pattern"]]}


def _join(ids: dict[str, int], patterns: dict[tuple[str, str], int], join: dict[str, Any]) -> dict[str, Any]:
    made = dict(join)
    if "part" in join:
        made["part"] = ids[join["part"]]
    if "pattern" in join:
        made["pattern"] = patterns[join["part"], join["pattern"]]
    if "keep" in join:
        made["keep"] = [ids[name] for name in join["keep"]]
    return made
