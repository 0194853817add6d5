"""What a list of songs says of each: read without loading the songs."""

from __future__ import annotations

from typing import TypedDict

from sqlalchemy import select

from easy_pocket.core.pattern.timebase import Metre, ms_per_tick, parse_metre
from easy_pocket.store.database import Reads
from easy_pocket.store.schema.tables import PartRow, SectionRow, SongRow
from easy_pocket.store.songs.cells import resolved


class SectionFacts(TypedDict):
    """bars: of one turn."""

    name: str
    bars: int
    repeats: int


class SongFacts(TypedDict):
    """bars, length_s: of the whole song, repeats counted."""

    id: int
    name: str
    tempo_bpm: float
    metre: str
    bars: int
    length_s: float
    parts: list[str]
    sections: list[SectionFacts]


def song_facts(reader: Reads) -> list[SongFacts]:
    """All songs of the shelf, the one changed last first."""
    asked = select(SongRow).where(SongRow.deleted_at.is_(None))
    songs = list(reader.scalars(asked.order_by(SongRow.changed_at.desc(), SongRow.id.desc())))
    parts: dict[int, list[str]] = {}
    ids = [song.id for song in songs]
    mine = PartRow.removed.is_(False), PartRow.song_id.in_(ids)
    of_parts = select(PartRow).where(*mine).order_by(PartRow.position, PartRow.id)
    for part in reader.scalars(of_parts):
        parts.setdefault(part.song_id, []).append(part.name)
    sections: dict[int, list[SectionRow]] = {}
    of_songs = select(SectionRow).where(SectionRow.song_id.in_(ids))
    for section in reader.scalars(of_songs.order_by(SectionRow.position, SectionRow.id)):
        sections.setdefault(section.song_id, []).append(section)
    return [_facts(song, parts.get(song.id, []), tuple(sections.get(song.id, ()))) for song in songs]


def facts_of(reader: Reads, song_id: int) -> SongFacts:
    """Those of one song; raises StopIteration when it is not on the shelf."""
    return next(one for one in song_facts(reader) if one["id"] == song_id)


def _facts(song: SongRow, parts: list[str], sections: tuple[SectionRow, ...]) -> SongFacts:
    bars, seconds = song_length(song, sections)
    return {
        "id": song.id,
        "name": song.name,
        "tempo_bpm": song.tempo_bpm,
        "metre": f"{song.metre_beats}/{song.metre_unit}",
        "bars": bars,
        "length_s": round(seconds, 3),
        "parts": parts,
        "sections": [{"name": one.row.name, "bars": one.bars, "repeats": one.repeats} for one in resolved(sections)],
    }


def song_length(song: SongRow, sections: tuple[SectionRow, ...]) -> tuple[int, float]:
    """Bars and seconds, repeats counted; each section at its own tempo and metre where it has them."""
    bars, seconds = 0, 0.0
    for one in resolved(sections):
        metre = parse_metre(one.metre) if one.metre else Metre(song.metre_beats, song.metre_unit)
        count = one.bars * one.repeats
        bars += count
        seconds += count * metre.bar_ticks * ms_per_tick(one.tempo_bpm or song.tempo_bpm) / 1000
    return bars, seconds
