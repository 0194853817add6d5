"""What the program tells whoever runs it: a line for every request, /health and /ready, and errors nobody foresaw."""

from __future__ import annotations

import json
import logging
import re
import sys
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy.exc import OperationalError

from easy_pocket import logs
from easy_pocket.caches import ByteCache
from easy_pocket.core.cache import ResultCache
from easy_pocket.store.database import Database
from easy_pocket.store.songs.create import create_song
from easy_pocket.web import operations
from easy_pocket.web.app import make_app
from easy_pocket.web.screens.shelf import view as shelf
from tests.conftest import Client
from tests.drums import ROCK, beat

SECRET = "Net Menders Waltz"


@pytest.fixture
def song_id(store: Database) -> int:
    with store.transaction() as session:
        return create_song(session, SECRET, tempo_bpm=104, hits=beat(ROCK).hits).id


def edit(client: Any, song_id: int, edit_id: str = "hands-1", **values: Any) -> Any:
    body = {"edit_id": edit_id, "revision": 1, "edit": values, "view": {}, "looking_at": {}}
    return client.post(f"/songs/{song_id}/edits", json=body)


def lines(caplog: pytest.LogCaptureFixture) -> list[dict[str, Any]]:
    return [record.__dict__["facts"] for record in caplog.records if record.name == "easy_pocket.requests"]


