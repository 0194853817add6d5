"""What the player needs: the times, gains and pans it is to schedule, felt and straight."""

from __future__ import annotations

from typing import Any

from easy_pocket.core.perform import perform
from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN, Event, VoiceMix, play_events
from easy_pocket.core.sound.kit import Kit, KitVoice, audio_key
from easy_pocket.core.sound.velocity import ZONE_OF, gains
from easy_pocket.core.timebase import Metre
from easy_pocket.store.kits import remember_voices
from easy_pocket.store.songs import LoadedSong

STRIKE_VELOCITY = 116  # a single hit to listen to


def columns(events: list[Event]) -> dict[str, Any]:
    """Events as columns; `audio` lists each content key once, `sound` points into it."""
    keys = sorted({event.audio for event in events})
    place = {key: index for index, key in enumerate(keys)}
    return {
        "audio": keys,
        "sound": [place[event.audio] for event in events],
        "start_s": [round(event.start_s, 7) for event in events],
        "gain": [round(event.gain, 5) for event in events],
        "rate": [round(event.rate, 6) for event in events],
        "pan": [round(event.pan, 4) for event in events],
        "cut_s": [None if event.cut_s is None else round(event.cut_s, 7) for event in events],
    }


def strike(voice: KitVoice, mix: VoiceMix | None = None) -> dict[str, Any]:
    """One hard hit of a voice, for the ear."""
    remember_voices(Kit("", "", (voice,)))
    level_db = voice.level_db + (mix.level_db if mix else 0.0)
    gain = gains(voice.velocity_level)[STRIKE_VELOCITY] * 10 ** (level_db / 20)
    return {"audio": audio_key(voice, ZONE_OF[STRIKE_VELOCITY]), "gain": round(gain, 5), "pan": voice.pan}


def playing(song: LoadedSong, tempo_bpm: float | None = None, gain_db: float = 0.0) -> dict[str, Any]:
    """One pass of the loop at a tempo (default: the song's), all of it louder by gain_db."""
    remember_voices(song.kit)
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
        "master_gain": MASTER_GAIN * 10 ** (gain_db / 20),
        "cut_fade_s": CUT_FADE_S,
        "felt": columns(play_events(felt, song.kit, song.mix)),
        "straight": columns(play_events(straight, song.kit, song.mix)),
    }
