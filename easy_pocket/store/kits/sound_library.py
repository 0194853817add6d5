"""The library: every sound with what was measured of it, found through one index held in memory."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime
from threading import Lock
from typing import Any

import numpy as np
from cachetools import LRUCache
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, NotThereError
from easy_pocket.core.pattern.voices import check_voice
from easy_pocket.core.sound.character import Character, measure
from easy_pocket.core.sound.library import SoundIndex
from easy_pocket.core.sound.sound import SampleSource, Sound, sound_from_doc, struck
from easy_pocket.core.sound.velocity import HARD_VELOCITY
from easy_pocket.store.database import Reader, Reads, reader_of, viewer_of
from easy_pocket.store.kits.sound_marks import mark_sound, sound_marks
from easy_pocket.store.schema.people_tables import SoundMarkRow
from easy_pocket.store.schema.tables import HOUSE, SoundRow

MAX_SOUNDS = 20_000
MOST_AT_ONCE = 16  # changed sounds; more of them are quicker read anew
EPOCH = datetime(1970, 1, 1)


@dataclass(frozen=True)
class NewSound:
    name: str
    role: str
    source: str
    sound: Sound


def measured(sound: Sound, samples: SampleSource) -> Character:
    """Measure what the library is searched by."""
    return measure(struck(sound, HARD_VELOCITY, 1.0, samples))


def add_sounds(session: Session, new: Iterable[NewSound], samples: SampleSource) -> list[tuple[SoundRow, bool]]:
    """Measure sounds that are not known yet, and keep all of them; see `keep_measured`."""
    wanted = list(new)
    known = set(session.scalars(select(SoundRow.key).where(SoundRow.key.in_([one.sound.key for one in wanted]))))
    unknown = {one.sound.key: measured(one.sound, samples) for one in wanted if one.sound.key not in known}
    return keep_measured(session, [(one, unknown.get(one.sound.key)) for one in wanted])


def keep_measured(session: Session, new: Iterable[tuple[NewSound, Character | None]]) -> list[tuple[SoundRow, bool]]:
    """Keep sounds with what was measured of them (not needed of one that is there). One with the same content is there
    once. Gives each row, and whether it is new. A sound that was taken out of the library before comes back with the
    name given now."""
    rows: list[tuple[SoundRow, bool]] = []
    version = _next_version(session)
    for one, character in new:
        row = session.scalar(select(SoundRow).where(SoundRow.key == one.sound.key))
        if row is None:
            _refuse_when_full(session)
            assert character is not None, "a new sound is measured first"
            row = _row(one, character, version)
            session.add(row)
            session.flush()
            rows.append((row, True))
        else:
            back = row.removed
            if back:
                row.removed, row.name, row.role, row.version = False, one.name, one.role, version
                row.removed_at = None
            rows.append((row, back))
    return rows


def _refuse_when_full(session: Session) -> None:
    count = session.scalar(select(func.count(SoundRow.id))) or 0
    if count >= MAX_SOUNDS:
        raise BadValueError(f"The library holds {count} sounds, the most it can: take out what you do not use.")


def _row(new: NewSound, character: Character, version: int) -> SoundRow:
    return SoundRow(
        key=new.sound.key,
        name=new.name[:120],
        role=check_voice(new.role),
        source=new.source,
        doc=asdict(new.sound),
        bright_hz=round(character.bright_hz, 2),
        length_s=round(character.length_s, 4),
        noisy=round(character.noisy, 4),
        pitch_hz=None if character.pitch_hz is None else round(character.pitch_hz, 2),
        thirds_db=character.thirds_db.astype("<f4").tobytes(),
        picture=np.rint(character.picture * 255).astype(np.uint8).tobytes(),
        version=version,
    )


def _next_version(session: Session) -> int:
    return (session.scalar(select(func.max(SoundRow.version))) or 0) + 1


def get_sound(session: Reads, sound_id: int) -> SoundRow:
    row = session.get(SoundRow, sound_id)
    if row is None or row.removed:
        raise NotThereError("This sound is not in the library any more: choose another.")
    return row


def sound_of(row: SoundRow) -> Sound:
    return sound_from_doc(row.doc)


def _of_the_house(session: Session, row: SoundRow) -> bool:
    """With accounts, a sound of the house is everybody's: what somebody notes of it is kept beside it."""
    return viewer_of(session) is not None and row.owner_id == HOUSE


def _refuse_house(session: Session, row: SoundRow) -> None:
    if _of_the_house(session, row):
        raise BadValueError(f"{row.name} belongs to everybody here: it stays as it is.")


def set_favourite(session: Session, sound_id: int, favourite: bool) -> SoundRow:
    row = get_sound(session, sound_id)
    if _of_the_house(session, row):
        mark_sound(session, sound_id, favourite=favourite)
        session.expunge(row)
        row.favourite = favourite
        return row
    row.favourite, row.version = favourite, _next_version(session)
    return row


