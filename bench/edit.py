"""How long one edit on the Bench takes on the server, database commit included."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient
from starlette.types import ASGIApp, Receive, Scope, Send

from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.voices import DRUMS
from easy_pocket.demo.load import lamplighter_hits, load_demo
from easy_pocket.home.mariadb import MariaDb
from easy_pocket.store.database import Database
from easy_pocket.store.songs.create import create_song
from easy_pocket.web.app import make_app


class Timed:
    """The time from a request's arrival at the application to the end of its answer."""

    last_ms = 0.0

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        began = time.perf_counter()
        await self.app(scope, receive, send)
        Timed.last_ms = (time.perf_counter() - began) * 1000


@contextmanager
def desk() -> Iterator[tuple[TestClient, Database]]:
    """The application on a database of its own, timed at its door."""
    server = MariaDb(Path(os.environ.get("EASY_POCKET_HOME", "var/bench")).resolve())
    database = Database(server.start())
    try:
        database.migrate()
        load_demo(database, songs=False)
        with TestClient(Timed(make_app(database)), headers={"origin": "http://testserver"}) as client:
            yield client, database
    finally:
        database.close()
        server.stop()


def run() -> None:
    with desk() as (client, database):
        _measure(client, database, "Lamplighter, 2 bars", 2, lamplighter_hits(), 40)
        busy = tuple(Hit(voice, slot * 240, 90) for voice in list(DRUMS)[:12] for slot in range(16 * 16))
        _measure(client, database, "16 bars x 12 voices of 16ths", 16, busy, 40)
        full = tuple(Hit(voice, slot * 240, 90) for voice in DRUMS for slot in range(64 * 16))
        _measure(client, database, f"64 bars x {len(DRUMS)} voices of 16ths", 64, full, 100)


def _measure(
    client: TestClient, database: Database, name: str, bars: int, hits: tuple[Hit, ...], limit_ms: int
) -> None:
    with database.transaction() as session:
        song = create_song(session, "bench", tempo_bpm=104, bars=bars, hits=hits, voices=tuple(DRUMS))
    revision, took = 1, []
    for number in range(120):
        edit = {"kind": "velocity", "voice": "kick", "tick": 0, "velocity": 40 + number % 60}
        answer = client.post(f"/songs/{song.id}/edits", json={"revision": revision, "edit": edit})
        took.append(Timed.last_ms)
        revision = answer.json()["song"]["revision"]
    p50, p95 = np.percentile(took[10:], [50, 95])
    print(f"{name}: p50 {p50:.1f} ms, p95 {p95:.1f} ms (wanted: {limit_ms})")
