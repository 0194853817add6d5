"""Kits as rows. House kits follow the program's version until somebody edits them."""

from __future__ import annotations

import json
import uuid
from collections.abc import Collection
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from sqlalchemy import ColumnElement, Text, func, or_, select, type_coerce
from sqlalchemy.orm import Session

from easy_pocket.caches import ByteCache
from easy_pocket.core.errors import BadValueError, NotThereError
from easy_pocket.core.sound.kit import Kit, KitVoice, voice_from_doc, voice_to_doc
from easy_pocket.samples import house_kits
from easy_pocket.store.database import Reads
from easy_pocket.store.made.made import made
from easy_pocket.store.schema.tables import HOUSE, KitRow, PartRow, SongRow
from easy_pocket.store.scope import of_everybody
from easy_pocket.store.viewer import told_to

MAX_KITS = 200
KIT_BYTES, VOICE_BYTES = 60_000, 12_000  # about, in memory


def save_house_kits(session: Session) -> None:
    for kit in house_kits().values():
        voices = json.loads(json.dumps([voice_to_doc(voice) for voice in kit.voices]))
        row = session.get(KitRow, kit.key)
        if row is None:
            session.add(KitRow(key=kit.key, name=kit.name, voices=voices, owner_id=HOUSE))
            continue
        row.owner_id = HOUSE
        if not row.edited and (row.voices != voices or row.name != kit.name):
            row.voices, row.name = voices, kit.name


def kit_from_row(row: KitRow) -> Kit:
    return _kit(row.key, row.name, json.dumps(row.voices), row.key_note)


_kits: ByteCache[Kit] = ByteCache("kits", 16 << 20, lambda kit: KIT_BYTES)
_voices: ByteCache[KitVoice] = ByteCache("voices of kits", 32 << 20, lambda voice: VOICE_BYTES)


def _kit(key: str, name: str, voices: str, key_note: int | None) -> Kit:
    def made() -> Kit:
        return Kit(key, name, tuple(_voice(json.dumps(doc)) for doc in json.loads(voices)), key_note)

    return _kits.get((key, name, voices, key_note), made)


def _voice(doc: str) -> KitVoice:
    """A voice that did not change is the same object, with what was computed of it."""
    return _voices.get(doc, lambda: voice_from_doc(json.loads(doc)))


def load_kit(session: Reads, key: str) -> Kit:
    row = session.get(KitRow, key)
    if row is None:
        raise NotThereError(f"There is no kit '{key[:40]}'.")
    return kit_from_row(row)


def load_kits(session: Reads, keys: Collection[str]) -> dict[str, Kit]:
    """Those a song names, by key, whosever they are. Raises BadValueError for one there is none of."""
    # Voices as the text they are kept as: a kit that is known is not read out of it again.
    voices = type_coerce(KitRow.voices, Text).label("voices")
    asked = select(KitRow.key, KitRow.name, voices, KitRow.key_note).where(KitRow.key.in_(keys))
    rows = {row.key: row for row in session.execute(of_everybody(asked))}
    for key in keys:
        if key not in rows:
            raise BadValueError(f"There is no kit '{key[:40]}'.")
    return {key: _kit(*rows[key]) for key in keys}


def add_kit(session: Session, kit: Kit) -> KitRow:
    """Add a kit of the user's own under a new key."""
    count = session.scalar(select(func.count(KitRow.key)).where(_there())) or 0
    if count >= MAX_KITS:
        raise BadValueError(f"There are {count} kits, the most there can be.")
    voices = [voice_to_doc(voice) for voice in kit.voices]
    row = KitRow(key=uuid.uuid4().hex, name=kit.name, voices=voices, key_note=kit.key_note, edited=True)
    session.add(row)
    session.flush()
    return row


