"""Two web processes behind a proxy, two Celery workers, Redis and MariaDB: no process needs what only another knows,
and any of them may be killed."""

from __future__ import annotations

import json
import re
import signal
import threading
import time
import urllib.parse
import urllib.request
import uuid
from collections.abc import Callable
from http.client import HTTPException
from typing import Any

import numpy as np
import pytest

from tests.drums import ROCK, beat, rendered, wav_bytes
from tests.many.servers import Servers

FIRST, SECOND = 0, 1


class Person:
    """A page by its requests: each web process is asked by its own address, or all by the proxy's."""

    def __init__(self, servers: Servers) -> None:
        self.servers = servers

    def ask(
        self, path: str, *, web: int | None = None, body: Any = None, data: bytes | None = None
    ) -> tuple[int, bytes]:
        port = self.servers.port if web is None else self.servers.web_ports[web]
        address = f"http://127.0.0.1:{port}"
        sent = json.dumps(body).encode() if body is not None else data
        headers = {"Origin": address, "Accept": "application/json"}
        if body is not None:
            headers["Content-Type"] = "application/json"
        request = urllib.request.Request(address + path, sent, headers)
        try:
            with urllib.request.urlopen(request, timeout=30) as answer:
                return answer.status, answer.read()
        except urllib.error.HTTPError as error:
            return error.code, error.read()

    def json(self, path: str, **options: Any) -> Any:
        status, body = self.ask(path, **options)
        assert status in (200, 202), (path, status, body[:300])
        return json.loads(body)


@pytest.fixture
def person(servers: Servers) -> Person:
    return Person(servers)


@pytest.fixture
def song(person: Person) -> int:
    """A song of its own."""
    status, _ = person.ask("/songs", data=urllib.parse.urlencode({"name": "Many", "tempo_bpm": 104}).encode())
    assert status == 200  # led to its page
    shelf = person.ask("/")[1].decode()
    return max(int(number) for number in re.findall(r'data-song="(\d+)"', shelf))


def wait_for(true: Callable[[], Any], seconds: float = 60.0) -> Any:
    end = time.monotonic() + seconds
    while not (found := true()):
        assert time.monotonic() < end, "it did not come"
        time.sleep(0.05)
    return found


def write(person: Person, song: int, tick: int, *, voice: str = "rim", **options: Any) -> int:
    """As a page does it: sent again until it is answered, with one id."""
    edit_id = f"tab{uuid.uuid4().hex[:10]}-1"
    for _ in range(200):
        try:
            revision = person.json(f"/songs/{song}/state?screen=bench", **options)["song"]["revision"]
            body = {"edit_id": edit_id, "revision": revision,
                    "edit": {"kind": "write", "voice": voice, "tick": tick, "velocity": 90}}  # fmt: skip
            status, told = person.ask(f"/songs/{song}/edits", body=body, **options)
        except (OSError, HTTPException, AssertionError):
            time.sleep(0.1)
            continue
        if status == 200:
            found: int = json.loads(told)["song"]["revision"]
            return found
        time.sleep(0.1)
    raise AssertionError("the edit was never answered")


def test_what_one_process_told_a_page_the_other_plays(person: Person, song: int) -> None:
    write(person, song, 0, web=FIRST)
    state = person.json(f"/songs/{song}/state?screen=bench", web=FIRST)
    keys = state["playing"]["felt"]["audio"]
    assert keys
    sounds = [person.ask(f"/audio/sounds/{key}.wav", web=web) for key in keys for web in (SECOND, FIRST)]
    assert all(status == 200 for status, _ in sounds)
    assert sounds[0][1] == sounds[1][1]
    # A sound that is tried and kept nowhere is known to the other process, too.
    library = person.json(f"/songs/{song}/library?role=snare", web=FIRST)["sounds"]
    tried = person.json(f"/songs/{song}/kit/try?voice=rim&sound_id={library[0]['id']}", web=FIRST)
    status, audio = person.ask(f"/audio/sounds/{tried['hit']['audio']}.wav", web=SECOND)
    assert (status, audio[:4]) == (200, b"RIFF")


def test_a_change_made_through_one_is_told_by_the_other_within_a_second(person: Person, song: int) -> None:
    told: list[str] = []
    port = person.servers.web_ports[SECOND]

    def follow() -> None:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/songs/{song}/live", timeout=20) as stream:
            for line in stream:
                told.append(line.decode())
                if "write rim" in told[-1]:
                    return

    follower = threading.Thread(target=follow, daemon=True)
    follower.start()
    wait_for(lambda: any("revision" in line for line in told))
    began = time.monotonic()
    write(person, song, 480, web=FIRST)
    follower.join(10)
    assert not follower.is_alive()
    assert time.monotonic() - began < 2.0