def test_every_request_has_a_line_with_what_it_was_about(
    client: Client, song_id: int, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level(logging.INFO)
    answer = edit(client, song_id, kind="write", voice="rim", tick=480)
    assert answer.status_code == 200, answer.text
    line = lines(caplog)[-1]
    assert line["request"] == answer.headers["x-request-id"]
    assert (line["route"], line["status"], line["song"]) == ("/songs/{song_id}/edits", 200, str(song_id))
    assert (line["kind"], line["revision"]) == ("write", 2)
    assert line["ms"] > 0
    client.get(f"/songs/{song_id}/bench")
    client.get("/songs/999999/bench")
    assert [one["status"] for one in lines(caplog)][-2:] == [200, 404]
    assert len({one["request"] for one in lines(caplog)}) == len(lines(caplog))


def test_no_song_content_is_in_the_log(client: Client, song_id: int, caplog: pytest.LogCaptureFixture) -> None:
    caplog.set_level(logging.DEBUG, "easy_pocket")
    edit(client, song_id, kind="name", name=f"{SECRET} two")
    edit(client, song_id, "hands-2", kind="name", name="x" * 500)
    client.post(f"/songs/{song_id}/loops/upload?name={SECRET}.wav&revision=1", content=b"RIFF")
    said = " ".join(logs.JsonLines().format(one) for one in caplog.records if one.name.startswith("easy_pocket"))
    assert SECRET not in said
    assert "xxxx" not in said


@pytest.fixture
def broken(monkeypatch: pytest.MonkeyPatch) -> None:
    def fails(*arguments: Any) -> Any:
        raise ZeroDivisionError("nobody foresaw this")

    monkeypatch.setattr(operations, "cache_sizes", fails)


@pytest.mark.parametrize("accept", ["application/json", "text/html,*/*"])
def test_what_nobody_foresaw_is_answered_in_our_words_and_found_in_the_log(
    store: Database, workers: Any, broken: None, caplog: pytest.LogCaptureFixture, accept: str
) -> None:
    client = Client(make_app(store, workers=workers))
    answer = client.get("/ready", headers={"Accept": accept})
    assert answer.status_code == 500
    request_id = answer.headers["x-request-id"]
    assert request_id in answer.text
    assert "Something went wrong here" in answer.text
    assert "default-src 'none'" in answer.headers["content-security-policy"]
    if accept.startswith("text/html"):
        assert "To the Shelf" in answer.text
    else:
        assert set(answer.json()) == {"error", "request"}
    record = next(one for one in caplog.records if one.__dict__.get("facts", {}).get("request") == request_id)
    assert record.levelno == logging.ERROR
    assert "nobody foresaw this" in logs.JsonLines().format(record)


def test_a_line_is_json_or_text_as_is_set() -> None:
    try:
        raise ValueError("deep down")
    except ValueError:
        record = logging.getLogger("easy_pocket.x").makeRecord(
            "easy_pocket.x", logging.ERROR, "", 1, "failed", (), sys.exc_info(),
            extra={"facts": {"request": "abc", "ms": 3.1}},
        )  # fmt: skip
    found = json.loads(logs.JsonLines().format(record))
    assert (found["level"], found["request"], found["ms"], found["message"]) == ("error", "abc", 3.1, "failed")
    assert "ValueError: deep down" in found["traceback"]
    line = logs.Lines("%(levelname)s: %(message)s").format(record)
    assert line.startswith("ERROR: failed request=abc ms=3.1\n")
    assert "ValueError: deep down" in line


def test_a_setting_that_cannot_be_is_said_and_the_rule_holds(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("EASY_POCKET_LOG_LEVEL", "LOUD")
    assert logs.setting("EASY_POCKET_LOG_LEVEL", logs.LEVELS, "INFO") == "INFO"
    assert "it can be DEBUG, INFO, WARNING, ERROR" in capsys.readouterr().err


def test_alive_and_ready(client: Client) -> None:
    assert client.get("/health").json() == {"alive": True}
    answer = client.get("/ready")
    found = answer.json()
    assert (answer.status_code, found["ready"]) == (200, True)
    assert found["checks"]["database"]["ms"] < 1000
    assert re.fullmatch(r"\d{4}", found["checks"]["migrations"]["at"])
    assert found["checks"]["disk"]["free_mb"] > 0
    assert {"waiting", "running"} & set(found["checks"]["jobs"])
    assert {"frames", "kits"} <= {one["name"] for one in found["caches"]} | {"frames"}
    assert all(one["bytes"] <= one["most_bytes"] for one in found["caches"])


def test_not_ready_says_why(client: Client, store: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(operations, "LEAST_FREE_MB", 10**12)
    monkeypatch.setattr(operations, "present_revision", lambda engine: "0003")
    answer = client.get("/ready")
    checks = answer.json()["checks"]
    assert (answer.status_code, answer.json()["ready"]) == (503, False)
    assert "MB are free" in checks["disk"]["words"]
    assert checks["migrations"]["at"] == "0003"
    assert "start the program anew" in checks["migrations"]["words"]


@pytest.mark.parametrize(
    ("number", "status", "words"),
    [
        (1021, 507, "The disk is full"),
        (1290, 507, "read-only"),
        (2003, 503, "does not answer"),
        (1205, 503, "Others are"),
    ],
)
def test_each_failure_of_the_database_has_words_of_its_own(
    store: Database, workers: Any, monkeypatch: pytest.MonkeyPatch, number: int, status: int, words: str
) -> None:
    def fails(*arguments: Any) -> Any:
        raise OperationalError("INSERT", {}, Exception(number, "engine's words"))

    monkeypatch.setattr(shelf, "shelf", fails)
    answer = Client(make_app(store, workers=workers)).get("/", headers={"Accept": "application/json"})
    assert answer.status_code == status
    assert words in answer.json()["error"]
    assert "engine's words" not in answer.text


def test_files_of_the_page_have_lasting_names_and_come_compressed(client: Client) -> None:
    page = client.get("/").text
    names = re.findall(r'(?:href|src)="(/static/[^"]+)"', page)
    assert len(names) > 3
    for name in names:
        answer = client.get(name, headers={"Accept-Encoding": "gzip"})
        assert answer.status_code == 200
        assert "immutable" in answer.headers["cache-control"]
    script = next(name for name in names if name.endswith(".css"))
    assert client.get(script, headers={"Accept-Encoding": "gzip"}).headers["content-encoding"] == "gzip"
    assert client.get(re.sub(r"/static/[^/]+/", "/static/0000000000/", script)).status_code in (200, 404)


def test_no_file_is_read_for_a_request(client: Client, song_id: int, monkeypatch: pytest.MonkeyPatch) -> None:
    page = client.get(f"/songs/{song_id}/bench").text

    def fails(*arguments: Any, **named: Any) -> Any:
        raise AssertionError("a file is read")

    for name in ("read_bytes", "read_text", "open"):
        monkeypatch.setattr(Path, name, fails)
    assert client.get(f"/songs/{song_id}/bench").status_code == 200
    for name in re.findall(r'(?:href|src)="(/static/[^"]+)"', page):
        assert client.get(name).status_code == 200


def test_a_cache_holds_no_more_bytes_than_it_may_and_forgets_the_oldest() -> None:
    cache: ByteCache[bytes] = ByteCache("of this test", 1000, len)
    for number in range(20):
        cache.put(number, bytes(100))
    assert cache.facts["bytes"] <= 1000
    assert cache.find(0) is None
    assert cache.find(19) == bytes(100)
    assert cache.put("large", bytes(5000)) == bytes(5000)
    assert cache.find("large") is None
    made = []
    for _ in range(3):
        cache.get("new", lambda: made.append(1) or b"x")  # type: ignore[func-returns-value]
    assert len(made) == 1


def test_a_place_that_is_made_later_has_a_cache_too() -> None:
    place: ResultCache[int] = ResultCache("imported after the program began", 1000)
    made: list[int] = []

    def make() -> int:
        made.append(1)
        return 7

    try:
        for _ in range(3):
            assert place.get("one", make) == 7
        assert len(made) == 1
    finally:
        ResultCache.places.remove(place)


@pytest.mark.parametrize("origin", ["http://[", "http://[::1", "//", "null", "http://testserver:99999999999999"])
def test_an_origin_that_is_no_address_is_refused(client: Client, song_id: int, origin: str) -> None:
    answer = client.post(f"/songs/{song_id}/undo", json={}, headers={"origin": origin})
    assert answer.status_code == 403


@pytest.mark.parametrize("number", ["1e400", "1" + "0" * 400, "-1e400", "NaN"])
@pytest.mark.parametrize("kind", ["tempo", "offset", "write"])
def test_numbers_beyond_all_bounds_are_refused_in_words(client: Client, song_id: int, kind: str, number: str) -> None:
    values = {
        "tempo": f'{{"kind": "tempo", "tempo_bpm": {number}}}',
        "offset": f'{{"kind": "offset", "voice": "kick", "tick": 0, "offset_ms": {number}}}',
        "write": f'{{"kind": "write", "voice": "kick", "tick": {number}, "velocity": 90}}',
    }[kind]
    body = f'{{"edit_id": "hands-1", "revision": 1, "edit": {values}, "view": {{}}, "looking_at": {{}}}}'
    answer = client.post(f"/songs/{song_id}/edits", content=body.encode(), headers={"Content-Type": "application/json"})
    assert 400 <= answer.status_code < 500
    assert answer.json()["error"]


def test_the_logs_file_turns_over(tmp_path: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    root = logging.getLogger()
    handlers, level = root.handlers[:], root.level
    monkeypatch.setattr(logs, "FILE_BYTES", 2000)
    try:
        for handler in handlers:
            root.removeHandler(handler)
        logs.configure(tmp_path)
        for number in range(100):
            logging.getLogger("easy_pocket.x").info("line %d of many", number)
    finally:
        for handler in root.handlers[:]:
            root.removeHandler(handler)
            handler.close()
        for handler in handlers:
            root.addHandler(handler)
        root.setLevel(level)
    files = sorted(tmp_path.glob("easy-pocket.log*"))
    assert 1 < len(files) <= 1 + logs.FILES_KEPT
    assert all(file.stat().st_size <= 2000 for file in files)
