"""The song as the core wants it: parts with their patterns, sections with what they have from others."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.pattern.timebase import parse_metre
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.part import Part, Turning
from easy_pocket.core.song.section import Section
from easy_pocket.store.schema.tables import PartRow, SongRow
from easy_pocket.store.songs.cells import Resolved, cell_from_doc, join_from_doc

if TYPE_CHECKING:
    from easy_pocket.store.songs.load import LoadedPart


def arrangement_of(
    song: SongRow,
    parts: Sequence[LoadedPart],
    sections: Sequence[Resolved],
    templates: Mapping[int, GrooveTemplate],
) -> Arrangement:
    ids = {part.row.id for part in parts}
    return Arrangement(
        tempo_bpm=song.tempo_bpm,
        metre=parse_metre(f"{song.metre_beats}/{song.metre_unit}"),
        parts=tuple(part_of(song, part, templates) for part in parts),
        sections=tuple(section_of(one, ids, templates) for one in sections),
        seed=song.seed,
        doubles={parse_double(key): choice for key, choice in (song.doubles or {}).items()},
    )


def part_of(song: SongRow, part: LoadedPart, templates: Mapping[int, GrooveTemplate]) -> Part:
    row = part.row
    return Part(
        key=row.id,
        name=row.name,
        patterns=part.patterns_by_id,
        kit=row.kit_key,
        turning=turning_of(row),
        feel=part.feel,
        mix=part.mix,
        level_db=row.level_db,
        mute=row.mute,
        solo=row.solo,
        stamp="" if part.tried else _stamp([song.feel, row.feel, row.voice_feel], templates),
        player=row.player,
        fills=row.fills,
    )


def turning_of(row: PartRow) -> Turning:
    return Turning(
        row.cycle_ticks,
        row.start_shift_ticks,
        row.rotation_ticks,
        row.restarts,
        row.bars,
        tuple(row.pattern_order or ()),
        row.change_percent,
        row.seed,
    )


def section_of(one: Resolved, parts: set[int], templates: Mapping[int, GrooveTemplate]) -> Section:
    return Section(
        key=one.row.id,
        name=one.row.name,
        bars=one.bars,
        repeats=one.repeats,
        tempo_bpm=one.tempo_bpm,
        metre=parse_metre(one.metre) if one.metre else None,
        cells={part: cell_from_doc(doc, templates) for part, doc in one.cells.items() if part in parts},
        joins=tuple(join_from_doc(doc) for doc in one.joins),
    )


def parse_double(key: str) -> tuple[int, int, str]:
    one, other, voice = key.split(":", 2)
    return int(one), int(other), voice


def _stamp(docs: list[dict[str, Any]], templates: Mapping[int, GrooveTemplate]) -> str:
    """Changes with any setting of the feel, and with the grooves it leans on."""
    found = hashlib.blake2b(json.dumps(docs, sort_keys=True).encode(), digest_size=12)
    for key in sorted(templates):
        found.update(f"{key} {_digest(templates[key])}".encode())
    return found.hexdigest()


def _digest(groove: GrooveTemplate) -> str:
    """Of all that makes a groove what it is; kept with it."""
    known: str | None = groove.__dict__.get("digest")
    if known is None:
        said = (groove.tempo_bpm, groove.slots_per_bar, groove.bars, str(groove.metre), sorted(groove.lanes.items()))
        known = groove.__dict__["digest"] = hashlib.blake2b(repr(said).encode(), digest_size=12).hexdigest()
    return known
