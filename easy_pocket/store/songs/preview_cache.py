"""A song held for a moment: what is tried many times a second is not read anew each time."""

from __future__ import annotations

from time import monotonic

from easy_pocket.caches import ByteCache
from easy_pocket.store.database import Database
from easy_pocket.store.history.undo_log import StaleRevisionError
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.selection import Selection

HELD_BYTES = 8 << 20  # of one, about: eight of them are held
HELD_S = 3.0  # a kit that is edited in another tab meanwhile is heard that much later

_held: ByteCache[tuple[float, LoadedSong]] = ByteCache("songs that are tried on", 64 << 20, lambda kept: HELD_BYTES)


def preview_song(database: Database, song_id: int, selection: Selection, revision: int) -> LoadedSong:
    """The song as it is at this revision, for computing with. Raises StaleRevisionError when it was changed since,
    MissingSongError when it is gone."""
    key = (database.url, database.viewer, selection, song_id)
    read_at, song = _held.find(key) or (0.0, None)
    if song is not None and song.revision == revision and monotonic() - read_at < HELD_S:
        return song
    song = read_song(database.reader, song_id, selection)
    if song.revision != revision:
        raise StaleRevisionError([])
    _held.put(key, (monotonic(), song))
    return song