def rename_sound(session: Session, sound_id: int, name: str | None, role: str | None) -> SoundRow:
    """Give it another name, another role, or both; None leaves what it has."""
    row = get_sound(session, sound_id)
    _refuse_house(session, row)
    row.name, row.version = name or row.name, _next_version(session)
    row.role = row.role if role is None else check_voice(role)
    return row


def remove_sound(session: Session, sound_id: int, removed: bool = True) -> SoundRow:
    """Take it out of the library, or put it back; kits that use it keep it."""
    row = session.get(SoundRow, sound_id)
    if row is None:
        raise NotThereError("There is no such sound.")
    _refuse_house(session, row)
    row.removed, row.version = removed, _next_version(session)
    row.removed_at = datetime.now(UTC).replace(tzinfo=None) if removed else None
    return row


def mark_used(session: Session, sound_id: int) -> None:
    row, now = get_sound(session, sound_id), datetime.now(UTC).replace(tzinfo=None)
    if _of_the_house(session, row):
        mark_sound(session, sound_id, used_at=now)
    else:
        row.used_at, row.version = now, _next_version(session)


@dataclass
class _Held:
    """What is known of every sound as it was at a version of the library, and the index made of it."""

    version: int = -1
    rows: dict[int, Any] = field(default_factory=dict)
    index: SoundIndex | None = None


MOST_LIBRARIES = 16  # held at once: of so many people
_lock = Lock()
_held: LRUCache[tuple[str, int], _Held] = LRUCache(MOST_LIBRARIES)
INDEXED = (
    SoundRow.id, SoundRow.name, SoundRow.role, SoundRow.source, SoundRow.bright_hz, SoundRow.length_s, SoundRow.noisy,
    SoundRow.thirds_db, SoundRow.favourite, SoundRow.used_at, SoundRow.removed,
)  # fmt: skip


def sound_index(session: Reads) -> SoundIndex:
    """All sounds that are not taken out, as columns. Only what changed since the last time is read."""
    viewer = viewer_of(session)
    key = (str(reader_of(session).engine.url), viewer.person if viewer else -1)
    with _lock:
        version = session.scalar(select(func.max(SoundRow.version))) or 0
        held = _held.get(key) or _Held()
        if version < held.version:
            held = _Held()
        _held[key] = held
        if held.index is None or held.version != version:
            newer = select(*INDEXED).where(SoundRow.version > held.version).order_by(SoundRow.id)
            changed: list[Any] = list(session.execute(newer))
            held.rows.update({row.id: row for row in changed})
            held.index = _with_changes(held, changed)
            held.version = version
        index = held.index
    return index if viewer is None else _with_marks(index, sound_marks(session))


def _with_marks(index: SoundIndex, marks: dict[int, SoundMarkRow]) -> SoundIndex:
    for sound_id, mark in marks.items():
        place = index.place_of.get(sound_id)
        if place is not None:
            used_at = _seconds(mark.used_at)
            index = index.with_row(place, index.names[place], str(index.roles[place]), mark.favourite, used_at)
    return index


def _with_changes(held: _Held, changed: list[Any]) -> SoundIndex:
    """Sounds that came or went make the index anew; a name, a star or a use does not."""
    index = held.index
    same = index is not None and all(row.id in index.place_of and not row.removed for row in changed)
    if index is None or not same or len(changed) > MOST_AT_ONCE:
        return _index([row for row in held.rows.values() if not row.removed])
    for row in changed:
        place, used_at = index.place_of[row.id], _seconds(row.used_at)
        index = index.with_row(place, row.name, row.role, row.favourite, used_at)
    return index


def _seconds(used_at: datetime | None) -> float:
    return (used_at - EPOCH).total_seconds() if used_at else 0.0


def _index(rows: list[Any]) -> SoundIndex:
    thirds = np.frombuffer(b"".join(row.thirds_db for row in rows), dtype="<f4")
    return SoundIndex(
        ids=np.array([row.id for row in rows], dtype=np.int64),
        names=tuple(row.name for row in rows),
        roles=np.array([row.role for row in rows], dtype=np.str_),
        sources=np.array([row.source for row in rows], dtype=np.str_),
        bright_hz=np.array([row.bright_hz for row in rows], dtype=np.float64),
        length_s=np.array([row.length_s for row in rows], dtype=np.float64),
        noisy=np.array([row.noisy for row in rows], dtype=np.float64),
        thirds_db=thirds.reshape(len(rows), -1) if rows else np.zeros((0, 30), dtype=np.float32),
        favourite=np.array([row.favourite for row in rows], dtype=np.bool_),
        used_at=np.array([_seconds(row.used_at) for row in rows], dtype=np.float64),
    )


def sounds_by_id(session: Reads, ids: list[int]) -> list[SoundRow]:
    """Rows in the order asked for."""
    found = {row.id: row for row in session.scalars(select(SoundRow).where(SoundRow.id.in_(ids)))}
    if viewer_of(session) is not None and isinstance(session, Reader):  # rows that are read only
        for sound_id, mark in sound_marks(session).items():
            if sound_id in found:
                found[sound_id].favourite = mark.favourite
    return [found[key] for key in ids if key in found]
