"""The pattern that is looked at as audio, with the loops under it."""

from __future__ import annotations

from dataclasses import replace

from easy_pocket.core.audio import Audio
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.store.songs import LoadedSong
from easy_pocket.store.under import render_under
from easy_pocket.web.views.playing import straight_gain


def pattern_audio(song: LoadedSong, timing: str) -> Audio:
    performance = song.performance(straight=timing == "straight")
    louder = straight_gain(song) if timing == "straight" else 1.0
    events = [replace(one, gain=one.gain * louder) for one in play_events(performance, song.kit, song.mix)]
    under = [render_under(song.reader, one, song.performance()) for one in song.under]
    return mixdown(events, song.kit, performance.length_ms / 1000, samples=song.samples, under=under)
