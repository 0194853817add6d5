"""One job being done, in whichever process: its state is written where all see it, and its result is kept once."""

from __future__ import annotations

import hashlib
import logging
import pickle
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from threading import Event, Lock
from typing import Any

from easy_pocket.core.errors import PocketError
from easy_pocket.jobs import board
from easy_pocket.jobs.job import JobFile, JobState
from easy_pocket.jobs.kinds import KINDS
from easy_pocket.jobs.workers import STOPPED, StoppedError
from easy_pocket.store.database import Database
from easy_pocket.store.made.made import made
from easy_pocket.store.viewer import Viewer

log = logging.getLogger(__name__)
FAILED = "It could not be done: something went wrong here, and nothing was changed. Try again, or try another file."
LOOK_S = 0.4  # how often its state is written, and whether it shall stop is asked


@dataclass(frozen=True)
class Asked:
    """What is to be done: a kind, what it computes with, what becomes of it, and for whom."""

    kind: str
    arguments: tuple[Any, ...]
    asked: dict[str, Any]
    viewer: Viewer | None


Compute = Callable[["Doing", tuple[Any, ...]], Any]


class Doing:
    """stopper: what ends the computing at once, where that can be."""

    def __init__(self, key: str, asked: Asked, database: Database, tries: int = 1) -> None:
        self.key, self.asked, self.database = key, asked, database
        self.stopped = Event()
        self.stopper: Callable[[], object] | None = None
        self.state = JobState(seen_at=time.time(), tries=tries, begun=True)
        self._lock = Lock()
        self._looked_at = 0.0

    def progressed(self, share: float, words: str) -> None:
        """From the process that computes. Raises StoppedError where it is computed here and shall stop."""
        moment = time.monotonic()
        with self._lock:
            self.state = replace(self.state, share=share, words=words, seen_at=time.time())
            if moment - self._looked_at < LOOK_S:
                return
            self._looked_at = moment
            self._write()
        if board.is_stopped(self.key):
            self.stop()

    def heard_of(self) -> None:
        with self._lock:
            if self.state.ended:
                return
            self.state = replace(self.state, seen_at=time.time())
            self._write()
        if board.is_stopped(self.key):
            self.stop()

    def _write(self) -> None:
        board.write(self.key, self.state)

    def stop(self) -> None:
        self.stopped.set()
        if self.stopper is not None:
            self.stopper()

    def run(self, compute: Compute) -> None:
        """All of it. Never raises."""
        try:
            self.progressed(0.0, "begun")
            found = self._found(compute)
            if self.stopped.is_set() or board.is_stopped(self.key):
                raise StoppedError(STOPPED)
            kind = KINDS[self.asked.kind]
            kept = kind.keep(self.database, self.key.rpartition("/")[2], found, self.asked.asked)
            if isinstance(kept, JobFile):
                board.keep_file(self.key, kept)
            self._end(result={"file": kept.label} if isinstance(kept, JobFile) else kept)
        except PocketError as error:
            self._end(error=str(error))
        except Exception:
            log.exception("a job failed")
            self._end(error=FAILED)

    def _end(self, *, result: dict[str, object] | None = None, error: str | None = None) -> None:
        with self._lock:
            share = 1.0 if error is None else self.state.share
            self.state = replace(self.state, share=share, result=result, error=error, seen_at=time.time())
            self._write()
        board.forget_asked(self.key)

    def _found(self, compute: Compute) -> Any:
        """What was computed of the same before, or now."""
        found_as = KINDS[self.asked.kind].found_as
        if not found_as:
            return compute(self, self.asked.arguments)
        name = f"{found_as}/{hashlib.sha256(pickle.dumps(self.asked.arguments)).hexdigest()}"
        found = made.get_value(name)
        if found is None:
            found = compute(self, self.asked.arguments)
            made.put_value(name, found)
        return found
