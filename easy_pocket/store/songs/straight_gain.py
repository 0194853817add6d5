"""The straight beat as loud as the felt one."""

from __future__ import annotations

from easy_pocket.core.sound.events import play_columns
from easy_pocket.core.sound.loudness_match import matching_gain
from easy_pocket.store.songs.loaded import LoadedSong


def straight_gain(song: LoadedSong, tempo_bpm: float | None = None) -> float:
    """What makes the straight beat as loud as the felt one, so that hearing them by turns compares time alone."""
    felt, straight = (
        play_columns(song.performance(straight=straight, tempo_bpm=tempo_bpm), song.kit, song.mix)
        for straight in (False, True)
    )
    return matching_gain(straight, felt, song.kit, song.samples)
