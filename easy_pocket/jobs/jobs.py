"""Work that a page follows: its progress is told, and it is stopped when it is not wanted any more. It is done beside
this process, or, with a queue, by workers anywhere; its state lies where all processes see it."""

from __future__ import annotations

import logging
import threading
import time
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from threading import Lock
from typing import Any

from easy_pocket.core.errors import NotThereError, PocketError
from easy_pocket.jobs import board
from easy_pocket.jobs.doing import Asked, Doing
from easy_pocket.jobs.job import JobFile, JobState
from easy_pocket.jobs.kinds import KINDS
from easy_pocket.jobs.workers import AT_ONCE, LONG_S, Workers
from easy_pocket.store.database import Database
from easy_pocket.store.viewer import told_to

log = logging.getLogger(__name__)

MOST_WAITING = 4  # of one process; each holds its file
MOST_FILES = 2  # that are kept until they are fetched, of one process
SILENT_S = 20.0  # who does it is heard of every few seconds
WAITING_S = 120.0  # in a queue; then its message may have been lost, and is sent again
MOST_TRIES = 2
LOST = "This work is not known any more: Easy Pocket was started anew meanwhile. Bring the file in again."
GIVEN_UP = "The worker that did it died twice: bring in less at once, or a simpler file."
FETCHED = "This file was fetched already, or made room for newer ones: export it again."


@dataclass
class _Own:
    """What this process does itself."""

    doing: Doing
    ended: bool = False


class Jobs:
    """Of one process. send: gives a job to a queue; none: it is done beside this process."""

    def __init__(self, workers: Workers, database: Database, send: Callable[[str], None] | None = None) -> None:
        self.workers, self.database, self.send = workers, database, send
        self._own: dict[str, _Own] = {}
        self._files: list[str] = []
        self._lock = Lock()
        self._waiting = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="job")
        self._ended = threading.Event()
        self._beat: threading.Thread | None = None

    def start(
        self,
        kind: str,
        arguments: tuple[Any, ...],
        asked: dict[str, Any] | None = None,
        *,
        database: Database | None = None,
        most_of_one: int = MOST_WAITING,
    ) -> str:
        """Have work of this kind done, and its result kept; the job's id. database: as who asks sees it. Raises
        PocketError when too much is under way."""
        seen = database or self.database
        key, whose = uuid.uuid4().hex, told_to()
        wanted = Asked(KINDS[kind].name, arguments, asked or {}, seen.viewer)
        with self._lock:
            under_way = [name for name, one in self._own.items() if not one.ended]
            if len(under_way) >= MOST_WAITING:
                words = f"{len(under_way)} long things are being done already: wait for one of them, or stop it."
                raise PocketError(words)
            own = board.under_way_of(whose)
            if len(own) >= most_of_one:
                raise PocketError(f"{len(own)} long things of yours are being done already: wait for one, or stop it.")
            board.note_of(whose, [*own, key])
            board.write(whose + key, JobState(seen_at=time.time()))
            if self.send is None:
                one = _Own(Doing(whose + key, wanted, seen))
                self._own[whose + key] = one
                self._begin_beat()
                self._waiting.submit(self._run, whose + key, one)
        if self.send is not None:
            board.ask(whose + key, wanted)
            self.send(whose + key)
        return key

    def _run(self, key: str, one: _Own) -> None:
        try:
            one.doing.run(self._computed)
        finally:
            one.ended = True
            with self._lock:
                self._make_room(key)

    def _computed(self, doing: Doing, arguments: tuple[Any, ...]) -> Any:
        """By a process beside this one, which can be ended at any moment."""
        kind = KINDS[doing.asked.kind]
        future = self.workers.schedule(kind.work, *arguments, seconds=LONG_S, on_progress=doing.progressed)
        doing.stopper = future.cancel
        if doing.stopped.is_set():
            future.cancel()
        return self.workers.wait(future, LONG_S)

    def _make_room(self, key: str) -> None:
        """Files that nobody fetched make room for newer ones."""
        state = board.read(key)
        if state is not None and state.result is not None and "file" in state.result:
            self._files.append(key)
            for old in self._files[: max(len(self._files) - MOST_FILES, 0)]:
                board.take_file(old)
            del self._files[:-MOST_FILES]
        for ended in [name for name, other in self._own.items() if other.ended and name != key][:-MOST_WAITING]:
            del self._own[ended]

    def find(self, key: str) -> JobState:
        """How far it is. Raises NotThereError for one that is not known to who asks."""
        own = self._own.get(told_to() + key)
        state = own.doing.state if own is not None else board.read(told_to() + key)
        if state is None:
            raise NotThereError(LOST)
        patience_s = SILENT_S if state.begun or self.send is None else WAITING_S
        if state.ended or time.time() - state.seen_at < patience_s or own is not None:
            return state
        return self._after_silence(told_to() + key, state)

    def _after_silence(self, key: str, state: JobState) -> JobState:
        """Who did it died: with a queue it is tried once more. One that waits is sent again; it is not done twice."""
        if self.send is None:
            ended = replace(state, error=LOST)
        elif not state.begun and board.asked_of(key) is not None:
            again = replace(state, seen_at=time.time())
            board.write(key, again)
            self.send(key)
            return again
        elif state.tries >= MOST_TRIES or board.asked_of(key) is None:
            ended = replace(state, error=GIVEN_UP)
        else:
            log.warning("a job is begun once more", extra={"facts": {"job": key}})
            again = replace(state, tries=state.tries + 1, seen_at=time.time(), words="begun once more", begun=False)
            board.write(key, again)
            self.send(key)
            return again
        board.write(key, ended)
        return ended

    def stop(self, key: str) -> JobState:
        """At once; nothing is changed by it."""
        state, name = self.find(key), told_to() + key
        board.stop(name)
        own = self._own.get(name)
        if own is not None:
            own.doing.stop()
        return state

    def fetch(self, key: str) -> JobFile:
        """What it wrote, once."""
        self.find(key)
        file = board.take_file(told_to() + key)
        if file is None:
            raise PocketError(FETCHED)
        return file

    def counts(self) -> dict[str, int]:
        """How many are done now, and how many wait."""
        with self._lock:
            under_way = sum(not one.ended for one in self._own.values())
        return {
            "running": min(under_way, AT_ONCE),
            "waiting": max(under_way - AT_ONCE, 0),
            "most_waiting": MOST_WAITING,
        }

    def _begin_beat(self) -> None:
        """Others hear of what is done here, also while nothing new is told of it."""
        if self._beat is None:
            self._beat = threading.Thread(target=self._beating, name="jobs are alive", daemon=True)
            self._beat.start()

    def _beating(self) -> None:
        while not self._ended.wait(SILENT_S / 4):
            with self._lock:
                alive = [one.doing for one in self._own.values() if not one.ended]
            for doing in alive:
                doing.heard_of()

    def close(self) -> None:
        """Stop everything; for the end of the program."""
        self._ended.set()
        with self._lock:
            for one in self._own.values():
                one.doing.stop()
        self._waiting.shutdown(wait=False, cancel_futures=True)
        self.workers.close()
