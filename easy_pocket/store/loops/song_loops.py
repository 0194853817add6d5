"""Loops under the song: in which of its spans each plays, and to what."""

from __future__ import annotations

from dataclasses import replace

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.song.perform_song import SongPlayed
from easy_pocket.core.song.song_loops import stack_of, under_in_span
from easy_pocket.store.loops.layered_loop_rows import UnderLoop
from easy_pocket.store.songs.load import LoadedSong


def under_in_song(song: LoadedSong, played: SongPlayed) -> list[tuple[float, UnderLoop, Performance]]:
    """(start in s, the loop as it plays there, the stack it plays under) for every span in which one plays."""
    found = []
    for one in song.under:
        muted = any(doc["loop_id"] == one.row.id and doc.get("muted") for doc in song.row.under or ())
        if muted:
            continue
        for span in played.song.spans:
            there = under_in_span(one.under, span, one.section_ids)
            if there is not None:
                found.append((span.start_ms / 1000, replace(one, under=there), stack_of(played, span)))
    return found
