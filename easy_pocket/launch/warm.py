"""Rendering the sounds of the songs worked on last before they are asked for, so that the first Play does not wait."""

from __future__ import annotations

import time
from threading import Thread

from sqlalchemy.exc import SQLAlchemyError

from easy_pocket.core.errors import PocketError
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.store.database import Database
from easy_pocket.store.samples import sample_source
from easy_pocket.store.songs import load_song, shelf

SONGS = 3
BREATH_S = 0.004  # between two sounds, so that pages come first


def warm_up(store: Database) -> Thread:
    """Begin in the background; it ends by itself, and with the program."""
    thread = Thread(target=_warm, args=(store,), name="warm-up", daemon=True)
    thread.start()
    return thread


def _warm(store: Database) -> None:
    try:
        with store.transaction() as session:
            samples = sample_source(session)
            for song in shelf(session)[:SONGS]:
                loaded = load_song(session, song.row.id)
                for voice in loaded.kit.voices:
                    for number in reversed(range(len(voice.stretches)) if voice.role in loaded.part.voices else ()):
                        voice_audio(voice, number, samples)
                        time.sleep(BREATH_S)
    except (SQLAlchemyError, PocketError):
        return  # nothing depends on it: what is missing is rendered when it is asked for
