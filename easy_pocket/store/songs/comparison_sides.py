"""What a performance can be compared with: the beat felt or straight, a snapshot, another song's beat, a loop."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import select

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.timing_comparison import Side, side_of
from easy_pocket.core.listen.loop_side import loop_performance, side_of_loop
from easy_pocket.core.text import whole_number
from easy_pocket.store.database import Reads, reader_of
from easy_pocket.store.loops.loops import analysis_from_doc, get_loop, named_loops
from easy_pocket.store.schema.tables import SongRow
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.snapshots import find_snapshot, snapshot_pattern, snapshots

MOST_SONGS = 60


def choices(reader: Reads, song: LoadedSong) -> list[tuple[str, str]]:
    """(key, name) of everything the song can be compared with."""
    found = [("felt", "felt"), ("straight", "straight")]
    found += [(f"snapshot-{row.id}", f"snapshot {row.name}") for row in snapshots(reader, song)]
    found += [(f"loop-{row.id}", f"loop {row.name}") for row in named_loops(reader, song.id)]
    others = select(SongRow.id, SongRow.name).where(SongRow.deleted_at.is_(None), SongRow.id != song.id)
    rows = reader.execute(others.order_by(SongRow.changed_at.desc()).limit(MOST_SONGS))
    return found + [(f"song-{key}", f"song {name}") for key, name in rows]


def side(reader: Reads, song: LoadedSong, key: str) -> tuple[Side, Performance]:
    """One side, at the song's tempo. Raises BadValueError for a key that means nothing here."""
    kind, _, numbered = key.partition("-")
    if kind in ("felt", "straight") and not numbered:
        performance = song.performance(straight=kind == "straight")
        return side_of(performance, kind), performance
    number = whole_number(numbered)
    if number is None:
        raise BadValueError(f"'{key[:30]}' is nothing to compare with: choose one of the list.")
    tempo_bpm = song.tempo_bpm
    if kind == "snapshot":
        row = find_snapshot(reader, song, number)
        then = replace(song, pattern=snapshot_pattern(song, row))
        return side_of(then.performance(), f"snapshot {row.name}"), then.performance()
    if kind == "song":
        other = read_song(reader_of(reader), number)
        performance = other.performance(tempo_bpm=tempo_bpm)
        return side_of(performance, other.name), performance
    if kind == "loop":
        loop = get_loop(reader, song.id, number)
        heard = analysis_from_doc(loop.found)
        performance = loop_performance(heard.onsets, heard.reading, tempo_bpm)
        return side_of_loop(heard.onsets, heard.reading, loop.name, tempo_bpm), performance
    raise BadValueError(f"'{key[:30]}' is nothing to compare with: choose one of the list.")
