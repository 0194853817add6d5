"""Loops under the song: in which of its spans each plays, and to what."""

from __future__ import annotations

from dataclasses import replace

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.song.perform_song import SongPerformance
from easy_pocket.core.song.song_loops import layer_in_span, stack_of
from easy_pocket.store.loops.layered_loop_rows import LayeredLoop
from easy_pocket.store.songs.loaded import LoadedSong


def layers_in_song(song: LoadedSong, played: SongPerformance) -> list[tuple[float, LayeredLoop, Performance]]:
    """(start in s, the loop as it plays there, the stack it plays under) for every span in which one plays."""
    found = []
    for one in song.layered_loops:
        muted = any(doc["loop_id"] == one.id and doc.get("muted") for doc in song.layered_loop_docs)
        if muted:
            continue
        for span in played.song.spans:
            there = layer_in_span(one.settings, span, one.section_ids)
            if there is not None:
                found.append((span.start_ms / 1000, replace(one, settings=there), stack_of(played, span)))
    return found
