"""The parts of the song as groups of rails; and the hits of those that are not being written."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from easy_pocket.core.song.cycles import describe_meeting
from easy_pocket.core.song.part import audible_parts
from easy_pocket.core.sound.events import audible
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.other_parts import PlacedPart, other_parts_at, selected_cell
from easy_pocket.web.screens.bench.rail_heads import Rail, rail_heads
from easy_pocket.web.screens.bench.shapes import OtherPart
from easy_pocket.web.screens.song.part_description import cycles_of, part_words
from easy_pocket.web.shared.shapes import Column


@dataclass(frozen=True)
class PartGroup:
    """A part as a group of rails under one head. own: it is the one that is written. patterns: id and name;
    pattern_id: the one that plays here, 0 for the part's order. meeting: when all parts begin together again."""

    id: int
    name: str
    own: bool
    kit_name: str
    words: str
    mute: bool
    solo: bool
    sounds: bool
    patterns: list[tuple[int, str]]
    pattern_id: int
    rails: list[Rail]
    meeting: str = ""

    @property
    def folded(self) -> list[Rail]:
        """Rails that are shown only when they are asked for."""
        return [rail for rail in self.rails if rail.folded]


def part_groups(song: LoadedSong, own_words: str) -> list[PartGroup]:
    """All parts of the song in its order, each with its rails."""
    heard = audible_parts(song.arrangement.parts)
    resting = {one.part.key for one in other_parts_at(song) if not one.seams and not len(one.line)}
    section = next((one for one in song.arrangement.sections if one.key == song.section_id), None)
    groups = []
    for part in song.parts:
        own = part.id == song.part.id
        kit = song.kits[part.kit_key]
        cell = selected_cell(song) if own else section.cells.get(part.id) if section else None
        rails = rail_heads(
            part.voices, part.mix, audible(part.voices, part.mix), kit, cell.muted if cell else frozenset()
        )
        words = own_words if own else "rests here" if part.id in resting else part_words(part, song)
        groups.append(
            PartGroup(
                id=part.id,
                name=part.name,
                own=own,
                kit_name=kit.name,
                words=words,
                mute=part.mute,
                solo=part.solo,
                sounds=part.id in heard,
                patterns=[(one.id, one.name) for one in part.patterns],
                pattern_id=song.pattern_id if own else cell.pattern if cell else 0,
                rails=rails,
                meeting=describe_meeting(cycles_of(song), song.metre) if own and len(song.parts) > 1 else "",
            )
        )
    return groups


def other_hits(song: LoadedSong) -> list[OtherPart]:
    steps = {part.id: part.step_ticks for part in song.parts}
    found: list[OtherPart] = []
    for one in other_parts_at(song):
        cycle, why = _written_at(one)
        voices = [_columns(one, place) for place in range(len(one.performance.hits.voices))]
        found.append(
            {"part": one.part.key, "voices": voices, "seams": one.seams, "step": steps[one.part.key],
             "cycle": cycle, "why": why}
        )  # fmt: skip
    return found


def _written_at(one: PlacedPart) -> tuple[int, str]:
    """After how many ticks the same written places come again; 0, and why, where a place on the ruler does not tell a
    place in the pattern."""
    turning = one.part.turning
    pattern = one.part.patterns.get(one.cell.pattern or next(iter(one.part.patterns), 0))
    if pattern is None or not one.seams:
        return 0, f"{one.part.name} rests here"
    if turning.shift_ticks or turning.rotation_ticks or turning.bars or (turning.order and not one.cell.pattern):
        return 0, f"{one.part.name} is shifted, rotated or in an order here"
    return turning.cycle_ticks or pattern.length_ticks, ""


def _columns(one: PlacedPart, place: int) -> tuple[str, Column, Column, Column]:
    performance = one.performance
    mine = performance.hits.voice_index == place
    return (
        performance.hits.voices[place],
        performance.hits.tick[mine],
        performance.velocity[mine],
        np.round(performance.offset_ms[mine], 2),
    )
