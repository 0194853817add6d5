"""A server of several machines, on one: Redis, MariaDB, web processes, Celery workers, and nginx before them."""

from __future__ import annotations

import os
import re
import shutil
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from easy_pocket.home.mariadb import MariaDb, free_port

PATH = f"{os.environ['PATH']}:/usr/sbin"
NGINX = """
worker_processes 1;
pid {folder}/nginx.pid;
error_log {folder}/nginx-error.log;
daemon off;
events {{ worker_connections 1024; }}
http {{
  access_log off;
  client_body_temp_path {folder}/body; proxy_temp_path {folder}/proxy; fastcgi_temp_path {folder}/f;
  uwsgi_temp_path {folder}/u; scgi_temp_path {folder}/s;
  client_max_body_size 300m;
  upstream web {{ {upstreams} keepalive 32; }}
  server {{
    listen 127.0.0.1:{port};
    location / {{
      proxy_pass http://web;
      proxy_http_version 1.1;
      proxy_set_header Connection "";
      proxy_set_header Host $http_host;
      proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for;
      proxy_set_header X-Forwarded-Proto $scheme;
      proxy_connect_timeout 2s;
      proxy_read_timeout 3600s;
      proxy_buffering off;
      proxy_next_upstream error timeout;
    }}
  }}
}}
"""


def missing_programs() -> list[str]:
    found = {
        "redis-server": shutil.which("redis-server"),
        "nginx": shutil.which("nginx", path=PATH),
    }
    return [name for name, path in found.items() if path is None]


class Servers:
    """All of them. `web` and `workers` are processes that may be killed and begun again."""

    def __init__(self, folder: Path, *, web: int = 2, workers: int = 2, urls: Sequence[str] = ()) -> None:
        """urls: of databases that run already, in turn one for each process; none: one of its own."""
        self.folder = folder
        self.redis_port, self.port = free_port(), free_port()
        self.web_ports = [free_port() for _ in range(web)]
        self.processes: dict[str, subprocess.Popen[bytes]] = {}
        self.database = None if urls else MariaDb(folder / "database")
        self.urls = list(urls) if self.database is None else [self.database.start()]
        self.begin("redis")
        for number in range(web):
            self.begin(f"web{number}")
            if number == 0:
                self.wait(self.web_ports[0])  # it makes the tables
        for number in range(workers):
            self.begin(f"worker{number}")
        upstreams = " ".join(f"server 127.0.0.1:{port} max_fails=1 fail_timeout=1s;" for port in self.web_ports)
        (folder / "nginx.conf").write_text(NGINX.format(folder=folder, upstreams=upstreams, port=self.port))
        self.begin("nginx")
        for port in (*self.web_ports, self.port):
            self.wait(port)

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    @property
    def url(self) -> str:
        return self.urls[0]

    def environment(self, number: int) -> dict[str, str]:
        redis = f"redis://127.0.0.1:{self.redis_port}"
        return {
            **os.environ, "EASY_POCKET_DATABASE_URL": self.urls[number % len(self.urls)],
            "EASY_POCKET_QUEUE_URL": f"{redis}/0", "EASY_POCKET_MADE_URL": f"{redis}/1",
            "EASY_POCKET_DUMPS": "off", "EASY_POCKET_OPEN": "1",
            "OPENBLAS_NUM_THREADS": "1",
        }  # fmt: skip

    def begin(self, name: str) -> None:
        folder = self.folder / name
        folder.mkdir(exist_ok=True)
        commands = {
            "redis": ["redis-server", "--port", str(self.redis_port), "--bind", "127.0.0.1", "--appendonly", "yes",
                      "--dir", str(folder), "--save", "", "--maxmemory", "300mb", "--maxmemory-policy", "volatile-lru"],
            "nginx": [shutil.which("nginx", path=PATH) or "nginx", "-c",
                      str(self.folder / "nginx.conf"), "-e", str(self.folder / "nginx-error.log")],
            "worker": [sys.executable, "-m", "easy_pocket.jobs.worker", "--at-once", "1"],
            "web": [sys.executable, "-m", "easy_pocket.launch"],
        }  # fmt: skip
        kind, number = re.sub(r"\d", "", name), int(re.sub(r"\D", "", name) or 0)
        command = commands[kind] + (["--port", str(self.web_ports[number])] if kind == "web" else [])
        log = (folder / "log.txt").open("ab")
        self.processes[name] = subprocess.Popen(
            command, env={**self.environment(number), "EASY_POCKET_HOME": str(folder)}, stdout=log, stderr=log,
            start_new_session=True,
        )  # fmt: skip

    def kill(self, name: str) -> None:
        """As the power goes: the process and all it began. The database is begun again by who holds it."""
        if name == "database":
            os.kill(self.database_pid, signal.SIGKILL)
            return
        process = self.processes[name]
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()

    @property
    def database_pid(self) -> int:
        found = subprocess.run(["pgrep", "-f", f"mariadbd.*{self.folder}/database"], capture_output=True, text=True)
        return int(found.stdout.split()[0])

    def wait(self, port: int, path: str = "/health", seconds: float = 90.0) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            try:
                with urllib.request.urlopen(f"http://127.0.0.1:{port}{path}", timeout=2):
                    return
            except (TimeoutError, urllib.error.URLError, ConnectionError):
                time.sleep(0.1)
        logs = "\n".join(log.read_text()[-2000:] for log in self.folder.glob("*/log.txt"))
        raise RuntimeError(f"port {port} does not answer: {logs}")

    def close(self) -> None:
        for name in sorted(self.processes, reverse=True):  # workers and web first
            process = self.processes[name]
            if process.poll() is None:
                os.killpg(process.pid, signal.SIGTERM)
        for process in self.processes.values():
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)
        if self.database is not None:
            self.database.stop()


@contextmanager
def running_servers(folder: Path, *, web: int = 2, workers: int = 2) -> Iterator[Servers]:
    servers = Servers(folder, web=web, workers=workers)
    try:
        yield servers
    finally:
        servers.close()
