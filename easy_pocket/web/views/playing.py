"""What the player needs: the times, gains and pans it is to schedule, felt and straight."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from easy_pocket.core.perform import perform
from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN, EventColumns, VoiceMix, play_columns
from easy_pocket.core.sound.kit import Kit, KitVoice, audio_key
from easy_pocket.core.sound.velocity import gains
from easy_pocket.core.timebase import Metre
from easy_pocket.store.kits import remember_voices
from easy_pocket.store.songs import LoadedSong

STRIKE_VELOCITY = 116  # a single hit to listen to


def columns(events: EventColumns) -> dict[str, Any]:
    """Events as the player takes them; a rate of 1 and no cut are the rule and are said short."""
    cuts = np.round(events.cut_s, 7).tolist()
    plain_rate = bool((events.rate == 1.0).all())
    return {
        "audio": list(events.audio),
        "sound": events.sound.tolist(),
        "start_s": np.round(events.start_s, 7).tolist(),
        "gain": np.round(events.gain, 5).tolist(),
        "rate": None if plain_rate else np.round(events.rate, 6).tolist(),
        "pan": np.round(events.pan, 4).tolist(),
        "cut_s": [None if cut == math.inf else cut for cut in cuts],
    }


def strike(voice: KitVoice, mix: VoiceMix | None = None) -> dict[str, Any]:
    """One hard hit of a voice, for the ear."""
    remember_voices(Kit("", "", (voice,)))
    pan = voice.pan if mix is None or mix.pan is None else mix.pan
    level_db = voice.level_db + (mix.level_db if mix else 0.0)
    gain = gains(voice.velocity_level)[STRIKE_VELOCITY] * 10 ** (level_db / 20)
    return {"audio": audio_key(voice, int(voice.stretch_of[STRIKE_VELOCITY])), "gain": round(gain, 5), "pan": pan}


def playing(song: LoadedSong, tempo_bpm: float | None = None, gain_db: float = 0.0) -> dict[str, Any]:
    """One pass of the loop at a tempo (default: the song's), all of it louder by gain_db."""
    remember_voices(song.kit)
    tempo = song.row.tempo_bpm if tempo_bpm is None else tempo_bpm
    felt = perform(song.pattern, song.feel, tempo_bpm=tempo)
    straight = perform(song.pattern, tempo_bpm=tempo, straight=True)
    metre: Metre = song.metre
    strikes = {
        voice.role: strike(voice, song.mix.get(voice.role))
        for voice in song.kit.voices
        if voice.role in song.part.voices
    }
    return {
        "strikes": strikes,
        "tempo_bpm": tempo,
        "length_s": felt.length_ms / 1000,
        "beat_s": 60.0 / tempo * 4 / metre.unit,
        "beats": metre.beats,
        "bars": song.pattern.bars,
        "master_gain": MASTER_GAIN * 10 ** (gain_db / 20),
        "cut_fade_s": CUT_FADE_S,
        "felt": columns(play_columns(felt, song.kit, song.mix)),
        "straight": columns(play_columns(straight, song.kit, song.mix)),
    }
