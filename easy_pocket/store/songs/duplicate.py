"""A copy of a song with all that is its own; it starts an undo log of its own."""

from __future__ import annotations

from sqlalchemy.orm import Session

from easy_pocket.store.schema.tables import SongRow
from easy_pocket.store.songs.create import MAX_NAME
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.open_rows import OnShelf, open_rows
from easy_pocket.store.songs.song_doc import doc_here


def duplicate_song(session: Session, song_id: int) -> SongRow:
    """Kits and grooves are shared, as they are by all songs."""
    name = f"{load_song(session, song_id).row.name[: MAX_NAME - 5]} copy"
    doc = doc_here(session, song_id, [])
    shared = {table: {one["id"]: one["id"] for one in doc[table]} for table in ("kits", "grooves")}
    return open_rows(session, doc, name, OnShelf(**shared))
