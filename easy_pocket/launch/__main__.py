"""`./pocket start`: database, migrations, demo, pages; Ctrl-C stops what it started."""

from __future__ import annotations

import argparse
import errno
import logging
import os
import signal
import socket
import sys
import time
from pathlib import Path
from typing import IO

from easy_pocket import logs
from easy_pocket.caches import give_core_its_caches
from easy_pocket.home.asked_restore import carry_out
from easy_pocket.home.folder import LaunchError, claim, home_folder, release
from easy_pocket.home.local_key import local_key
from easy_pocket.home.mariadb import MariaDb
from easy_pocket.web.serving import Serving, ServingError, serving

HOST = "127.0.0.1"
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # one core for each process: two would wait for each other
log = logging.getLogger("easy_pocket.launch")
DATABASE_WAIT_S = 3.0
MOST_PROCESSES = 64


def main() -> int:
    parser = argparse.ArgumentParser(prog="./pocket start")
    parser.add_argument("--port", type=int, default=8000)
    parser.add_argument("--host", default=HOST, help="an address to serve on besides this machine; needs accounts")
    parser.add_argument("--processes", type=int, default=1, help="how many web processes answer")
    parser.add_argument("--no-demo", action="store_true", help="start with an empty shelf")
    parser.add_argument("--no-install", action="store_true", help="never install anything")
    chosen = parser.parse_args()
    # A termination is handled like Ctrl-C, so that the database is stopped properly.
    # (A shell that starts it in the background has Ctrl-C ignored: then only a termination stops it, and it must.)
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    database: MariaDb | None = None
    lock: IO[str] | None = None
    home = home_folder()
    anew = False
    try:
        listener = _listen(chosen.host, chosen.port)
        logs.configure(home)
        served = _served(chosen.host, chosen.port, home)
        address = served.public_url or f"http://{HOST}:{chosen.port}"
        lock = claim(home, address)
        give_core_its_caches()
        url = os.environ.get("EASY_POCKET_DATABASE_URL")
        if not url:
            carry_out(home)
            database = MariaDb(home)
            url = database.start()
        anew = _serve(url, listener, address, home, served, chosen, own=database is not None)
    except LaunchError as error:
        log.error("not started: %s", error, extra={"told": True})
        print(f"pocket: {error}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        pass
    finally:
        if database is not None:
            database.stop()
        if lock is not None:
            log.info("stopped")
            release(lock)
    if anew:  # in the place of this process, so that nothing of it is left
        os.execv(sys.executable, [sys.executable, "-m", "easy_pocket.launch", *sys.argv[1:]])
    return 0


def _served(host: str, port: int, home: Path) -> Serving:
    try:
        return serving(host, port, local_key(home))
    except ServingError as error:
        raise LaunchError(str(error)) from None


def _listen(host: str, port: int) -> socket.socket:
    """Take the port before anything else is started."""
    # Named as TCP, so that asyncio sends every piece at once (it leaves sockets of protocol 0 to Nagle's algorithm, and
    # each answer on a kept connection then waits 40 ms).
    listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((host, port))
    except PermissionError:
        raise LaunchError(f"Port {port} needs root: start with --port 8000 or another above 1023.") from None
    except socket.gaierror:
        raise LaunchError(f"--host {host} is no address of this machine: give one of its own.") from None
    except (OSError, OverflowError) as error:
        if getattr(error, "errno", 0) == errno.EADDRNOTAVAIL:
            raise LaunchError(f"--host {host} is no address of this machine: give one of its own.") from None
        raise LaunchError(
            f"Port {port} on {host} is taken: stop what uses it, or start with --port {min(port + 1, 65535)}."
        ) from None
    return listener


def _serve(
    url: str,
    listener: socket.socket,
    address: str,
    home: Path,
    served: Serving,
    chosen: argparse.Namespace,
    *,
    own: bool,
) -> bool:
    """Whether the program shall be started anew."""
    import uvicorn
    from fastapi import FastAPI
    from sqlalchemy.exc import SQLAlchemyError

    from easy_pocket.demo.load import load_demo
    from easy_pocket.home.upgrade import bring_up_to_date
    from easy_pocket.home.upkeep import Upkeep
    from easy_pocket.jobs import work
    from easy_pocket.jobs.workers import Workers
    from easy_pocket.launch.process import MoreProcesses
    from easy_pocket.launch.warm import WarmUp
    from easy_pocket.store.agreed import server_secret
    from easy_pocket.store.database import Database, replica_engine
    from easy_pocket.store.failures import Failure, failure_of
    from easy_pocket.store.made.made import made
    from easy_pocket.store.made.places import made_place
    from easy_pocket.store.people.accounts import are_there_accounts
    from easy_pocket.web.app import make_app

    store = Database(url, replica=replica_engine())
    try:
        _await_database(store)
        bring_up_to_date(store, home, own=own)
        load_demo(store, songs=not chosen.no_demo)
    except SQLAlchemyError as error:
        log.error("the database cannot be used", exc_info=True)
        reason = str(getattr(error, "orig", error)).splitlines()[0]
        way_out = f"the log in {home} says more" if own else "check EASY_POCKET_DATABASE_URL, or leave it out"
        failure = failure_of(error)
        if failure in (Failure.DISK_FULL, Failure.READ_ONLY):
            words = "the disk is full" if failure is Failure.DISK_FULL else "its folder can only be read"
            raise LaunchError(f"The songs cannot be kept, because {words}: mend that, then start again.") from None
        raise LaunchError(f"The database cannot be used ({reason}): {way_out}.") from None
    accounts = are_there_accounts(store.reader)
    if served.elsewhere and not accounts:
        store.close()
        raise LaunchError(
            "Serving others needs accounts, and there are none: make one with './pocket user add NAME', then start "
            "again."
        )
    listener.listen(128)  # from here on a browser that comes early is kept waiting, not turned away
    print(f"Easy Pocket is at {address}  (Ctrl-C stops it)", flush=True)
    if served.local_key and not accounts:
        print(f"Another user of this machine gets in only by {address}/?key={served.local_key}", flush=True)
    app: FastAPI | None = None
    made.use(made_place(home), server_secret(store))
    more = MoreProcesses(min(max(chosen.processes, 1), MOST_PROCESSES) - 1, listener, url, chosen.host, chosen.port)
    workers = Workers(url)
    warming, upkeep = WarmUp(store), Upkeep(store, home)
    try:
        app = make_app(store, workers=workers, home=home, serving=served)
        workers.schedule(work.ready)  # one is there before it is needed
        log.info("serving", extra={"facts": {"address": address, "home": str(home)}})
        config = uvicorn.Config(
            app, log_config=None, access_log=False, timeout_graceful_shutdown=3, proxy_headers=False
        )
        server = uvicorn.Server(config)
        anew: list[bool] = []

        def restart() -> None:
            anew.append(True)
            server.should_exit = True

        app.state.restart = restart if own and chosen.processes <= 1 else None
        server.run(sockets=[listener])
        return bool(anew)
    finally:  # Ctrl-C comes as an exception, at any moment: what was begun is ended, or the program would wait for it
        if app is not None:
            app.state.jobs.close()
        more.close()
        workers.close()
        warming.stop()
        upkeep.stop()
        store.close()


def _await_database(store: object) -> None:
    """The server accepts root on its socket a moment before it accepts us on its port."""
    give_up = time.monotonic() + DATABASE_WAIT_S
    from sqlalchemy.exc import OperationalError

    from easy_pocket.store.database import Database

    assert isinstance(store, Database)
    while True:
        try:
            with store.engine.connect():
                return
        except OperationalError:
            if time.monotonic() > give_up:
                raise
            time.sleep(0.05)


if __name__ == "__main__":
    sys.exit(main())
