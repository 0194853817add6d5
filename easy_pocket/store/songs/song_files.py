"""The whole song as files: MIDI with all its parts, and the mix with the loops under it."""

from __future__ import annotations

from easy_pocket.core.formats.midi import WrittenMidi
from easy_pocket.core.formats.song_midi import write_song_midi
from easy_pocket.core.song.perform_song import play_song
from easy_pocket.core.song.song_mix import mix_song
from easy_pocket.core.sound.headroom import Mixed
from easy_pocket.store.loops.layered_loop_audio import render_under
from easy_pocket.store.loops.song_loops import under_in_song
from easy_pocket.store.songs.load import LoadedSong


def song_as_midi(song: LoadedSong, by: str = "part", timing: str = "felt") -> WrittenMidi:
    played = play_song(song.arrangement, straight=timing == "straight")
    maps = {
        part.row.id: {voice.role: voice.midi_note for voice in song.kits[part.row.kit_key].voices}
        for part in song.parts
    }
    return write_song_midi(played, maps, name=song.row.name, by=by)


def song_as_audio(song: LoadedSong) -> Mixed:
    played = play_song(song.arrangement)
    under = [(at_s, render_under(song.reader, one, stack)) for at_s, one, stack in under_in_song(song, played)]
    return mix_song(played, song.kits, samples=song.samples, under=under, name=song.row.name)
