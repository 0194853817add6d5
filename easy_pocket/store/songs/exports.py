"""What is taken away of a song, in any format: read here, written by the format."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from easy_pocket.core.formats.exchange import KitToWrite, PartLine, PatternToWrite, SongToWrite
from easy_pocket.core.formats.registry import Format, Of
from easy_pocket.core.progress import OnProgress, no_progress
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.core.song.song_mix import starts_early
from easy_pocket.core.sound.events import audible
from easy_pocket.store.database import Reader
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.mixes import pattern_to_mix, played_parts, song_to_mix
from easy_pocket.store.songs.other_parts import PlacedPart, other_parts_at
from easy_pocket.store.songs.selection import Selection
from easy_pocket.store.songs.stack_playing import heard_parts


def pattern_to_write(reader: Reader, song: LoadedSong, options: Any, on_progress: OnProgress) -> PatternToWrite:
    """What plays with the pattern that is looked at, exactly as long as it is; what is muted is left out."""
    straight = options.timing == "straight"
    performance = song.performance(straight=straight)
    alone = getattr(options, "only", "all") == "part"
    sounding = heard_parts(song)
    others = (
        ()
        if alone
        else tuple(_line(song, one) for one in other_parts_at(song, straight=straight) if one.part.key in sounding)
    )
    mine = alone or song.part.id in sounding
    return PatternToWrite(
        performance,
        song.name,
        section=song.section_name,
        note_map=song.notes_of(song.kit.key),
        heard=audible(performance.hits.voices, song.mix) if mine else (),
        loop=True,
        mix=partial(pattern_to_mix, reader, song, options.timing, on_progress=on_progress),
        part=song.part.name if len(song.parts) > 1 else "Drums",
        others=others,
    )


def _line(song: LoadedSong, one: PlacedPart) -> PartLine:
    """A part beside the pattern."""
    voices = one.performance.hits.voices
    notes = song.notes_of(one.part.kit)
    return PartLine(one.part.name, one.performance.hits, one.struck, notes, audible(voices, one.part.mix))


def song_to_write(reader: Reader, song: LoadedSong, options: Any, on_progress: OnProgress) -> SongToWrite:
    straight = getattr(options, "timing", "felt") == "straight"
    played = perform_song(song.arrangement, straight=straight)
    return SongToWrite(
        played,
        song.name,
        {part.id: song.notes_of(part.kit_key) for part in song.parts},
        mix=partial(song_to_mix, reader, song, on_progress=on_progress),
        stage=song.stage,
        early=starts_early([one.columns for one in played_parts(song, played)]),
    )


def kit_to_write(_reader: Reader, song: LoadedSong, _options: Any, _on_progress: OnProgress) -> KitToWrite:
    return KitToWrite(song.kit, song.samples, song.tempo_bpm)


GIVEN: Mapping[Of, Callable[[Reader, LoadedSong, Any, OnProgress], Any]] = {
    "pattern": pattern_to_write,
    "song": song_to_write,
    "kit": kit_to_write,
}


def export_file(
    reader: Reader,
    song_id: int,
    selection: Selection,
    as_format: Format,
    options: Any,
    on_progress: OnProgress = no_progress,
) -> tuple[str, bytes]:
    """Read a song and write it: its title and the bytes of the file."""
    song = read_song(reader, song_id, selection)
    name = song.kit.name if as_format.of == "kit" else song.name
    return name, write_song(reader, song, as_format, options, on_progress)


def write_song(
    reader: Reader, song: LoadedSong, as_format: Format, options: Any, on_progress: OnProgress = no_progress
) -> bytes:
    """Write a song that is read already."""
    return as_format.written(GIVEN[as_format.of](reader, song, options, on_progress), options).data
