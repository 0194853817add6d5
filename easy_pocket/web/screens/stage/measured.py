"""What the loop that plays measures on its Stage: loudness by place, the whole before and after, the ceiling."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

import numpy as np
import numpy.typing as npt

from easy_pocket.core.sound.loudness import programme_loudness_lufs, short_loudness_lufs
from easy_pocket.core.stage.crowding import BANDS_HZ, Crowding, crowding
from easy_pocket.core.stage.graph_plan import unit_plan
from easy_pocket.core.stage.limiter import true_peak_db
from easy_pocket.core.stage.mix_stage import mix_stage
from easy_pocket.core.stage.stage import Stage, unit_doc
from easy_pocket.core.stage.stage_mix import StageMix
from easy_pocket.core.stage.units import Music
from easy_pocket.core.text import counted
from easy_pocket.jobs.work import reader
from easy_pocket.store.database import Reader
from easy_pocket.store.songs.edits.stage_places import place_name
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.mixes import stack_sound
from easy_pocket.store.songs.selection import Selection
from easy_pocket.web.screens.stage.shapes import CrowdedPair, CrowdingData, Measured
from easy_pocket.web.screens.stage.sounds import sound_groups

COLUMNS = 320  # of the picture of the whole
TAKEN_COLUMNS = 122  # of the picture of a compressor
SILENT_LUFS = -70.0
WORKS_DB = 0.1  # the ceiling is said to work from here on
Floats = npt.NDArray[np.floating]


def measured_song(song_id: int, selection: Selection) -> Measured:
    """In a worker: the song as it is now, measured."""
    return measured(reader(), read_song(reader(), song_id, selection))


def measured(reads: Reader, song: LoadedSong) -> Measured:
    """One pass of the loop. matched_db: what makes the sound without its Stage as loud as with it."""
    sound, music = stack_sound(reads, song)
    stage = song.stage_here
    mix = mix_stage(sound, stage, music)
    plain = mix_stage(sound, Stage(ceiling_db=stage.ceiling_db), music)
    loud, before = _lufs(mix.audio), _lufs(plain.audio)
    lines = {where: sound.line(where) for where in sound.places}
    reduction_db = -20 * np.log10(np.maximum(mix.gain, 1e-6))
    return {
        "revision": song.revision,
        "length_s": music.length_s,
        "lufs": loud,
        "momentary_lufs": round(short_loudness_lufs(mix.audio.T, 0.4), 1),
        "short_lufs": round(short_loudness_lufs(mix.audio.T, 3.0), 1),
        "true_peak_db": round(true_peak_db(mix.audio), 1),
        "matched_db": round(loud - before, 1) if min(loud, before) > SILENT_LUFS else 0.0,
        "ceiling_db": stage.ceiling_db,
        "ceiling_takes_db": round(float(reduction_db.max(initial=0.0)), 1),
        "ceiling_times": _times(reduction_db > WORKS_DB),
        "after": _columns(mix.audio),
        "before": _columns(plain.audio),
        "takes": [round(float(one), 2) for one in _largest(reduction_db)],
        "taken": _taken(mix),
        "heard": {where: _lufs(line) for where, line in lines.items()},
        "crowding": _crowding(song, crowding(lines, pans=_pans(song), fixed=_fixed(lines)), music),
    }


def _taken(mix: StageMix) -> dict[str, dict[int, list[float]]]:
    found: dict[str, dict[int, list[float]]] = {}
    for (where, at), taken_db in mix.taken_db.items():
        edges = np.linspace(0, len(taken_db), TAKEN_COLUMNS + 1).astype(int)[:-1]
        shown = np.maximum.reduceat(taken_db, edges) if len(taken_db) >= TAKEN_COLUMNS else taken_db
        found.setdefault(where, {})[at] = [round(float(one), 1) for one in shown]
    return found


def _pans(song: LoadedSong) -> dict[str, float]:
    """Where the voices stand, that can be moved."""
    groups = sound_groups(song, "short", song.stage_here, song.levels_here)
    return {sound.where: sound.pan for group in groups for sound in group.sounds if sound.voice}


def _fixed(places: Iterable[str]) -> list[str]:
    """Kick and snare stay in the middle, where they are."""
    return [where for where in places if where.endswith((":kick", ":snare"))]


def _crowding(song: LoadedSong, found: Crowding, music: Music) -> CrowdingData:
    short = Counter(place_name(song, where) for where in found.levels_db)

    def name(where: str) -> str:
        """With its part where two sounds are called the same."""
        own = place_name(song, where)
        return own if short[own] < 2 else f"{own} of {place_name(song, where.rpartition(':')[0])}"

    pairs: list[CrowdedPair] = []
    for one in found.pairs:
        names = {"by": name(one.by), "hidden": name(one.hidden)}
        proposal = one.proposal
        pairs.append({
            "hidden": one.hidden, "by": one.by, "low_hz": one.low_hz, "high_hz": one.high_hz,
            "title": f"{names['by']} and {names['hidden']}".capitalize(),
            "words": f"share {_hz(one.low_hz)} to {_hz(one.high_hz)} Hz at {counted(one.moments, 'moment')}, "
                     f"{one.over_db:.0f} dB; {100 * one.lost:.0f} % of the {names['hidden']} is hidden",
            "proposal": proposal.words.format(**names) if proposal else "no small change helps",
            "where": proposal.where if proposal else "",
            "unit": unit_doc(proposal.unit) if proposal and proposal.unit else None,
            "plan": unit_plan(proposal.unit, music) if proposal and proposal.unit else None,
            "pan": proposal.pan if proposal else None,
            "later_ms": proposal.later_ms if proposal else 0.0,
        })  # fmt: skip
    levels = {where: [round(float(db), 1) for db in row] for where, row in found.levels_db.items()}
    return {"hz": [round(float(hz), 1) for hz in BANDS_HZ], "levels": levels, "pairs": pairs}


def _hz(hz: float) -> str:
    return f"{hz:.0f}" if hz < 1000 else f"{hz / 1000:.1f}".removesuffix(".0") + " k"


def _lufs(line: Floats) -> float:
    return round(max(programme_loudness_lufs(line.T), SILENT_LUFS), 1)


def _times(works: npt.NDArray[np.bool_]) -> int:
    """How often it begins to work, with at least 50 ms between."""
    at = np.flatnonzero(works)
    return int(len(at) > 0) + int((np.diff(at) > 2205).sum())


def _largest(values: Floats) -> Floats:
    edges = np.linspace(0, len(values), COLUMNS + 1).astype(int)[:-1]
    return np.maximum.reduceat(values, edges) if len(values) >= COLUMNS else np.resize(values, COLUMNS)


def _columns(audio: Floats) -> list[float]:
    """The largest size of each column, in dB from -60."""
    sizes = _largest(np.abs(audio).max(axis=0))
    return [round(float(one), 1) for one in 20 * np.log10(np.maximum(sizes, 1e-3))]
