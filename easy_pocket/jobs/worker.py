"""`./pocket worker`: a Celery worker that does long work for the web processes, as many at once as wanted."""

from __future__ import annotations

import argparse
import logging
import os
import sys
from typing import Any

from easy_pocket.caches import give_core_its_caches
from easy_pocket.home.folder import home_folder
from easy_pocket.home.shelf import running_url
from easy_pocket.jobs import work
from easy_pocket.jobs.queue import SETTING, TASK, InWorker, make_queue, queue_url
from easy_pocket.store.agreed import server_secret
from easy_pocket.store.database import Database
from easy_pocket.store.made.made import made
from easy_pocket.store.made.places import made_place

log = logging.getLogger(__name__)


def main(arguments: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="./pocket worker", description="Do long work for the web processes.")
    parser.add_argument("--at-once", type=int, default=2, help="how many jobs at once")
    chosen = parser.parse_args(arguments)
    url = queue_url()
    database_url = os.environ.get("EASY_POCKET_DATABASE_URL") or running_url(home_folder())
    if not url or not database_url:
        missing = f"{SETTING} (as in redis://127.0.0.1:6379/0)" if not url else "EASY_POCKET_DATABASE_URL"
        print(f"pocket: a worker needs {missing}: set it to the same as the web processes have.", file=sys.stderr)
        return 1
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(levelname)s %(name)s %(message)s")
    app = make_queue(url)
    _with_task(app, database_url)
    app.worker_main(["worker", "--pool=prefork", f"--concurrency={chosen.at_once}", "--loglevel=INFO",
                     "--without-gossip", "--without-mingle", f"--hostname=easy-pocket-{os.getpid()}@%h"])  # fmt: skip
    return 0


def _with_task(app: Any, database_url: str) -> None:
    from celery.signals import worker_process_init

    inside: list[InWorker] = []

    def begin(**_: object) -> None:
        """In each process of the worker: connections are not shared between them."""
        os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
        database = Database(database_url)
        give_core_its_caches(share=0.25)
        work.use_database(database_url)
        made.use(made_place(home_folder()), server_secret(database))
        inside.append(InWorker(database))

    worker_process_init.connect(begin, weak=False)

    def do(job: str) -> None:
        inside[0].do(job)

    app.task(name=TASK)(do)


if __name__ == "__main__":
    sys.exit(main())
