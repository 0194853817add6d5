"""The parts that are not being written: their heads, and their hits for the page to draw small."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.song.part import audible_parts
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.bench.shapes import OtherHead, OtherPart
from easy_pocket.web.screens.song.part_description import part_words
from easy_pocket.web.shared.other_parts_playing import PlacedPart, other_parts_at
from easy_pocket.web.shared.shapes import Column
from easy_pocket.web.shared.voice_title import voice_title


def other_heads(song: LoadedSong) -> list[OtherHead]:
    if len(song.parts) < 2:
        return []
    heard = audible_parts(song.arrangement.parts)
    rows = {part.id: part for part in song.parts}
    return [
        {
            "id": one.part.key,
            "name": one.part.name,
            "words": part_words(rows[one.part.key], song) if one.seams or len(one.line) else "rests here",
            "mute": one.part.mute,
            "solo": one.part.solo,
            "sounds": one.part.key in heard,
            "voices": [(voice, voice_title(song.kits[one.part.kit], voice)) for voice in one.performance.hits.voices],
        }
        for one in other_parts_at(song)
    ]


def other_hits(song: LoadedSong) -> list[OtherPart]:
    """By part: each voice as [name, ticks, velocities, offsets in ms], and the seams of its turns."""
    return [
        {"part": one.part.key, "voices": [_columns(one, place) for place in range(len(one.performance.hits.voices))],
         "seams": one.seams}
        for one in other_parts_at(song)
    ]  # fmt: skip


def _columns(one: PlacedPart, place: int) -> tuple[str, Column, Column, Column]:
    performance = one.performance
    mine = performance.hits.voice_index == place
    return (
        performance.hits.voices[place],
        performance.hits.tick[mine],
        performance.velocity[mine],
        np.round(performance.offset_ms[mine], 2),
    )
