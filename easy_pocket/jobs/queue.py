"""Long work on Celery workers, any number, on any machines (`./pocket worker`): with EASY_POCKET_QUEUE_URL, such as
redis://127.0.0.1:6379/0. A message names the job only; what it needs lies where all processes see it."""

from __future__ import annotations

import logging
import os
import socket
import threading
from typing import Any

from easy_pocket.jobs import board
from easy_pocket.jobs.doing import Doing
from easy_pocket.jobs.kinds import KINDS
from easy_pocket.jobs.workers import LONG_S, STOPPED, TOO_LONG, StoppedError
from easy_pocket.store.agreed import give_back, lease
from easy_pocket.store.database import Database

log = logging.getLogger(__name__)
SETTING = "EASY_POCKET_QUEUE_URL"
TASK = "easy_pocket.do"
HELD_S, BEAT_S = 16.0, 4.0  # a worker that died is not waited for longer than that
SENT_AGAIN_S = int(2 * LONG_S)


def queue_url() -> str:
    return os.environ.get(SETTING, "")


def make_queue(url: str) -> Any:
    """Only what this server sends is read: messages are JSON, and name a job."""
    from celery import Celery

    app = Celery("easy_pocket", broker=url)
    app.conf.update(
        task_serializer="json", accept_content=["json"], task_ignore_result=True, task_acks_late=True,
        worker_prefetch_multiplier=1, broker_connection_retry_on_startup=True, task_time_limit=int(LONG_S) + 30,
        task_soft_time_limit=int(LONG_S), worker_hijack_root_logger=False, worker_max_memory_per_child=3_000_000,
        broker_transport_options={"visibility_timeout": SENT_AGAIN_S, "socket_timeout": 10},
        task_default_queue="easy_pocket",
    )  # fmt: skip
    return app


def sender(url: str) -> Any:
    """What gives a job to the queue."""
    app = make_queue(url)

    def send(job: str) -> None:
        app.send_task(TASK, args=[job], retry=True, retry_policy={"max_retries": 5, "interval_start": 0.2})

    return send


class InWorker:
    """Does jobs in a Celery worker's process."""

    def __init__(self, database: Database) -> None:
        self.database = database

    def do(self, job: str) -> None:
        """Unless another does it already, or it has ended: a message may come twice."""
        holder = f"{socket.gethostname()}:{os.getpid()}:{threading.get_ident()}"
        state, asked = board.read(job), board.asked_of(job)
        if state is None or state.ended or asked is None:
            return
        if not lease(self.database, f"job {job}", holder, HELD_S):
            log.info("another worker does this already", extra={"facts": {"job": job}})
            return
        doing = Doing(job, asked, self.database.seen_by(asked.viewer), state.tries)
        done = threading.Event()
        beat = threading.Thread(target=self._beating, args=(doing, job, holder, done), daemon=True)
        beat.start()
        try:
            doing.run(_computed_here)
        finally:
            done.set()
            give_back(self.database, f"job {job}", holder)

    def _beating(self, doing: Doing, job: str, holder: str, done: threading.Event) -> None:
        while not done.wait(BEAT_S):
            doing.heard_of()
            lease(self.database, f"job {job}", holder, HELD_S)


def _computed_here(doing: Doing, arguments: tuple[Any, ...]) -> Any:
    """In this process: it stops where it tells how far it is."""
    from celery.exceptions import SoftTimeLimitExceeded

    from easy_pocket.core.errors import PocketError

    def told(share: float, words: str) -> None:
        doing.progressed(share, words)
        if doing.stopped.is_set():
            raise StoppedError(STOPPED)

    try:
        return KINDS[doing.asked.kind].work(*arguments, told)
    except SoftTimeLimitExceeded:
        raise PocketError(TOO_LONG.format(seconds=LONG_S)) from None
