"""The plan of a song as rectangles: a column for each section, as wide as it is long, a row for each part."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.store.songs.loaded import LoadedSong


@dataclass(frozen=True)
class Column:
    """x, width: in percent of the whole. from_s: where it begins. playing: the rows of parts that play in it."""

    name: str
    words: str
    x: float
    width: float
    from_s: float
    to_s: float
    playing: tuple[int, ...]


@dataclass(frozen=True)
class PlanPicture:
    parts: tuple[str, ...]
    columns: tuple[Column, ...]
    length_s: float
    bars: int


def plan_picture(song: LoadedSong) -> PlanPicture:
    arrangement = song.arrangement
    whole = max(arrangement.length_ms, 1.0)
    found, at_ms = [], 0.0
    for one in song.sections:
        spans = [span for span in arrangement.spans if span.section.key == one.id]
        length = sum(span.length_ms for span in spans)
        rows = tuple(row for row, part in enumerate(song.parts) if (one.cells.get(part.id) or {}).get("pattern"))
        turns = f" x {one.repeats}" if one.repeats > 1 else ""
        found.append(
            Column(
                one.name, f"{one.bars} bar{'s' if one.bars != 1 else ''}{turns}", round(at_ms / whole * 100, 3),
                round(length / whole * 100, 3), at_ms / 1000, (at_ms + length) / 1000, rows,
            )
        )  # fmt: skip
        at_ms += length
    return PlanPicture(tuple(part.name for part in song.parts), tuple(found), whole / 1000, arrangement.bars)
