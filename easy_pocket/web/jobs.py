"""Work that takes a while: done beside the pages, its progress told, stopped when it is not wanted any more."""

from __future__ import annotations

import uuid
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from threading import Event, Lock
from typing import Any

from easy_pocket.core.errors import PocketError

AT_ONCE = 2
MOST_WAITING = 4  # each holds its audio
MOST_KEPT = 32
LOST = "This work is not known any more: Easy Pocket was started anew meanwhile. Bring the file in again."
STOPPED = "Stopped; nothing was brought in."
FAILED = "It could not be done: something went wrong here, and nothing was changed. Try again, or try another file."


class StoppedError(PocketError):
    """The work was stopped on request."""


@dataclass
class Job:
    """share: how much is done, 0-1. result: what it gave; error: in words why it gave nothing."""

    share: float = 0.0
    words: str = ""
    result: dict[str, Any] | None = None
    error: str | None = None
    stop: Event = field(default_factory=Event)

    def told(self, share: float, words: str) -> None:
        """Progress as the work tells it; raises StoppedError when it is not wanted any more."""
        if self.stop.is_set():
            raise StoppedError(STOPPED)
        self.share, self.words = share, words

    @property
    def doc(self) -> dict[str, Any]:
        return {"share": round(self.share, 3), "words": self.words, "result": self.result, "error": self.error}


class Jobs:
    """The last few pieces of work by id; two are done at once, a few more wait."""

    def __init__(self) -> None:
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._lock = Lock()
        self._workers = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="job")

    def start(self, work: Callable[[Job], dict[str, Any]]) -> str:
        """Its id. Raises PocketError when too much is under way."""
        job, key = Job(words="waiting"), uuid.uuid4().hex
        with self._lock:
            under_way = sum(one.result is None and one.error is None for one in self._jobs.values())
            if under_way >= MOST_WAITING:
                raise PocketError(
                    f"{under_way} long files are being listened to already: wait for one of them, or stop it."
                )
            self._jobs[key] = job
            while len(self._jobs) > MOST_KEPT:
                self._jobs.popitem(last=False)[1].stop.set()
        self._workers.submit(self._run, job, work)
        return key

    @staticmethod
    def _run(job: Job, work: Callable[[Job], dict[str, Any]]) -> None:
        try:
            job.told(0.0, "begun")
            job.result = work(job)
            job.share = 1.0
        except PocketError as error:
            job.error = str(error)
        except Exception:
            job.error = FAILED
            raise

    def find(self, key: str) -> Job:
        """Raises PocketError for one that is not known."""
        with self._lock:
            if key not in self._jobs:
                raise PocketError(LOST)
            return self._jobs[key]

    def close(self) -> None:
        """Stop everything; for the end of the program."""
        with self._lock:
            for job in self._jobs.values():
                job.stop.set()
        self._workers.shutdown(wait=False, cancel_futures=True)
