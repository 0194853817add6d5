"""The selected pattern as audio, with the loops under it."""

from __future__ import annotations

from dataclasses import replace

from easy_pocket.core.sound.events import play_columns, play_events
from easy_pocket.core.sound.headroom import MeasuredMix
from easy_pocket.core.sound.loudness_match import matching_gain
from easy_pocket.core.sound.mixdown import measured_mixdown
from easy_pocket.store.database import Reads
from easy_pocket.store.loops.layered_loop_audio import render_loop_layer
from easy_pocket.store.songs.loaded import LoadedSong


def pattern_as_audio(reader: Reads, song: LoadedSong, timing: str) -> MeasuredMix:
    """timing: "felt", or "straight" at the same loudness."""
    performance = song.performance(straight=timing == "straight")
    louder = straight_gain(song) if timing == "straight" else 1.0
    events = [replace(one, gain=one.gain * louder) for one in play_events(performance, song.kit, song.mix)]
    layers = [render_loop_layer(reader, one, song.performance()) for one in song.layered_loops]
    return measured_mixdown(events, song.kit, performance.length_ms / 1000, samples=song.samples, layers=layers)


def straight_gain(song: LoadedSong, tempo_bpm: float | None = None) -> float:
    """What makes the straight beat as loud as the felt one, so that hearing them by turns compares time alone."""
    felt, straight = (
        play_columns(song.performance(straight=straight, tempo_bpm=tempo_bpm), song.kit, song.mix)
        for straight in (False, True)
    )
    return matching_gain(straight, felt, song.kit, song.samples)
