"""What the other parts play while a page is at one of them: over the length of the pattern it looks at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from easy_pocket.caches import ByteCache
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.strokes import Strokes
from easy_pocket.core.song.arrangement import Span
from easy_pocket.core.song.hit_columns import HitColumns
from easy_pocket.core.song.part import Part
from easy_pocket.core.song.part_hits import part_hits, seams
from easy_pocket.core.song.perform_song import perform_span
from easy_pocket.core.song.section import Cell, Section
from easy_pocket.core.sound.events import EventColumns, VoiceMix, columns_of
from easy_pocket.core.sound.kit import Kit
from easy_pocket.store.songs.loaded import LoadedSong


@dataclass(frozen=True)
class PlacedPart:
    """A part in the stretch a page looks at; ticks and times from its beginning."""

    part: Part
    cell: Cell
    line: HitColumns
    performance: Performance
    struck: Strokes
    seams: list[int]


def pattern_span(song: LoadedSong) -> Span:
    """The stretch the Bench draws: as long as its pattern, in the section it looks at."""
    pattern = song.pattern
    where = next((one for one in song.arrangement.sections if one.key == song.section_id), None)
    section = where or Section(0, "", max(pattern.bars, 1))
    offset = selected_cell(song).start_ticks
    cells = {key: replace(cell, start_ticks=max(cell.start_ticks - offset, 0)) for key, cell in section.cells.items()}
    return Span(
        0, replace(section, cells=cells, joins=()), 1, 0, pattern.length_ticks, 0.0, song.tempo_bpm, song.metre, 1
    )


def selected_cell(song: LoadedSong) -> Cell:
    """The cell of the selected part, where it plays the selected pattern; else a plain one."""
    where = next((one for one in song.arrangement.sections if one.key == song.section_id), None)
    cell = where.cells.get(song.part.id) if where else None
    return cell if cell is not None and cell.pattern == song.pattern_id else Cell(song.pattern_id)


def other_parts_at(song: LoadedSong, *, tempo_bpm: float | None = None, straight: bool = False) -> list[PlacedPart]:
    """All parts but the selected one, in their order; those that rest there have no hits. Made once for each
    way of playing."""
    if len(song.parts) < 2:
        return []
    kept: dict[object, list[PlacedPart]] = song.__dict__.setdefault("beside", {})
    key = (tempo_bpm, straight)
    if key not in kept:
        kept[key] = _beside(song, tempo_bpm, straight)
    return kept[key]


def _beside(song: LoadedSong, tempo_bpm: float | None, straight: bool) -> list[PlacedPart]:
    span = pattern_span(song)
    if tempo_bpm is not None:
        span = replace(span, tempo_bpm=tempo_bpm)
    found = []
    for part in song.arrangement.parts:
        if part.key == song.part.id:
            continue
        cell = span.section.cells.get(part.key, Cell())
        there = part.key in span.section.cells
        line = part_hits(part, span, song.seed)
        performance, struck = perform_span(part, cell, span, line, straight=straight)
        found.append(PlacedPart(part, cell, line, performance, struck, seams(part, cell, span) if there else []))
    return found


_columns: ByteCache[tuple[Performance, Kit, EventColumns]] = ByteCache("parts beside the written one", 64 << 20)


def part_columns_at(song: LoadedSong, one: PlacedPart, mix: Mapping[str, VoiceMix]) -> EventColumns:
    """What it sounds like in a loop of the stretch, its voices mixed so. A part that is not written stays as it is from
    edit to edit: its events are kept as long as performance, kit and mix are the same."""
    gain_db, kit, performance = one.part.level_db + one.cell.level_db, song.kits[one.part.kit], one.performance
    mixed = tuple(sorted((voice, repr(sits)) for voice, sits in mix.items()))
    key = (id(performance), id(kit), mixed, gain_db)
    known = _columns.find(key)
    if known is not None and known[0] is performance and known[1] is kit:
        return known[2]
    columns = columns_of(performance.hits, one.struck, kit, mix, length_ms=performance.length_ms)
    columns = replace(columns, gain=columns.gain * 10 ** (gain_db / 20))
    _columns.put(key, (performance, kit, columns))
    return columns
