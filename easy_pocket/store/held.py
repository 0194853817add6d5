"""A song held for a moment: what is tried many times a second is not read anew each time."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock
from time import monotonic

from easy_pocket.store.changes import StaleRevisionError
from easy_pocket.store.database import Database
from easy_pocket.store.looking import Looking
from easy_pocket.store.songs import LoadedSong, read_song

HELD_S = 3.0  # a kit that is edited in another tab meanwhile is heard that much later
MOST_HELD = 8

_held: OrderedDict[tuple[str, Looking, int], tuple[float, LoadedSong]] = OrderedDict()
_lock = Lock()


def held_song(database: Database, song_id: int, looking: Looking, revision: int) -> LoadedSong:
    """The song as it is at this revision, for computing with. Raises StaleRevisionError when it was changed since,
    MissingSongError when it is gone."""
    key = (database.url, looking, song_id)
    with _lock:
        read_at, song = _held.get(key, (0.0, None))
    if song is not None and song.row.revision == revision and monotonic() - read_at < HELD_S:
        return song
    song = read_song(database.reader, song_id, looking)
    if song.row.revision != revision:
        raise StaleRevisionError([])
    with _lock:
        _held[key] = (monotonic(), song)
        _held.move_to_end(key)
        while len(_held) > MOST_HELD:
            _held.popitem(last=False)
    return song
