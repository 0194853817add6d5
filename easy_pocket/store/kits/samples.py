"""Recorded audio of sounds: kept by content, read once, and handed to the core as it is asked for."""

from __future__ import annotations

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.caches import ByteCache
from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.audio_file import read_audio, write_audio
from easy_pocket.core.sound.sample_format import Frames, fixed
from easy_pocket.core.sound.sound import SampleSource
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.store.database import Reads
from easy_pocket.store.people.quotas import check_kept_already
from easy_pocket.store.schema.tables import AudioRow

SAMPLE_BYTES = 256 << 20
MIN_STORED_FRAMES = 64  # what the audio reader takes

_samples: ByteCache[Frames] = ByteCache("recordings", SAMPLE_BYTES)


def save_samples(session: Session, audio: dict[str, Frames]) -> None:
    """Keep audio by its content key; what is there already is left alone."""
    if not audio:
        return
    asked = select(AudioRow.hash).where(AudioRow.hash.in_(list(audio)))
    known = set(session.scalars(asked.with_for_update(read=True)))  # held against being cleaned away
    check_kept_already(session, known)
    for key, x in audio.items():
        if key in known:
            continue
        if len(x) < MIN_STORED_FRAMES:
            x = np.pad(x, ((0, MIN_STORED_FRAMES - len(x)), (0, 0)))
        loud = float(np.abs(x).max(initial=0.0)) > 1.0
        kind, bits = ("WAV", 32) if loud else ("FLAC", 24)
        session.add(AudioRow(hash=key, kind=kind, data=write_audio(Audio(x, RATE_HZ, key), kind, bits)))
    session.flush()


def sample_source(session: Reads) -> SampleSource:
    """Recordings by content key, from the database. The source of a session is good as long as that is."""

    def load(key: str) -> Frames:
        row = session.get(AudioRow, key)
        if row is None:
            raise BadValueError(f"The audio {key[:12]} of a sampled sound is not in the database any more.")
        return fixed(np.ascontiguousarray(read_audio(row.data, key[:12]).samples))

    return lambda key: _samples.get(key, lambda: load(key))