def _there() -> ColumnElement[bool]:
    """Kits that are not in the bin; one a part plays on never is."""
    used = select(PartRow.kit_key).where(PartRow.removed.is_(False))
    return or_(KitRow.removed_at.is_(None), KitRow.key.in_(used))


def kit_names(session: Reads) -> dict[str, str]:
    """Names by key, in the order of the names."""
    rows = session.execute(select(KitRow.key, KitRow.name).where(_there()).order_by(KitRow.name, KitRow.key))
    return {row.key: row.name for row in rows}


@dataclass(frozen=True)
class ListedKit:
    """songs: names of those on the shelf that use it. house: it is not the user's to throw away."""

    key: str
    name: str
    voices: int
    songs: tuple[str, ...]
    house: bool


def listed_kits(reads: Reads) -> list[ListedKit]:
    """All kits in the order of their names."""
    used: dict[str, list[str]] = {}
    asked = (
        select(PartRow.kit_key, SongRow.name)
        .join(SongRow, SongRow.id == PartRow.song_id)
        .where(PartRow.removed.is_(False), SongRow.deleted_at.is_(None))
        .distinct()
        .order_by(SongRow.name)
    )
    for key, name in reads.execute(asked):
        used.setdefault(key, []).append(name)
    house = house_kits()
    rows = reads.scalars(select(KitRow).where(_there()).order_by(KitRow.name, KitRow.key))
    return [
        ListedKit(row.key, row.name, len(row.voices), tuple(used.get(row.key, ())), row.key in house) for row in rows
    ]


def throw_kit(session: Session, key: str) -> KitRow:
    """Into the bin. Raises BadValueError for one that a song plays on, or that is of the house."""
    row = session.get(KitRow, key, with_for_update=True)
    if row is None:
        raise NotThereError("This kit is gone already.")
    if key in house_kits():
        raise BadValueError(f"{row.name} belongs to the house: it stays.")
    songs = songs_with_kit(session, key)
    if songs:
        raise BadValueError(
            f"{songs} song{'s play' if songs > 1 else ' plays'} on {row.name}: put {'them' if songs > 1 else 'it'} on "
            "another kit first."
        )
    row.removed_at = datetime.now(UTC).replace(tzinfo=None)
    return row


def bring_kit_back(session: Session, key: str) -> KitRow:
    row = session.get(KitRow, key)
    if row is None:
        raise NotThereError("This kit is gone for good.")
    row.removed_at = None
    return row


def songs_with_kit(session: Reads, key: str) -> int:
    """How many songs on the shelf use this kit."""
    count = session.scalar(
        select(func.count(func.distinct(PartRow.song_id)))
        .join(SongRow, SongRow.id == PartRow.song_id)
        .where(PartRow.kit_key == key, PartRow.removed.is_(False), SongRow.deleted_at.is_(None))
    )
    return int(count or 0)


def all_kits(session: Reads) -> list[Kit]:
    return [kit_from_row(row) for row in session.scalars(select(KitRow).where(_there()).order_by(KitRow.name))]


_served: ByteCache[KitVoice] = ByteCache("voices told to pages", 32 << 20, lambda voice: VOICE_BYTES)


def register_voices(kit: Kit) -> None:
    """Register voices sent to the player, so that /audio/sounds/KEY can render unsaved ones."""
    for voice in kit.voices:
        for number in voice.sounds:
            struck = voice.alternate(number)
            key = f"{told_to()}{struck.role}-{struck.audio_base}"
            if _served.find(key) is None:
                _served.put(key, struck)
                made.put_value(f"voice/{key}", replace(struck))  # without what was computed of it


def find_voice(session: Reads, key_without_zone: str) -> KitVoice | None:
    """The voice whose sound has this content key: a registered one, or one of any kit."""
    key = told_to() + key_without_zone
    found = _served.find(key) or made.get_value(f"voice/{key}")
    if found is not None:
        return _served.put(key, found)
    for kit in all_kits(session):
        register_voices(kit)
    return _served.find(key)
