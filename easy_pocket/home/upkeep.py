"""What is done by itself while the program runs: a dump a day, the bin emptied, audio nobody refers to taken out."""

from __future__ import annotations

import logging
import os
import socket
from datetime import UTC, datetime, timedelta
from pathlib import Path
from threading import Event, Thread

from sqlalchemy import func, select
from sqlalchemy.exc import SQLAlchemyError

from easy_pocket.home.dumps import DAILY, daily_dumps, make_dump
from easy_pocket.home.folder import LaunchError
from easy_pocket.store.agreed import forget_done, lease
from easy_pocket.store.bin import empty_things
from easy_pocket.store.database import Database
from easy_pocket.store.made.made import made
from easy_pocket.store.people.links import forget_guests
from easy_pocket.store.people.sign_ins import forget_old
from easy_pocket.store.schema.tables import SongRow
from easy_pocket.store.songs.shelf import empty_bin
from easy_pocket.store.upkeep import clean_audio, unused_audio

log = logging.getLogger(__name__)
SETTING = "EASY_POCKET_DUMPS"  # "daily" (also when it is not set), or "off"
FIRST_S, EVERY_S = 120.0, 3600.0
DAY = timedelta(hours=20)  # so that it happens once a day, whenever the program is started
STOP_S = 30.0


class Upkeep:
    """Begun in the background, once an hour; it must be stopped before the program ends."""

    def __init__(self, store: Database, home: Path) -> None:
        self._enough = Event()
        self._candidates: set[str] = set()
        self._holder = f"{socket.gethostname()}:{os.getpid()}"
        self._thread = Thread(target=self._run, args=(store, home), name="upkeep", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        self._enough.set()
        self._thread.join(STOP_S)

    def _run(self, store: Database, home: Path) -> None:
        wait_s = FIRST_S
        while not self._enough.wait(wait_s):
            wait_s = EVERY_S
            try:
                # Of several processes one does it, an hour at a time.
                if lease(store, "upkeep", self._holder, EVERY_S - FIRST_S):
                    self._candidates = keep_up(store, home, self._candidates)
            except (SQLAlchemyError, LaunchError, OSError):
                log.exception("upkeep failed; it is tried again in an hour")


def keep_up(store: Database, home: Path, candidates: set[str]) -> set[str]:
    """One round. candidates: audio that nothing referred to in the round before; gives those of this round."""
    if os.environ.get(SETTING, DAILY) != "off" and dump_is_due(store, home):
        log.info("a dump was made", extra={"facts": {"dump": make_dump(home, store.url, DAILY).name}})
    with store.transaction() as session:
        gone, things = empty_bin(session), empty_things(session)
        forget_old(session)
        forget_guests(session)
        forget_done(session)
    unused = unused_audio(store)
    cleaned = clean_audio(store, candidates & unused)
    made.place.clean()
    if gone or things or cleaned:
        log.info("cleaned", extra={"facts": {"songs": gone, "things": things, "audio": cleaned}})
    return unused


def dump_is_due(store: Database, home: Path, now: datetime | None = None) -> bool:
    """Whether a day went by since the last one, and a song was changed since."""
    newest: datetime | None = store.reader.scalar(select(func.max(SongRow.changed_at)))
    if newest is None:
        return False
    made = daily_dumps(home)
    if not made:
        return True
    last = datetime.fromtimestamp(made[-1].stat().st_mtime, UTC)
    return (now or datetime.now(UTC)) - last > DAY and newest.replace(tzinfo=UTC) > last
