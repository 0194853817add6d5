"""Rendering the sounds of the songs worked on last before they are asked for, so that the first Play does not wait.
Then listening for a moment, so that the first loop does not."""

from __future__ import annotations

from threading import Event, Thread

from sqlalchemy.exc import SQLAlchemyError

from easy_pocket.core.errors import PocketError
from easy_pocket.core.listen.rehearsal import rehearse
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.store.database import Database
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.shelf import shelf

SONGS = 3
STOP_S = 5.0
BREATH_S = 0.004  # between two sounds, so that pages come first


class WarmUp:
    """Begun in the background; it ends by itself, or when it is stopped. It must be stopped before the program ends: a
    thread that still computes then takes the whole program down."""

    def __init__(self, store: Database) -> None:
        self._enough = Event()
        self._thread = Thread(target=self._run, args=(store,), name="warm-up", daemon=True)
        self._thread.start()

    def wait(self, seconds: float) -> bool:
        """Whether it has ended by itself within so many seconds."""
        self._thread.join(seconds)
        return not self._thread.is_alive()

    def stop(self) -> None:
        """Returns once the sound that is being rendered is done, or after STOP_S."""
        self._enough.set()
        self._thread.join(STOP_S)

    def _run(self, store: Database) -> None:
        try:
            for song in shelf(store.reader)[:SONGS]:
                loaded = read_song(store.reader, song.id)
                for voice in loaded.kit.voices:
                    for number in reversed(range(len(voice.stretches)) if voice.role in loaded.part.voices else ()):
                        voice_audio(voice, number, loaded.samples)
                        if self._enough.wait(BREATH_S):
                            return
            rehearse()
        except (SQLAlchemyError, PocketError):
            return  # nothing depends on it: what is missing is rendered when it is asked for
