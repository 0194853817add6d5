"""What the player needs: the times, gains and pans it is to schedule, felt and straight."""

from __future__ import annotations

from typing import Any

from easy_pocket.core.perform import perform
from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN, Event, play_events
from easy_pocket.core.timebase import Metre
from easy_pocket.store.songs import LoadedSong


def columns(events: list[Event]) -> dict[str, Any]:
    """Events as columns; `audio` lists each content key once, `sound` points into it."""
    keys = sorted({event.audio for event in events})
    place = {key: index for index, key in enumerate(keys)}
    return {
        "audio": keys,
        "sound": [place[event.audio] for event in events],
        "start_s": [round(event.start_s, 7) for event in events],
        "gain": [round(event.gain, 5) for event in events],
        "pan": [round(event.pan, 4) for event in events],
        "cut_s": [None if event.cut_s is None else round(event.cut_s, 7) for event in events],
    }


def playing(song: LoadedSong, tempo_bpm: float | None = None) -> dict[str, Any]:
    """One pass of the loop at a tempo (default: the song's)."""
    tempo = song.row.tempo_bpm if tempo_bpm is None else tempo_bpm
    felt = perform(song.pattern, song.feel, tempo_bpm=tempo)
    straight = perform(song.pattern, tempo_bpm=tempo, straight=True)
    metre: Metre = song.metre
    return {
        "tempo_bpm": tempo,
        "length_s": felt.length_ms / 1000,
        "beat_s": 60.0 / tempo * 4 / metre.unit,
        "beats": metre.beats,
        "bars": song.pattern.bars,
        "master_gain": MASTER_GAIN,
        "cut_fade_s": CUT_FADE_S,
        "felt": columns(play_events(felt, song.kit, song.mix)),
        "straight": columns(play_events(straight, song.kit, song.mix)),
    }
