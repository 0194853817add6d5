"""The whole song as a MIDI file with all its parts."""

from __future__ import annotations

from easy_pocket.core.formats.midi_writing import WrittenMidi
from easy_pocket.core.formats.song_midi import write_song_midi
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.store.songs.loaded import LoadedSong


def song_as_midi(song: LoadedSong, by: str = "part", timing: str = "felt") -> WrittenMidi:
    played = perform_song(song.arrangement, straight=timing == "straight")
    maps = {part.id: song.notes_of(part.kit_key) for part in song.parts}
    return write_song_midi(played, maps, name=song.name, by=by)
