"""A pattern of a song of the shelf where a command wants a beat: song:NAME, with :PART and :PATTERN behind it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from easy_pocket.cli.on_shelf import find_song, on_shelf
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.exchange import ReadPattern
from easy_pocket.store.database import Database
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedPart, LoadedPattern

PREFIX = "song:"


def beat_of_song(path: str) -> ReadPattern:
    """What is written, at the song's tempo. Raises BadValueError when there is no such song, part or pattern."""
    name, *inside = path.removeprefix(PREFIX).split(":")
    found: list[ReadPattern] = []

    def reading(database: Database) -> None:
        song = read_song(database.reader, find_song(database.reader, name))
        part: LoadedPart = _named(song.parts, inside[0], "part") if inside else song.parts[0]
        pattern: LoadedPattern = _named(part.patterns, inside[1], "pattern") if inside[1:] else part.patterns[0]
        found.append(ReadPattern(pattern.pattern, song.base_tempo_bpm))

    on_shelf(reading)
    return found[0]


def _named(rows: Iterable[Any], wanted: str, what: str) -> Any:
    known = list(rows)
    row = next((one for one in known if one.name.lower() == wanted.lower() or str(one.id) == wanted), None)
    if row is None:
        names = ", ".join(one.name for one in known)
        raise BadValueError(f"There is no {what} '{wanted[:60]}' in the song; there are {names}.")
    return row
