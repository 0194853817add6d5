"""One more web process: it answers on the socket of the first, and shares nothing with it but the database and what is
made once. Any may end at any moment; what it was told is known to the others."""

from __future__ import annotations

import argparse
import logging
import os
import signal
import socket
import subprocess
import sys
from threading import Event, Thread

from easy_pocket import logs
from easy_pocket.caches import give_core_its_caches
from easy_pocket.home.folder import home_folder
from easy_pocket.home.local_key import local_key
from easy_pocket.web.serving import serving

log = logging.getLogger(__name__)
BREATH_S = 1.0  # before one that ended is begun again


class MoreProcesses:
    """Those beside the first one: begun, begun again when one ends, and ended with it."""

    def __init__(self, count: int, listener: socket.socket, url: str, host: str, port: int) -> None:
        self._listener, self._ended = listener, Event()
        self._command = [sys.executable, "-m", "easy_pocket.launch.process", "--fd", str(listener.fileno()),
                         "--host", host, "--port", str(port)]  # fmt: skip
        self._environment = {**os.environ, "EASY_POCKET_DATABASE_URL": url}
        self._processes = [self._begun() for _ in range(count)]
        if count:
            Thread(target=self._watch, name="more processes", daemon=True).start()

    def _begun(self) -> subprocess.Popen[bytes]:
        return subprocess.Popen(self._command, env=self._environment, pass_fds=[self._listener.fileno()])

    def _watch(self) -> None:
        while not self._ended.wait(BREATH_S):
            for place, process in enumerate(self._processes):
                if process.poll() is not None and not self._ended.is_set():
                    log.error("a web process ended and is begun again", extra={"facts": {"code": process.returncode}})
                    self._processes[place] = self._begun()

    def close(self) -> None:
        self._ended.set()
        for process in self._processes:
            process.terminate()
        for process in self._processes:
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--fd", type=int, required=True)
    parser.add_argument("--host", required=True)
    parser.add_argument("--port", type=int, required=True)
    chosen = parser.parse_args()
    import uvicorn

    from easy_pocket.jobs.workers import Workers
    from easy_pocket.store.agreed import server_secret
    from easy_pocket.store.database import Database, replica_engine
    from easy_pocket.store.made.made import made
    from easy_pocket.store.made.places import made_place
    from easy_pocket.web.app import make_app

    parent = os.getppid()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the first one, which ends the others
    home, url = home_folder(), os.environ["EASY_POCKET_DATABASE_URL"]
    logs.configure(home)
    give_core_its_caches()
    store = Database(url, replica=replica_engine())
    made.use(made_place(home), server_secret(store))
    workers = Workers(url)
    app = make_app(store, workers=workers, home=home, serving=serving(chosen.host, chosen.port, local_key(home)))
    config = uvicorn.Config(app, log_config=None, access_log=False, timeout_graceful_shutdown=3, proxy_headers=False)
    server = uvicorn.Server(config)

    def end_with_the_first() -> None:
        while os.getppid() == parent and not Event().wait(1.0):
            pass
        server.should_exit = True

    Thread(target=end_with_the_first, daemon=True).start()
    try:
        server.run(sockets=[socket.socket(fileno=chosen.fd)])
    finally:
        app.state.jobs.close()
        workers.close()
        store.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
