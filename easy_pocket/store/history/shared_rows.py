"""Kits and grooves belong to all songs: which songs use one, so that they are held together and told of a change."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import select

from easy_pocket.store.database import Reads
from easy_pocket.store.history.undo_log import Patch
from easy_pocket.store.schema.tables import PartRow, SectionRow, SongRow
from easy_pocket.store.scope import of_everybody


def shared_by(patches: Iterable[Patch]) -> set[str]:
    """Names of the kits and grooves that these patches change, as "kit KEY" and "groove ID". A groove that comes onto
    the shelf or leaves it changes no song."""
    found = set()
    for patch in patches:
        if patch["table"] == "kit":
            found.add(f"kit {patch['id']}")
        elif patch["table"] == "template" and set(patch.get("fields", {})) - {"removed"}:
            found.add(f"groove {patch['id']}")
    return found


def users_of(session: Reads, names: Iterable[str]) -> set[int]:
    """Ids of the songs that use any of them."""
    found: set[int] = set()
    for name in names:
        kind, _, key = name.partition(" ")
        if kind == "kit":
            found |= set(session.scalars(select(PartRow.song_id).where(PartRow.kit_key == key)).all())
        else:
            found |= _leaning_on(session, int(key))
    return found


def _leaning_on(session: Reads, groove_id: int) -> set[int]:
    found = set()
    for song, feel in session.execute(of_everybody(select(SongRow.id, SongRow.feel))).all():
        found |= {song} if feel.get("template_id") == groove_id else set()
    for song, feel, voices in session.execute(select(PartRow.song_id, PartRow.feel, PartRow.voice_feel)).all():
        if any(doc.get("template_id") == groove_id for doc in (feel, *voices.values())):
            found.add(song)
    for song, cells in session.execute(select(SectionRow.song_id, SectionRow.cells)).all():
        if any((cell or {}).get("feel", {}).get("template_id") == groove_id for cell in cells.values()):
            found.add(song)
    return found
