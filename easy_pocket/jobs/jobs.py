"""Work that a page follows: its progress is told, and it is stopped when it is not wanted any more."""

from __future__ import annotations

import logging
import uuid
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from threading import Event, Lock
from typing import Any

from easy_pocket.core.errors import NotThereError, PocketError
from easy_pocket.jobs.workers import AT_ONCE, LONG_S, STOPPED, StoppedError, Work, Workers
from easy_pocket.store.viewer import told_to

log = logging.getLogger(__name__)

MOST_WAITING = 4  # each holds its file
MOST_KEPT = 32
MOST_FILES = 2  # that are kept until they are fetched
LOST = "This work is not known any more: Easy Pocket was started anew meanwhile. Bring the file in again."
FAILED = "It could not be done: something went wrong here, and nothing was changed. Try again, or try another file."


@dataclass(frozen=True)
class JobFile:
    """A file that was written: its bytes, the title of what it holds, a label, and its type."""

    data: bytes
    title: str
    label: str
    media_type: str


@dataclass
class Job:
    """share: how much is done, 0-1. result: what it gave; error: in words why it gave nothing. file: what it wrote, to
    be fetched once."""

    share: float = 0.0
    words: str = ""
    result: dict[str, object] | None = None
    error: str | None = None
    stopped: Event = field(default_factory=Event)
    future: Future[Any] | None = None
    file: JobFile | None = None

    def progressed(self, share: float, words: str) -> None:
        self.share, self.words = share, words

    def stop(self) -> None:
        self.stopped.set()
        if self.future is not None:
            self.future.cancel()

    @property
    def ended(self) -> bool:
        return self.result is not None or self.error is not None

    @property
    def doc(self) -> dict[str, object]:
        return {"share": round(self.share, 3), "words": self.words, "result": self.result, "error": self.error}


class Jobs:
    """The last few pieces of work by id; two are done at once, a few more wait."""

    def __init__(self, workers: Workers) -> None:
        self.workers = workers
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._lock = Lock()
        self._waiting = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="job")

    def start(
        self,
        work: Work,
        arguments: tuple[Any, ...],
        keep: Callable[[Any], dict[str, object] | JobFile],
        *,
        most_of_one: int = MOST_WAITING,
    ) -> str:
        """Have the work done by a worker, and its result kept; the job's id. Raises PocketError when too much is under
        way."""
        job, key = Job(words="waiting"), uuid.uuid4().hex
        whose = told_to()
        with self._lock:
            under_way = sum(not one.ended for one in self._jobs.values())
            if under_way >= MOST_WAITING:
                raise PocketError(f"{under_way} long things are being done already: wait for one of them, or stop it.")
            own = sum(not one.ended for name, one in self._jobs.items() if name.startswith(whose))
            if whose and own >= most_of_one:
                raise PocketError(f"{own} long things of yours are being done already: wait for one, or stop it.")
            self._jobs[whose + key] = job
            while len(self._jobs) > MOST_KEPT:
                self._jobs.popitem(last=False)[1].stop()
        self._waiting.submit(self._run, job, work, arguments, keep)
        return key

    def _run(
        self, job: Job, work: Work, arguments: tuple[Any, ...], keep: Callable[[Any], dict[str, object] | JobFile]
    ) -> None:
        try:
            job.progressed(0.0, "begun")
            job.future = self.workers.schedule(work, *arguments, seconds=LONG_S, on_progress=job.progressed)
            if job.stopped.is_set():
                job.future.cancel()
            found = self.workers.wait(job.future, LONG_S)
            if job.stopped.is_set():
                raise StoppedError(STOPPED)
            kept = keep(found)
            job.share = 1.0
            if isinstance(kept, JobFile):
                self._keep_file(job, kept)
            job.result = {"file": kept.label} if isinstance(kept, JobFile) else kept
        except PocketError as error:
            job.error = str(error)
        except Exception:
            log.exception("a job failed")
            job.error = FAILED

    def _keep_file(self, job: Job, file: JobFile) -> None:
        """Until it is fetched; those that nobody fetched make room."""
        with self._lock:
            job.file = file
            full = [one for one in self._jobs.values() if one.file is not None]
            for one in full[: max(len(full) - MOST_FILES, 0)]:
                one.file = None

    def find(self, key: str) -> Job:
        """Raises NotThereError for one that is not known to who asks."""
        with self._lock:
            if told_to() + key not in self._jobs:
                raise NotThereError(LOST)
            return self._jobs[told_to() + key]

    def counts(self) -> dict[str, int]:
        """How many are done now, and how many wait."""
        with self._lock:
            under_way = sum(not job.ended for job in self._jobs.values())
        return {
            "running": min(under_way, AT_ONCE),
            "waiting": max(under_way - AT_ONCE, 0),
            "most_waiting": MOST_WAITING,
        }

    def close(self) -> None:
        """Stop everything; for the end of the program."""
        with self._lock:
            for job in self._jobs.values():
                job.stop()
        self._waiting.shutdown(wait=False, cancel_futures=True)
        self.workers.close()
