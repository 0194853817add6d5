"""A cluster of databases with synchronous copies: every server of it is written to, and nothing it refuses is used."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from easy_pocket.demo.load import load_demo
from easy_pocket.store.database import Database
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import read_song
from tests.editing import do, step
from tests.many.cluster import GALERA, Cluster
from tests.many.servers import Servers
from tests.many.test_many import FIRST, SECOND, Person, wait_for, write

pytestmark = pytest.mark.skipif(
    not GALERA.exists() or not shutil.which("rsync") or os.geteuid() != 0,
    reason="needs galera-4 and rsync, and root to copy as another user",
)
VOICES = ("kick", "snare")
EDITS = 48


@pytest.fixture
def cluster() -> Iterator[Cluster]:
    folder = Path(tempfile.mkdtemp(prefix="ep-"))  # where who copies may look
    found = Cluster(folder)
    try:
        yield found
    finally:
        found.close()
        shutil.rmtree(folder)


@pytest.fixture
def stores(cluster: Cluster) -> Iterator[list[Database]]:
    """The tables are made through one of them, with the demo in it."""
    found = [Database(url) for url in cluster.urls]
    found[0].migrate()
    load_demo(found[0])
    yield found
    for one in found:
        one.close()


def new_song(store: Database) -> int:
    with store.transaction() as session:
        return create_song(session, "Two Quays").id


def test_two_servers_are_written_to_in_one_song_and_every_edit_is_made_once(
    cluster: Cluster, stores: list[Database]
) -> None:
    song, failed = new_song(stores[0]), list[Exception]()

    def work(number: int) -> None:
        try:
            for count in range(EDITS):
                sent = {"voice": VOICES[number], "tick": count % 16 * 240 + count // 16 * 20, "velocity": 60 + count}
                for _ in range(2):  # as a page whose answer was lost
                    do(stores[number], song, "write", edit_id=f"tab{number}-{count}", **sent)
        except Exception as error:
            failed.append(error)

    threads = [threading.Thread(target=work, args=(number,)) for number in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failed == []
    songs = [read_song(store.reader, song) for store in stores]
    assert [len(one.pattern.hits) for one in songs] == [2 * EDITS] * 2
    assert songs[0].pattern == songs[1].pattern
    assert songs[0].revision == songs[1].revision == 2 * EDITS + 1
    refused = sum(
        int(node.status(name))
        for node in cluster.nodes
        for name in ("wsrep_local_cert_failures", "wsrep_local_bf_aborts")
    )
    assert refused > 0  # they did meet


def test_what_was_written_through_one_is_read_through_the_other_at_once(stores: list[Database]) -> None:
    song, revision = new_song(stores[0]), 1
    for count in range(40):
        here, there = stores[count % 2], stores[1 - count % 2]
        made = do(
            here, song, "write", voice="kick", tick=count * 60, velocity=80, revision=revision, edit_id=f"tab-{count}"
        )
        revision = made.song.revision
        assert read_song(there.reader, song).revision == revision
    for count in range(40):
        step(stores[count % 2], song, "undo")
    assert read_song(stores[0].reader, song).pattern.hits == ()


def test_web_processes_on_two_servers_go_on_when_one_is_killed(cluster: Cluster, tmp_path: Path) -> None:
    servers = Servers(tmp_path, web=2, workers=1, urls=cluster.urls)
    try:
        person = Person(servers)
        assert person.ask("/songs", data=b"name=Two+Quays&tempo_bpm=104")[0] == 200
        song = max(int(one) for one in _songs(person))
        for count in range(16):
            write(person, song, count * 240, web=count % 2)
        print_of_beat = {"kind": "print", "where": f"part:{_part(person, song)}", "to": "loop"}
        job = person.json(f"/songs/{song}/prepare", body={"edit": print_of_beat}, web=FIRST)["job"]
        wait_for(lambda: person.json(f"/jobs/{job}", web=SECOND)["result"])
        cluster.nodes[1].kill()
        began = time.monotonic()
        for count in range(16, 24):
            write(person, song, count * 240, web=FIRST)
        assert time.monotonic() - began < 20
        hits = person.json(f"/songs/{song}/state?screen=bench", web=FIRST)["data"]["hits"]["rim"]["tick"]
        assert hits == [count * 240 for count in range(24)][: len(hits)]
        assert len(person.json(f"/songs/{song}/changes", web=FIRST)["changes"]) == 24
        status, told = person.ask(f"/songs/{song}/state?screen=bench", web=SECOND)
        assert (status, b"sent again by themselves" in told) == (503, True)
    finally:
        servers.close()


def _songs(person: Person) -> list[str]:
    return re.findall(r'data-song="(\d+)"', person.ask("/")[1].decode())


def _part(person: Person, song: int) -> int:
    found: int = person.json(f"/songs/{song}/state?screen=bench")["song"]["at"][0]
    return found
