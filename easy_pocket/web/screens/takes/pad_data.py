"""Voices under the hands, as the page strikes them."""

from __future__ import annotations

from easy_pocket.core.formats.note_map import voice_of_note
from easy_pocket.core.pattern.voices import stand_in
from easy_pocket.core.song.stage_sound import voice_place
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.kit import NEXT_STROKE, KitVoice, audio_key
from easy_pocket.core.sound.velocity import gains
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.takes.shapes import OtherSound, Pad


def pad_of(song: LoadedSong, voice: KitVoice) -> Pad:
    mix = song.mix.get(voice.role) or VoiceMix()
    loud = 10 ** ((voice.level_db + mix.level_db) / 20)
    return {
        "voice": voice.role,
        "name": voice.title,
        "glyph": voice.sign,
        "note": song.notes_of(song.kit.key)[voice.role],
        "audio": [audio_key(voice, number) for number in range(len(voice.stretches))],
        "sound": voice.stretch_of.tolist(),
        "others": [_other(voice.alternate(number)) for number in range(1, len(voice.alternates) + 1)],
        "strokes": [_other(voice.alternate(NEXT_STROKE * turn)) for turn in range(1, voice.turns)],
        "gain": [round(value * loud, 5) for value in gains(voice.velocity_level)],
        "pan": voice.pan if mix.pan is None else mix.pan,
        "place": voice_place(song.part.id, voice.role),
        "choke": voice.choke_group or ("" if voice.rings else voice.role),
    }


def _other(voice: KitVoice) -> OtherSound:
    audio = [audio_key(voice, number) for number in range(len(voice.stretches))]
    return {"audio": audio, "sound": voice.stretch_of.tolist()}


def notes_of(song: LoadedSong) -> dict[int, str]:
    """Which voice of the kit a MIDI note strikes: its own note, else General MIDI's with the nearest voice there is."""
    found, kit = {}, song.kit
    for note in range(35, 82):
        voice = voice_of_note(note)
        there = voice if voice in kit.roles else stand_in(voice, kit.roles)
        if there in kit.roles:
            found[note] = there
    return {**found, **{note: voice for voice, note in song.notes_of(kit.key).items()}}
