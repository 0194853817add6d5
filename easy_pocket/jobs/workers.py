"""Two processes beside the server. A file from outside is read there, and a song mixed: what goes wrong or takes too
long there ends that process, and nothing else waits for it."""

from __future__ import annotations

import asyncio
import itertools
import logging
import multiprocessing
import multiprocessing.connection
import os
import resource
import signal
from concurrent.futures import CancelledError, Future
from concurrent.futures import TimeoutError as FutureTimeoutError
from threading import Lock, Thread
from typing import Any, Protocol

from pebble import ProcessExpired, ProcessPool

from easy_pocket.core.errors import PocketError
from easy_pocket.core.progress import OnProgress
from easy_pocket.home.folder import home_folder
from easy_pocket.store.made.made import made
from easy_pocket.store.made.places import made_place

log = logging.getLogger(__name__)

AT_ONCE = 2
MOST_MEMORY = 6 << 30  # bytes of address space of one process
NICER = 10  # the server comes first
READ_S = 60.0  # for a file to be read
LONG_S = 900.0  # for ten minutes to be listened to, or a long song to be mixed
TOO_LONG = "This took longer than {seconds:.0f} seconds and was ended: bring in less at once, or a simpler file."
BROKE = "This needed more memory than there is, or broke the reader: bring in less at once, or save the file again."
STOPPED = "Stopped; nothing was brought in or written."

_progress: Any = None  # in a worker: the queue it tells on


class StoppedError(PocketError):
    """The work was stopped on request."""


class Work(Protocol):
    def __call__(self, *arguments: Any) -> Any: ...


class Workers:
    """Worker processes, started when first needed and ended by `close`."""

    def __init__(self, database_url: str) -> None:
        self._url = database_url
        self._lock = Lock()
        self._pool: ProcessPool | None = None
        self._numbers = itertools.count(1)
        self._listeners: dict[int, OnProgress] = {}
        self._queue: Any = None

    def schedule(
        self, work: Work, *arguments: Any, seconds: float = READ_S, on_progress: OnProgress | None = None
    ) -> Future[Any]:
        """work: a function of a module, given the arguments (and `on_progress` last, when progress is wanted)."""
        number = next(self._numbers)
        pool = self._begun()
        if on_progress is not None:
            self._listeners[number] = on_progress
        future: Future[Any] = pool.schedule(
            _done, args=(number, work, arguments, on_progress is not None), timeout=seconds
        )
        future.add_done_callback(lambda _: self._listeners.pop(number, None))
        return future

    def wait(self, future: Future[Any], seconds: float = READ_S) -> Any:
        """Its result. Raises PocketError in words when it took too long or broke, StoppedError when it was stopped."""
        try:
            return future.result()
        except CancelledError:
            raise StoppedError(STOPPED) from None
        except (FutureTimeoutError, TimeoutError):
            log.warning("work was ended after %.0f s", seconds)
            raise PocketError(TOO_LONG.format(seconds=seconds)) from None
        except (ProcessExpired, MemoryError) as error:
            log.error("a worker broke", exc_info=error)
            raise PocketError(BROKE) from None

    async def run(self, work: Work, *arguments: Any, seconds: float = READ_S) -> Any:
        """As `schedule` and `wait`, without a thread that waits."""
        future = self.schedule(work, *arguments, seconds=seconds)
        finished = asyncio.Event()
        loop = asyncio.get_running_loop()
        future.add_done_callback(lambda _: loop.call_soon_threadsafe(finished.set))
        await finished.wait()
        return self.wait(future, seconds)

    def close(self) -> None:
        with self._lock:
            pool, self._pool = self._pool, None
        if pool is not None:
            pool.stop()  # type: ignore[no-untyped-call]
            pool.join()
            self._queue.put(None)

    def _begun(self) -> ProcessPool:
        with self._lock:
            if self._pool is None:
                context = multiprocessing.get_context("spawn")
                self._queue = context.Queue()
                self._pool = ProcessPool(
                    max_workers=AT_ONCE,
                    context=context,
                    initializer=_begin,
                    initargs=(self._url, self._queue, made.secret if made.is_shared else b""),
                )
                Thread(target=self._listen, args=(self._queue,), name="progress", daemon=True).start()
            return self._pool

    def _listen(self, queue: Any) -> None:
        while True:
            try:
                message = queue.get()
            except (EOFError, OSError, TypeError, ValueError):  # it was closed
                return
            if message is None:
                return
            number, share, words = message
            listener = self._listeners.get(number)
            if listener is not None:
                listener(share, words)


def _begin(database_url: str, queue: Any, secret: bytes) -> None:
    """In a new worker. secret: of what the server makes and shares; without one it shares nothing."""
    from easy_pocket.caches import give_core_its_caches
    from easy_pocket.freed_memory import give_back_large_arrays
    from easy_pocket.jobs import work

    global _progress
    _progress = queue
    Thread(target=_end_with_parent, daemon=True).start()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the server, which ends its workers
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    os.nice(NICER)
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    give_core_its_caches(share=0.25)
    give_back_large_arrays()
    work.use_database(database_url)
    if secret:
        made.use(made_place(home_folder()), secret)


def _end_with_parent() -> None:
    """However the server ends. (The kernel's own signal for it comes when the thread ends that began this process.)"""
    parent = multiprocessing.parent_process()
    if parent is not None:
        multiprocessing.connection.wait([parent.sentinel])
        os._exit(1)


def _done(number: int, work: Work, arguments: tuple[Any, ...], wants_progress: bool) -> Any:
    """In a worker: the work itself."""
    if not wants_progress:
        return work(*arguments)
    return work(*arguments, lambda share, words: _progress.put((number, share, words)))
