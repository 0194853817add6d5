"""What the Loops screen shows of groups, doubtful hits, and of the stack against the loop."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

import numpy as np

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.timing_comparison import Side, TimingComparison, comparison_by_voice, gap, side_of, together
from easy_pocket.core.listen.loop_analysis import LoopAnalysis
from easy_pocket.core.listen.loop_side import side_of_loop
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.sit_in import SitIn, SitInResult
from easy_pocket.core.listen.sound_groups import Group
from easy_pocket.core.pattern.timebase import ms_per_tick, place_name
from easy_pocket.core.pattern.voices import ROLES, voice_name
from easy_pocket.store.database import Reader, Reads
from easy_pocket.store.loops.loops import analysis_from_doc, get_loop
from easy_pocket.store.schema.tables import LoopRow
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.loop_uses import loop_groups, sitting_in
from easy_pocket.store.songs.other_parts import other_parts_at
from easy_pocket.web.screens.loops.shapes import Against, GapRow, HitGroup, HitGroups, WorstGap
from easy_pocket.web.shared.voice_title import voice_title

UNSURE = 0.5
WORST = 16
NO_DRUMS = "These are no drums we know (a mouth, a table?): they are told apart by how dark or bright they sound."


def groups_doc(reader: Reads, row: LoopRow) -> HitGroups:
    """The groups of a loop, with when their hits are and how sure they are."""
    heard, groups = loop_groups(reader, row)
    strange = any(not group.is_drum for group in groups)
    return {
        "groups": [_group_doc(group, heard) for group in groups],
        "unsure": _unsure(groups),
        "words": NO_DRUMS if strange else "",
    }


def _group_doc(group: Group, heard: LoopAnalysis) -> HitGroup:
    own = list(group.hits)
    return {
        "name": group.name,
        "voice": group.voice,
        "voice_name": voice_name(group.voice) if group.voice in ROLES else "left out",
        "glyph": ROLES[group.voice].glyph if group.voice in ROLES else "disc",
        "times": np.round(heard.onsets.time_s[own], 6),
        "strength": np.round(heard.onsets.level[own], 3),
        "certainty": list(group.certainty),
    }


def _unsure(groups: tuple[Group, ...]) -> int:
    return sum(sure < UNSURE for group in groups for sure in group.certainty)


def stack_side(song: LoadedSong, of: str) -> tuple[Side, dict[str, str]]:
    """What is compared with a loop, and what its voices are called: the part one is at (of: ""), "all" parts, or the
    one of a number. Raises BadValueError for one that is not there."""
    own = side_of(song.performance(), "the stack")
    if of in ("", str(song.part.id)):
        return own, _titles(song)
    parts = [(song.part.id, song.part.name, song.kit, own)] if of == "all" else []
    parts += [
        (one.part.key, one.part.name, song.kits[one.part.kit], side_of(one.performance, one.part.name))
        for one in other_parts_at(song)
        if of in ("all", str(one.part.key)) and len(one.performance.hits.tick)
    ]
    if not parts:
        raise BadValueError("This part is gone or plays nothing here: choose another to compare.")
    titles = [(key, name, voice, voice_title(kit, voice)) for key, name, kit, side in parts for voice in side.voices]
    count = Counter(title for *_, title in titles)
    names = {f"{key}:{voice}": title if count[title] == 1 else f"{title}, {name}" for key, name, voice, title in titles}
    return together([(f"{key}:", side) for key, _, _, side in parts], "the stack"), names


def against_doc(reader: Reader, song: LoadedSong, loop_id: int, wanted: SitIn, of: str = "") -> Against:
    """The gap between the stack and the loop as they are, by voice and by the worst hits, and what sitting in would
    make of it, where it is the part one is at (of: ""). Raises BadValueError and EditRefusedError."""
    row = get_loop(reader, song.id, loop_id)
    heard = analysis_from_doc(row.found)
    tempo_bpm = song.tempo_bpm
    loop = side_of_loop(heard.onsets, heard.reading, row.name, tempo_bpm)
    stack, names = stack_side(song, of)
    found = gap(stack, loop, wanted.step_ticks / 2 * ms_per_tick(tempo_bpm))
    if of:
        return {
            "revision": song.revision, "pairs": len(found.gap_ms), "alone": len(found.only_a),
            "size": found.mean_size_ms, "then": None, "moved": 0, "led": 0, "hits": len(stack.time_ms),
            "rows": _gap_rows(stack, found, tempo_bpm, names),
            "worst": _worst_gaps(song, stack, loop, found, heard.reading, names),
            "length_s": max(stack.length_ms, loop.length_ms) / 1000, "stack": _marks(stack.time_ms, stack.velocity),
            "would": [], "loop": _marks(loop.time_ms, loop.velocity),
        }  # fmt: skip
    done: SitInResult = sitting_in(reader, song, loop_id, wanted)
    after = side_of(perform(done.tightening.after, song.feel, tempo_bpm=tempo_bpm), "after")
    then = gap(after, loop, wanted.step_ticks / 2 * ms_per_tick(tempo_bpm))
    return {
        "revision": song.revision,
        "pairs": len(found.gap_ms),
        "alone": len(found.only_a),
        "size": found.mean_size_ms,
        "then": then.mean_size_ms,
        "moved": int(done.tightening.moved.sum()),
        "led": int(done.led.sum()),
        "hits": len(done.led),
        "rows": _gap_rows(stack, found, tempo_bpm, names, song.part.voices),
        "worst": _worst_gaps(song, stack, loop, found, heard.reading, names),
        "length_s": max(stack.length_ms, loop.length_ms) / 1000,
        "stack": _marks(stack.time_ms, stack.velocity),
        "would": _marks(after.time_ms, after.velocity) if done.tightening.moved.any() else [],
        "loop": _marks(loop.time_ms, loop.velocity),
    }


def _marks(time_ms: np.ndarray, velocity: np.ndarray) -> list[list[float]]:
    found: list[list[float]] = np.stack([np.round(time_ms / 1000, 5), np.round(velocity / 127, 3)], axis=1).tolist()
    return found


def _titles(song: LoadedSong) -> dict[str, str]:
    return {voice.role: voice.title for voice in song.kit.voices}


def _gap_rows(
    stack: Side,
    found: TimingComparison,
    tempo_bpm: float,
    names: Mapping[str, str],
    order: Sequence[str] = (),
) -> list[GapRow]:
    gaps = {row.voice: row for row in comparison_by_voice(stack, found, tempo_bpm)}
    return [
        {
            "voice": voice,
            "name": names.get(voice) or ROLES[voice].name,
            "pairs": len(gaps[voice].gaps_ms),
            "mean": round(-gaps[voice].mean_ms, 2),
            "size": round(gaps[voice].mean_size_ms, 2),
            "gaps": np.round(-np.asarray(gaps[voice].gaps_ms), 2),
        }
        for voice in (order or stack.voices)
        if voice in gaps
    ]


def _worst_gaps(
    song: LoadedSong, stack: Side, loop: Side, found: TimingComparison, reading: Reading, names: Mapping[str, str]
) -> list[WorstGap]:
    tempo_bpm = song.tempo_bpm
    voices = [stack.voices[index] for index in stack.voice_index[found.a].tolist()]
    return [
        {
            "voice": voices[pair].rpartition(":")[2],
            "tick": int(stack.tick[found.a[pair]]),
            "words": " ".join(
                (names.get(voices[pair], voices[pair]), place_name(int(stack.tick[found.a[pair]]), song.metre))
            ),
            "gap": round(-float(found.gap_ms[pair]), 2),
            "stack_s": float(stack.time_ms[found.a[pair]]) / 1000,
            "loop_s": float(loop.time_ms[found.b[pair]]) / 1000,
            "heard_s": reading.in_file_s(float(loop.time_ms[found.b[pair]]) / ms_per_tick(tempo_bpm)),
            "heard_gap_s": float(found.gap_ms[pair]) / 1000 * tempo_bpm / reading.tempo_bpm,
        }
        for pair in found.worst(WORST).tolist()
    ]
