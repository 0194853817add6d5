"""Whether somebody may enter a song, and as what."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import select

from easy_pocket.store.database import Reads
from easy_pocket.store.schema.people_tables import MemberRow
from easy_pocket.store.schema.tables import SongRow
from easy_pocket.store.viewer import Viewer


def entered(reads: Reads, viewer: Viewer, song_id: int) -> Viewer | None:
    """The viewer with this song opened to them: their own, or one they write in. None: it is not there for them.

    reads: of everybody, since the song may be somebody else's.
    """
    member = MemberRow.song_id == SongRow.id, MemberRow.person_id == viewer.person
    asked = select(SongRow.owner_id, MemberRow.link_id).outerjoin(MemberRow, member[0] & member[1])
    found = reads.execute(asked.where(SongRow.id == song_id)).first()
    if found is None:
        return None
    owner, link = found
    if owner == viewer.person:
        return replace(viewer, song=song_id, song_owner=owner)
    return None if link is None else replace(viewer, song=song_id, song_owner=owner)