def long_loop(turns: int = 14) -> bytes:
    loop, _ = rendered(beat(ROCK), 112.0)
    seed = np.random.default_rng(time.monotonic_ns()).normal(0, 1e-5, (1, loop.samples.shape[1]))  # never heard before
    return wav_bytes(np.tile(loop.samples, (turns, 1)) + seed.astype(np.float32))


def begun(person: Person, song: int, turns: int = 14) -> str:
    address = f"/songs/{song}/loops/upload?name=long.wav"
    found: str = person.json(address, data=long_loop(turns), web=FIRST)["job"]
    return found


def job(person: Person, key: str, web: int) -> dict[str, Any]:
    found: dict[str, Any] = person.json(f"/jobs/{key}", web=web)
    return found


def test_long_work_is_done_by_a_worker_and_told_by_any_process(person: Person, song: int) -> None:
    key = begun(person, song)
    wait_for(lambda: job(person, key, SECOND)["share"] > 0)
    done = wait_for(lambda: (found := job(person, key, SECOND))["result"] and found)
    assert done["error"] is None
    page = person.ask(done["result"]["address"], web=SECOND)[1].decode()
    assert "long.wav" in page


def test_long_work_is_stopped_through_another_process(person: Person, song: int) -> None:
    key = begun(person, song, turns=40)
    wait_for(lambda: job(person, key, SECOND)["share"] > 0)
    person.ask(f"/jobs/{key}/stop", web=SECOND, data=b"")
    done = wait_for(lambda: (found := job(person, key, FIRST))["error"] and found)
    assert "Stopped" in done["error"]


def test_an_export_is_written_by_a_worker_and_fetched_once_from_any(person: Person, song: int) -> None:
    write(person, song, 0)
    key = person.json(f"/songs/{song}/song.wav?bits=16&job=1", web=FIRST)["job"]
    wait_for(lambda: job(person, key, SECOND)["result"])
    status, file = person.ask(f"/jobs/{key}/file", web=SECOND)
    assert (status, file[:4]) == (200, b"RIFF")
    assert person.ask(f"/jobs/{key}/file", web=FIRST)[0] == 422


def test_work_whose_worker_was_killed_is_done_by_another_once(person: Person, song: int, servers: Servers) -> None:
    key = begun(person, song, turns=40)
    wait_for(lambda: job(person, key, FIRST)["share"] > 0)
    for name in ("worker0", "worker1"):  # whichever has it
        servers.kill(name)
        servers.begin(name)
    done = wait_for(lambda: (found := job(person, key, FIRST))["result"] and found, 120)
    assert done["error"] is None
    changes = person.json(f"/songs/{song}/changes")["changes"]
    assert [one["words"] for one in changes] == ["bring in long.wav"]


@pytest.mark.parametrize("victim", ["web0", "web1", "worker0", "redis", "database"])
def test_nothing_acknowledged_is_lost_when_one_is_killed(
    person: Person, song: int, servers: Servers, victim: str
) -> None:
    """Several write through the proxy all the time; one part is killed as the power goes, and begun again."""
    acknowledged: list[tuple[str, int]] = []
    voices, enough = ("rim", "clap", "tambourine"), threading.Event()

    def work(voice: str) -> None:
        for number in range(24):
            write(person, song, number * 240, voice=voice)
            acknowledged.append((voice, number * 240))
        enough.set()

    writers = [threading.Thread(target=work, args=(voice,)) for voice in voices]
    for writer in writers:
        writer.start()
    wait_for(lambda: len(acknowledged) > 10)
    servers.kill(victim)
    if victim != "database":
        servers.begin(victim)
    came_back = time.monotonic()
    wait_for(lambda: len(acknowledged) > 40, 60)
    recovered_s = time.monotonic() - came_back
    for writer in writers:
        writer.join(120)
        assert not writer.is_alive()
    for web in (FIRST, SECOND):
        wait_for(lambda web=web: _answers(person, web))
    states = [person.json(f"/songs/{song}/state?screen=bench", web=web) for web in (FIRST, SECOND)]
    for voice in voices:
        ticks = [state["data"]["hits"][voice]["tick"] for state in states]
        assert ticks[0] == ticks[1] == [number * 240 for number in range(24)][: len(ticks[0])]
        assert {tick for name, tick in acknowledged if name == voice} == set(ticks[0])
    changes = person.json(f"/songs/{song}/changes")["changes"]
    assert len(changes) == len(set(acknowledged)) == 72  # none lost, none made twice
    assert recovered_s < 40, recovered_s


def _answers(person: Person, web: int) -> bool:
    try:
        return person.ask("/health", web=web)[0] == 200
    except OSError:
        return False


def test_a_process_ends_when_it_is_asked_to(servers: Servers) -> None:
    """As a proxy takes one out: what it does is ended in order, and the others go on."""
    process = servers.processes["web1"]
    process.send_signal(signal.SIGTERM)
    assert process.wait(20) == 0
    servers.begin("web1")
    servers.wait(servers.web_ports[SECOND])
