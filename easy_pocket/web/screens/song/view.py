"""The Song screen: parts by sections, as data for the page to draw, and the few pieces that are HTML."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.pattern.timebase import GRID_TICKS, place_name
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.core.song.arrangement import Span
from easy_pocket.core.song.collisions import Collision, find_collisions, resolve_collisions
from easy_pocket.core.song.cycles import describe_meeting
from easy_pocket.core.song.energy import broken_promises, energy_of
from easy_pocket.core.song.flatten import Flat, before_collisions
from easy_pocket.core.song.hit_columns import HitColumns
from easy_pocket.core.song.joins import describe_join
from easy_pocket.core.song.part_hits import turn_keys
from easy_pocket.core.song.section import JOIN_KINDS, ORDER
from easy_pocket.store.database import Reader
from easy_pocket.store.kits.kits import kit_names
from easy_pocket.store.loops.layered_loop_rows import LayeredLoop
from easy_pocket.store.loops.loops import named_loops
from easy_pocket.store.songs.cells import join_from_doc
from easy_pocket.store.songs.loaded import LoadedPart, LoadedSection, LoadedSong
from easy_pocket.store.songs.phrases import lines
from easy_pocket.web.screens.song.part_description import (
    STEP_WORDS,
    cycles_of,
    meetings_of,
    part_words,
    said_of,
    turning_parts,
)
from easy_pocket.web.screens.song.shapes import Cell, CollisionRow, Part, Section, SongData, SongLoop
from easy_pocket.web.shared.voice_title import voice_title

MOST_BINS = 48  # strokes of a cell's picture


class SongView:
    def __init__(self, song: LoadedSong, reader: Reader) -> None:
        self.song = song
        self.kit_names = kit_names(reader)
        self.loops = named_loops(reader, song.id)
        self.lines = lines(reader)
        self.arrangement = song.arrangement
        self.names = {part.id: {row.id: row.name for row in part.patterns} for part in song.parts}
        before = before_collisions(self.arrangement)
        self.collisions = find_collisions(self.arrangement, before)
        self.flat = Flat(
            self.arrangement, tuple((span, resolve_collisions(self.arrangement, lines)) for span, lines in before)
        )

    def data(self) -> SongData:
        """Everything the page draws: sections, parts with their cells, loops, energy, and what is to be pointed at."""
        song, arrangement = self.song, self.arrangement
        energy = energy_of(self.flat)
        promises = {one.section: one.words for one in broken_promises(self.flat, energy)}
        spans = {span.section.key: span for span in reversed(arrangement.spans)}
        names = {part.id: part.name for part in song.parts}
        return {
            "seen": {"part": song.part.id, "pattern": song.pattern_id, "section": song.section_id},
            "metre": str(song.metre),
            "tempo_bpm": song.base_tempo_bpm,
            "bars": arrangement.bars,
            "length_s": round(arrangement.length_ms / 1000, 3),
            "written": bool(song.is_flat),
            "sections": [self._section(one, spans[one.id], promises) for one in song.sections],
            "parts": [self._part(part) for part in song.parts],
            "cells": {
                one.id: {part.id: self._cell(one, spans[one.id], part) for part in song.parts} for one in song.sections
            },
            "loops": [self._loop(one) for one in song.layered_loops],
            "energy": {
                "total": _scaled(energy.energy),
                "density": np.round(energy.density, 2),
                "level": np.round(energy.level, 3),
                "brightness": np.round(energy.brightness, 3),
            },
            "cycles": [(part.name, part.turning.shift_ticks, ticks) for part, ticks in turning_parts(song)],
            "meet": meetings_of(song),
            "bar": song.metre.bar_ticks,
            "together": describe_meeting(cycles_of(song), song.metre),
            "collisions": [self._collision(one, names) for one in self.collisions],
            "kits": self.kit_names,
            "joins": JOIN_KINDS,
            "grids": {str(ticks): STEP_WORDS[ticks] for ticks in GRID_TICKS.values()},
            "free_loops": [(one.id, one.name) for one in self.loops],
        }

    def _collision(self, one: Collision, names: dict[int, str]) -> CollisionRow:
        (part, other), (span, tick) = one.parts, one.first
        voice = ROLES[one.voice].name if one.voice in ROLES else one.voice
        at = place_name(tick + (span.first_bar - 1) * span.metre.bar_ticks, span.metre)
        times = f"{one.count} time{'s' if one.count > 1 else ''}"
        words = f"{voice}: {names[part]} and {names[other]}, {times}, first at {at}"
        return {"part": part, "other": other, "voice": one.voice, "choice": one.choice, "words": words}

    def _section(self, one: LoadedSection, span: Span, promises: dict[int, str]) -> Section:
        return {
            "id": one.id,
            "name": one.name,
            "bars": one.bars,
            "repeats": one.repeats,
            "tempo_bpm": one.tempo_bpm,
            "metre": one.metre,
            "first_bar": span.first_bar,
            "notes": one.notes,
            "mark": one.mark,
            "parent": one.parent_id,
            "parent_name": one.parent_name,
            "own": sorted(one.own),
            "joins": list(one.joins),
            "join_words": [_join_words(doc, self.song) for doc in one.joins],
            "promise": promises.get(one.id, ""),
        }

    def _part(self, part: LoadedPart) -> Part:
        row, song = part, self.song
        kit = song.kits[row.kit_key]
        voices = dict.fromkeys([*row.voices, *(v for p in part.patterns_by_id.values() for v in p.arrays.voices)])
        return {
            "id": row.id,
            "name": row.name,
            "kit": row.kit_key,
            "kit_name": kit.name,
            "words": part_words(part, song),
            "said": said_of(part, song),
            "patterns": [(pattern.id, pattern.name, pattern.length_ticks) for pattern in part.patterns],
            "voices": [(voice, voice_title(kit, voice)) for voice in voices],
            "crashes": [(v, voice_title(kit, v)) for v in kit.roles],
            "muted": sorted(voice for voice, mix in part.mix.items() if mix.mute),
            "cycle_ticks": row.cycle_ticks,
            "step_ticks": row.step_ticks,
            "start_shift_ticks": row.start_shift_ticks,
            "rotation_ticks": row.rotation_ticks,
            "restarts": row.restarts,
            "bars": row.bars,
            "pattern_order": row.pattern_order,
            "change_percent": row.change_percent,
            "seed": row.seed,
            "fills": row.fills,
            "level_db": row.level_db,
            "mute": row.mute,
            "solo": row.solo,
        }

    def _cell(self, one: LoadedSection, span: Span, part: LoadedPart) -> Cell:
        doc = one.cells.get(part.id)
        own = one.parent_id is not None and f"cell {part.id}" in one.own
        if doc is None:
            return {"rest": True, "own": own, "strokes": self._strokes(span, part.id)}
        names = self.names[part.id]
        key, order = doc.get("pattern", ORDER), ""
        if key == ORDER:
            core = next(one for one in self.arrangement.parts if one.key == part.id)
            order = "".join(names.get(k, "?")[:3] for k in turn_keys(core, span.section.cells[part.id]))
        return {
            "rest": False,
            "own": own,
            "pattern": key,
            "name": order or names.get(key, "gone"),
            "muted": doc.get("muted", []),
            "level_db": doc.get("level_db", 0.0),
            "feel": doc.get("feel") or {},
            "strokes": self._strokes(span, part.id),
        }

    def _strokes(self, span: Span, part: int) -> str:
        """What the part plays in the section's first turn: loudness 0-9 of so many equal stretches."""
        line = self.flat.spans[span.number][1].get(part)
        return strokes_text(line, span) if line is not None else ""

    def _loop(self, one: LayeredLoop) -> SongLoop:
        doc = next(doc for doc in self.song.layered_loop_docs if doc["loop_id"] == one.id)
        return {
            "id": one.id,
            "name": one.name,
            "sections": list(one.section_ids),
            "muted": bool(doc.get("muted")),
            "level_db": one.settings.level_db,
            "from_bar": doc.get("from_bar", 1),
            "to_bar": doc.get("to_bar", 0),
        }


