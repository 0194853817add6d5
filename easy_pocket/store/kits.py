"""Kits as rows; the house kits are written at every start, so that they follow the program's version."""

from __future__ import annotations

import json
from dataclasses import asdict
from functools import lru_cache
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import Kit, KitVoice, Sound, audio_key
from easy_pocket.store.models import KitRow


def save_house_kits(session: Session) -> None:
    for kit in HOUSE_KITS.values():
        voices = [asdict(voice) for voice in kit.voices]
        row = session.get(KitRow, kit.key)
        if row is None:
            session.add(KitRow(key=kit.key, name=kit.name, voices=voices))
        elif row.voices != voices or row.name != kit.name:
            row.voices, row.name = voices, kit.name


def kit_from_row(row: KitRow) -> Kit:
    return _kit(row.key, row.name, json.dumps(row.voices))


@lru_cache(maxsize=64)
def _kit(key: str, name: str, voices: str) -> Kit:
    return Kit(key, name, tuple(_voice(doc) for doc in json.loads(voices)))


def _voice(doc: dict[str, Any]) -> KitVoice:
    return KitVoice(doc["role"], Sound(**doc["sound"]), doc["level_db"], doc["pan"])


def load_kit(session: Session, key: str) -> Kit:
    row = session.get(KitRow, key)
    if row is None:
        raise BadValueError(f"There is no kit '{key[:40]}'.")
    return kit_from_row(row)


def all_kits(session: Session) -> list[Kit]:
    return [kit_from_row(row) for row in session.scalars(select(KitRow).order_by(KitRow.name))]


def find_voice(session: Session, key_without_zone: str) -> KitVoice | None:
    """The voice whose sound has this content key, in any kit."""
    for kit in all_kits(session):
        for voice in kit.voices:
            if audio_key(voice, 0).rpartition("-")[0] == key_without_zone:
                return voice
    return None
