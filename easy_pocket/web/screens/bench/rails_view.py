"""The rails: their heads, and the hits as columns for the page to draw."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.stages import TIME_STAGES, VELOCITY_STAGES
from easy_pocket.core.feel.strokes import Strokes, strokes
from easy_pocket.core.pattern.articulation import articulation_to_doc, describe_articulation
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.store.loops.layered_loop_audio import register_layered_loop
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.other_parts import selected_cell
from easy_pocket.store.songs.song_loops import loop_here
from easy_pocket.web.screens.bench.other_parts import other_hits
from easy_pocket.web.screens.bench.shapes import HitColumns, InSection, Lean, RailData, RailFacts
from easy_pocket.web.shared.voice_title import voice_title

ON_GRID_MS = 0.75  # an offset smaller than this is drawn as on the grid


def signed(value: float, digits: int = 1) -> str:
    """+3.2, −0.4 with a true minus, and 0 without a sign."""
    text = f"{abs(value):.{digits}f}"
    if float(text) == 0:
        return "0"
    return f"{'+' if value > 0 else '−'}{text}"


def offset_words(offset_ms: float) -> str:
    if abs(offset_ms) < 0.05:
        return "on the grid"
    return f"{abs(offset_ms):.1f} ms {'late' if offset_ms > 0 else 'early'}"


def hit_columns(performance: Performance, voice: str) -> HitColumns:
    """A voice's hits as columns: tick, written and played velocity, offset and own offset in ms. `amounts` has the ms
    of every stage that moves one of them; `accents` velocity steps alike. `articulated` and `asked` name by index the
    few that are not plain, or ask for another sound."""
    hits = performance.hits
    if voice not in hits.voices:
        return {"tick": [], "velocity": [], "played": [], "offset": [], "own": [], "amounts": {}, "accents": {},
                "silent": []}  # fmt: skip
    mine = np.flatnonzero(hits.voice_index == hits.voices.index(voice))
    lean = _lean(performance, mine)
    columns: HitColumns = {
        "tick": hits.tick[mine],
        "velocity": hits.velocity[mine],
        "own": np.round(hits.offset_ms[mine], 2),
        "silent": lean["silent"],
        "played": lean["played"],
        "offset": lean["offset"],
        "amounts": lean["amounts"],
        "accents": lean["accents"],
    }
    asked = np.flatnonzero(hits.alternate[mine])
    if len(asked):
        columns["asked"] = {int(place): int(hits.alternate[mine[place]]) for place in asked}
    if hits.articulated:
        struck = strokes(performance)
        place = {int(index): number for number, index in enumerate(mine.tolist())}
        columns["articulated"] = {
            place[index]: {
                "words": describe_articulation(articulation),
                "drawn": _strokes_of(struck, performance, index) if articulation.ornament else [],
                **articulation_to_doc(articulation),
            }
            for index, articulation in hits.articulated
            if index in place
        }
    return columns


def _lean(performance: Performance, mine: npt.NDArray[np.int64]) -> Lean:
    """What the feel makes of these hits."""
    moved = np.round(performance.amounts_ms[:, mine], 2)
    louder = performance.amounts_velocity[:, mine]
    nobody = np.zeros(0, dtype=np.int64)
    silent = nobody if performance.heard is None else np.flatnonzero(~performance.heard[mine])
    return {
        "silent": silent,
        "played": performance.velocity[mine],
        "offset": np.round(performance.offset_ms[mine], 2),
        "amounts": {stage: row for stage, row in zip(TIME_STAGES, moved, strict=True) if row.any()},
        "accents": {stage: row for stage, row in zip(VELOCITY_STAGES, louder, strict=True) if row.any()},
    }


def leans(performance: Performance, voices: Iterable[str]) -> dict[str, Lean]:
    """For each voice with hits what the feel makes of them, in the order of its columns."""
    hits = performance.hits
    return {
        voice: _lean(performance, np.flatnonzero(hits.voice_index == hits.voices.index(voice)))
        for voice in voices
        if voice in hits.voices
    }


def _strokes_of(struck: Strokes, performance: Performance, index: int) -> list[list[float]]:
    """What an ornament adds to a hit: ms from it, and velocity."""
    own = np.flatnonzero((struck.hit == index) & (struck.time_ms != performance.played_ms[index]))
    after = np.round(struck.time_ms[own] - performance.played_ms[index], 2)
    return [list(pair) for pair in zip(after.tolist(), struck.velocity[own].tolist(), strict=True)]


def rail_facts(song: LoadedSong) -> RailFacts:
    """What the rails are drawn by: ticks of the pattern, its bars and beats, its grids, what is locked."""
    metre = song.metre
    return {
        "length": song.pattern.length_ticks,
        "step": song.part.step_ticks,
        "steps": song.part.voice_steps or {},
        "bar": metre.bar_ticks,
        "beat": metre.beat_ticks,
        "beats": metre.beats,
        "compound": metre.compound,
        "msPerTick": ms_per_tick(song.tempo_bpm),
        "lockedVoices": sorted(song.pattern.locked_voices),
        "lockedPlaces": sorted(song.pattern.locked_places),
        **_in_section(song),
        "names": {voice: voice_title(song.kit, voice) for voice in song.part.voices},
    }


def _in_section(song: LoadedSong) -> InSection:
    """Where the section begins in the pattern, how long a turn is, and whether the section plays it at all."""
    cell = selected_cell(song)
    where = next((one for one in song.sections if one.id == song.section_id), None)
    doc = where.cells.get(song.part.id) if where else None
    plays = doc is not None and doc.get("pattern") == song.pattern_id
    return {"start": cell.start_ticks, "cycle": song.part.cycle_ticks or song.pattern.length_ticks, "plays": plays}


def rail_data(song: LoadedSong, performance: Performance, only: frozenset[str] | None = None) -> RailData:
    """The facts and the hits of every rail, or of some."""
    voices = [voice for voice in song.part.voices if only is None or voice in only]
    return {
        "whole": only is None,
        "facts": {
            **rail_facts(song),
            "others": other_hits(song),
            "layers": {one.id: register_layered_loop(loop_here(song, one), performance) for one in song.layered_loops},
        },
        "hits": {voice: hit_columns(performance, voice) for voice in voices},
    }