def strokes_text(line: HitColumns, span: Span) -> str:
    """Cached on the columns, which many sections share."""
    bins = _bins(span)
    kept: dict[int, str] = line.__dict__.setdefault("strokes", {})
    if bins in kept:
        return kept[bins]
    at = np.minimum(line.tick * bins // span.ticks, bins - 1)
    loud = np.zeros(bins, dtype=np.int64)
    np.maximum.at(loud, at, np.clip(np.rint(line.velocity / 127 * 9), 1, 9).astype(np.int64))
    kept[bins] = "".join(map(str, loud.tolist()))
    return kept[bins]


def _bins(span: Span) -> int:
    """A picture's stretches: 16ths where they fit, else the same number in every bar."""
    slots = max(span.ticks // 240, 1)
    if slots <= MOST_BINS:
        return slots
    return max(MOST_BINS // span.bars, 1) * min(span.bars, MOST_BINS)


def _join_words(doc: dict[str, object], song: LoadedSong) -> str:
    join = join_from_doc(doc)
    beats = join.beats
    if join.kind in ("fill", "pickup"):
        rows = [row for part in song.parts for row in part.patterns if row.id == join.pattern]
        beats = rows[0].length_ticks / song.metre.pulse_ticks if rows else 0
    return describe_join(join, f"{beats:g} beat{'s' if beats != 1 else ''}")


def _scaled(values: np.ndarray) -> list[int]:
    """0 to 100 of the largest."""
    most = float(values.max()) if len(values) else 0.0
    return [round(float(value) / most * 100) if most else 0 for value in values]
