"""The library: every sound with what was measured of it, found through one index held in memory."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from threading import Lock
from typing import Any

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.pattern.voices import check_voice
from easy_pocket.core.sound.character import Character, measure
from easy_pocket.core.sound.library import SoundIndex
from easy_pocket.core.sound.sound import SampleSource, Sound, sound_from_doc, struck
from easy_pocket.core.sound.velocity import HARD_VELOCITY
from easy_pocket.store.database import Reads, reader_of
from easy_pocket.store.schema.tables import SoundRow

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
        raise BadValueError("This sound is not in the library any more: choose another.")
    return row


def sound_of(row: SoundRow) -> Sound:
    return sound_from_doc(row.doc)


def set_favourite(session: Session, sound_id: int, favourite: bool) -> SoundRow:
    row = get_sound(session, sound_id)
    row.favourite, row.version = favourite, _next_version(session)
    return row


def rename_sound(session: Session, sound_id: int, name: str | None, role: str | None) -> SoundRow:
    """Give it another name, another role, or both; None leaves what it has."""
    row = get_sound(session, sound_id)
    row.name, row.version = name or row.name, _next_version(session)
    row.role = row.role if role is None else check_voice(role)
    return row


def remove_sound(session: Session, sound_id: int, removed: bool = True) -> SoundRow:
    """Take it out of the library, or put it back; kits that use it keep it."""
    row = session.get(SoundRow, sound_id)
    if row is None:
        raise BadValueError("There is no such sound.")
    row.removed, row.version = removed, _next_version(session)
    row.removed_at = datetime.now(UTC).replace(tzinfo=None) if removed else None
    return row


def mark_used(session: Session, sound_id: int) -> None:
    row = get_sound(session, sound_id)
    row.used_at, row.version = datetime.now(UTC).replace(tzinfo=None), _next_version(session)


class _Held:
    """What is known of every sound as it was at a version of the library, and the index made of it."""

    url = ""
    version = -1
    rows: dict[int, Any] = {}  # noqa: RUF012 - one library per process
    index: SoundIndex | None = None


_lock = Lock()
INDEXED = (
    SoundRow.id, SoundRow.name, SoundRow.role, SoundRow.source, SoundRow.bright_hz, SoundRow.length_s, SoundRow.noisy,
    SoundRow.thirds_db, SoundRow.favourite, SoundRow.used_at, SoundRow.removed,
)  # fmt: skip


def sound_index(session: Reads) -> SoundIndex:
    """All sounds that are not taken out, as columns. Only what changed since the last time is read."""
    with _lock:
        url = str(reader_of(session).engine.url)
        version = session.scalar(select(func.max(SoundRow.version))) or 0
        if _Held.url != url or version < _Held.version:
            _Held.url, _Held.version, _Held.rows, _Held.index = url, -1, {}, None
        if _Held.index is None or _Held.version != version:
            newer = select(*INDEXED).where(SoundRow.version > _Held.version).order_by(SoundRow.id)
            changed: list[Any] = list(session.execute(newer))
            _Held.rows.update({row.id: row for row in changed})
            _Held.index = _with_changes(_Held.index, changed)
            _Held.version = version
        return _Held.index


def _with_changes(index: SoundIndex | None, changed: list[Any]) -> SoundIndex:
    """Sounds that came or went make the index anew; a name, a star or a use does not."""
    same = index is not None and all(row.id in index.place_of and not row.removed for row in changed)
    if index is None or not same or len(changed) > MOST_AT_ONCE:
        return _index([row for row in _Held.rows.values() if not row.removed])
    for row in changed:
        place, used_at = index.place_of[row.id], _seconds(row.used_at)
        index = index.with_row(place, row.name, row.role, row.favourite, used_at)
    return index


def _seconds(used_at: datetime | None) -> float:
    return (used_at - EPOCH).total_seconds() if used_at else 0.0


def _index(rows: list[Any]) -> SoundIndex:
    thirds = np.frombuffer(b"".join(row.thirds_db for row in rows), dtype="<f4").reshape(len(rows), -1)
    return SoundIndex(
        ids=np.array([row.id for row in rows], dtype=np.int64),
        names=tuple(row.name for row in rows),
        roles=np.array([row.role for row in rows], dtype=np.str_),
        sources=np.array([row.source for row in rows], dtype=np.str_),
        bright_hz=np.array([row.bright_hz for row in rows], dtype=np.float64),
        length_s=np.array([row.length_s for row in rows], dtype=np.float64),
        noisy=np.array([row.noisy for row in rows], dtype=np.float64),
        thirds_db=thirds if len(rows) else np.zeros((0, 30), dtype=np.float32),
        favourite=np.array([row.favourite for row in rows], dtype=np.bool_),
        used_at=np.array([_seconds(row.used_at) for row in rows], dtype=np.float64),
    )


def sounds_by_id(session: Reads, ids: list[int]) -> list[SoundRow]:
    """Rows in the order asked for."""
    found = {row.id: row for row in session.scalars(select(SoundRow).where(SoundRow.id.in_(ids)))}
    return [found[key] for key in ids if key in found]
