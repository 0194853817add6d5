"""The whole song as files: MIDI with all its parts, and the mix with the loops under it."""

from __future__ import annotations

from easy_pocket.core.formats.midi import WrittenMidi
from easy_pocket.core.formats.song_midi import write_song_midi
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.core.song.song_mix import mix_song
from easy_pocket.core.sound.headroom import MeasuredMix
from easy_pocket.store.database import Reads
from easy_pocket.store.loops.layered_loop_audio import render_loop_layer
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.song_loops import layers_in_song


def song_as_midi(song: LoadedSong, by: str = "part", timing: str = "felt") -> WrittenMidi:
    played = perform_song(song.arrangement, straight=timing == "straight")
    maps = {part.id: {voice.role: voice.midi_note for voice in song.kits[part.kit_key].voices} for part in song.parts}
    return write_song_midi(played, maps, name=song.name, by=by)


def song_as_audio(reader: Reads, song: LoadedSong) -> MeasuredMix:
    played = perform_song(song.arrangement)
    layers = [(at_s, render_loop_layer(reader, one, stack)) for at_s, one, stack in layers_in_song(song, played)]
    return mix_song(played, song.kits, samples=song.samples, layers=layers, name=song.name)
