"""How much one person may keep and have done at once, where there are accounts. Checked when a song or audio is about
to be kept, whichever way it came."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Text, cast, event, func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError
from easy_pocket.store.database import Reads, viewer_of
from easy_pocket.store.schema.people_tables import PersonRow
from easy_pocket.store.schema.tables import AudioRow, KitRow, LoopRow, PartRow, SongRow, SoundRow, TakeRow
from easy_pocket.store.scope import of_everybody
from easy_pocket.store.upkeep import HASH

SETTING = "EASY_POCKET_QUOTA_"
DEFAULTS = {"songs": 500, "audio_mb": 2000, "jobs": 3}


@dataclass(frozen=True)
class Usage:
    """What somebody has, and what they may have."""

    songs: int
    audio_mb: float
    most_songs: int
    most_audio_mb: int
    most_jobs: int


def allowed_of(quotas: dict[str, Any]) -> dict[str, int]:
    """Their own quotas, else the server's (EASY_POCKET_QUOTA_SONGS, _AUDIO_MB, _JOBS)."""
    found = {}
    for name, default in DEFAULTS.items():
        told = os.environ.get(SETTING + name.upper(), "")
        found[name] = int(quotas.get(name, told if told.isdigit() else default))
    return found


def set_quotas(session: Session, person_id: int, **quotas: int) -> None:
    row = session.get(PersonRow, person_id)
    if row is None:
        raise BadValueError("This account is gone already.")
    row.quotas = quotas


def used_and_allowed(reads: Reads, person_id: int) -> Usage:
    row = reads.get(PersonRow, person_id)
    allowed = allowed_of(row.quotas if row else {})
    songs = reads.scalar(of_everybody(select(func.count(SongRow.id)).where(SongRow.owner_id == person_id))) or 0
    audio_mb = audio_bytes(reads, person_id) / 1e6
    return Usage(songs, audio_mb, allowed["songs"], allowed["audio_mb"], allowed["jobs"])


def most_jobs(reads: Reads, person_id: int) -> int:
    row = reads.get(PersonRow, person_id)
    return allowed_of(row.quotas if row else {})["jobs"]


def audio_bytes(reads: Reads, person_id: int) -> int:
    """Of all audio that what is theirs names, each counted once; steps to undo are not looked at."""
    return _bytes_of(reads, _audio_keys(reads, person_id))


def _bytes_of(reads: Reads, keys: set[str]) -> int:
    if not keys:
        return 0
    return int(reads.scalar(select(func.sum(func.length(AudioRow.data))).where(AudioRow.hash.in_(keys))) or 0)


def _audio_keys(reads: Reads, person_id: int) -> set[str]:
    mine = select(SongRow.id).where(SongRow.owner_id == person_id)
    asked = (
        select(LoopRow.audio_hash).where(LoopRow.song_id.in_(mine)),
        select(cast(SongRow.guide, Text)).where(SongRow.owner_id == person_id, SongRow.guide.is_not(None)),
        select(cast(SongRow.stage, Text)).where(SongRow.owner_id == person_id, SongRow.stage.is_not(None)),
        select(cast(PartRow.mix, Text)).where(PartRow.song_id.in_(mine)),
        select(cast(TakeRow.settings, Text)).where(TakeRow.song_id.in_(mine)),
        select(cast(SoundRow.doc, Text)).where(SoundRow.owner_id == person_id),
        select(cast(KitRow.voices, Text)).where(KitRow.owner_id == person_id),
    )
    keys: set[str] = set()
    for one in asked:
        for text in reads.scalars(of_everybody(one)):
            keys.update(HASH.findall(text if isinstance(text, str) else json.dumps(text)))
    return keys


def check_kept_already(session: Session, keys: set[str]) -> None:
    """Audio that lies in the database already may be somebody else's: raises BadValueError when what of it the viewer
    has not yet is more than they may have. (New audio is checked when it is written.) keys: hashes."""
    viewer = viewer_of(session)
    if viewer is None or not keys:
        return
    with session.no_autoflush:
        person = viewer.song_owner or viewer.person
        others = _bytes_of(session, keys - _audio_keys(session, person))
        _refuse_audio(used_and_allowed(session, person), others)


def _refuse_audio(usage: Usage, size: int) -> None:
    if size and usage.audio_mb + size / 1e6 > usage.most_audio_mb:
        raise BadValueError(
            f"This has {size / 1e6:.0f} MB of audio; with what you have that is more than your "
            f"{usage.most_audio_mb} MB: take out loops you do not need, or ask the owner of the server for more."
        )


@event.listens_for(Session, "before_flush")
def _refuse_too_much(session: Session, context: Any, instances: Any) -> None:
    viewer = viewer_of(session)
    if viewer is None or not session.new:
        return
    songs = sum(isinstance(row, SongRow) for row in session.new)
    audio = sum(len(row.data) for row in session.new if isinstance(row, AudioRow))
    if not songs and not audio:
        return
    with session.no_autoflush:
        person = viewer.song_owner or viewer.person
        usage = used_and_allowed(session, person)
    if songs and usage.songs + songs > usage.most_songs:
        raise BadValueError(
            f"You have {usage.songs} songs, and may have {usage.most_songs}: empty the bin, delete some, or ask the "
            "owner of the server for more."
        )
    _refuse_audio(usage, audio)
