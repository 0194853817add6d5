"""Loops under the song: in which of its spans each plays, and to what."""

from __future__ import annotations

from dataclasses import replace

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.song.perform_song import SongPerformance
from easy_pocket.core.song.song_loops import layer_in_span, stack_of
from easy_pocket.core.stage.section_settings import NO_SETTINGS
from easy_pocket.store.loops.layered_loop_rows import LayeredLoop
from easy_pocket.store.songs.loaded import LoadedSong


def loop_place(loop_id: int) -> str:
    """What a loop is called on a Stage."""
    return f"loop:{loop_id}"


def loop_here(song: LoadedSong, one: LayeredLoop) -> LayeredLoop:
    """A loop as it plays in the section that is looked at."""
    own = song.levels_here.get(loop_place(one.id))
    return one if own is None else replace(one, settings=replace(one.settings, level_db=own))


def layers_in_song(song: LoadedSong, played: SongPerformance) -> list[tuple[float, LayeredLoop, Performance]]:
    """(start in s, the loop as it plays there, the stack it plays under) for every span in which one plays."""
    found = []
    for one in song.layered_loops:
        muted = any(doc["loop_id"] == one.id and doc.get("muted") for doc in song.layered_loop_docs)
        if muted:
            continue
        for span in played.song.spans:
            there = layer_in_span(one.settings, span, one.section_ids)
            own = song.stage.sections.get(span.section.key, NO_SETTINGS).levels.get(loop_place(one.id))
            if there is not None:
                there = there if own is None else replace(there, level_db=own)
                found.append((span.start_ms / 1000, replace(one, settings=there), stack_of(played, span)))
    return found
