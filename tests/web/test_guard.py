"""Hostile requests: other origins, other hosts, too much, the wrong type."""

import asyncio
import re

import pytest

from easy_pocket.store.songs.create import create_song
from easy_pocket.web import security
from easy_pocket.web.security import MAX_UPLOAD_BYTES, POLICY


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        return create_song(session, "guarded").id


def edit(song_id, **edit):
    return f"/songs/{song_id}/edits", {"revision": 1, "edit": edit}


def test_every_answer_carries_a_policy_without_outside_or_eval(client):
    for address in ("/", "/static/x/styles.css", "/nowhere"):
        policy = client.get(address).headers["content-security-policy"]
        assert policy == POLICY
    assert "unsafe" not in POLICY
    assert not re.search(r"https?:|\*", POLICY)


@pytest.mark.parametrize("origin", ["http://elsewhere.example", "http://testserver.elsewhere.example", "null", None])
def test_a_change_from_another_origin_is_refused(client, song_id, origin):
    del client.headers["origin"]
    headers = {} if origin is None else {"origin": origin}
    answer = client.post(edit(song_id)[0], json=edit(song_id, kind="tempo", tempo_bpm=90)[1], headers=headers)
    assert answer.status_code == 403
    assert "nothing was changed" in answer.json()["error"]
    assert client.get(f"/songs/{song_id}/state").json()["song"]["tempo_bpm"] == 100


def test_another_host_name_is_refused(client):
    assert client.get("/", headers={"host": "rebound.example:8000"}).status_code == 421


def test_a_large_body_is_refused_while_reading(client, song_id):
    answer = client.post(edit(song_id)[0], content=b" " * 1_100_000, headers={"content-type": "application/json"})
    assert answer.status_code == 413


def test_an_upload_is_counted_while_it_comes_in(client, song_id):
    sent = 0

    def endless():
        nonlocal sent
        while sent < MAX_UPLOAD_BYTES * 2:
            sent += 1_000_000
            yield b"\0" * 1_000_000

    answer = client.post(f"/songs/{song_id}/loops/upload?name=big.wav", content=endless())
    assert answer.status_code == 413
    assert "at most 60 MB" in answer.json()["error"]
    declared = client.post(
        f"/songs/{song_id}/loops/upload?name=big.wav", content=b"", headers={"content-length": str(10**9)}
    )
    assert declared.status_code == 413


@pytest.mark.parametrize(
    "wrong",
    [
        {"kind": "write", "voice": "kick", "tick": -1},
        {"kind": "write", "voice": "../../etc", "tick": 0},
        {"kind": "write", "voice": "kick", "tick": 0, "velocity": 128},
        {"kind": "write", "voice": "kick", "tick": 0, "more": "fields"},
        {"kind": "format_disk"},
        {"kind": "tempo", "tempo_bpm": 0},
        {"kind": "tempo", "tempo_bpm": 1e9},
        {"kind": "tempo", "tempo_bpm": "fast"},
        {"kind": "feel", "scope": "stack", "field": "swing_percent", "value": 99},
        {"kind": "feel", "scope": "kazoo", "field": "push_ms", "value": 1},
        {"kind": "feel", "scope": "stack", "field": "__class__", "value": 1},
        {"kind": "mix", "voice": "kick", "field": "level_db", "value": 99},
        {"kind": "length", "bars": 100000},
        {"kind": "name", "name": ""},
    ],
)
def test_a_wrong_edit_is_refused_and_changes_nothing(client, song_id, wrong):
    before = client.get(f"/songs/{song_id}/state").json()
    address, body = edit(song_id, **wrong)
    answer = client.post(address, json=body)
    assert answer.status_code == 422
    assert answer.json()["error"].rstrip(".").strip()
    assert client.get(f"/songs/{song_id}/state").json() == before


def test_nan_is_no_number(client, song_id):
    body = '{"revision": 1, "edit": {"kind": "offset", "voice": "kick", "tick": 0, "offset_ms": NaN}}'
    answer = client.post(edit(song_id)[0], content=body, headers={"content-type": "application/json"})
    assert answer.status_code == 422


def test_a_name_with_markup_is_shown_as_text(client):
    name = "<script>alert(1)</script> 🥁"
    client.post("/songs", data={"name": name}, follow_redirects=False)
    shelf = client.get("/").text
    assert "<script>alert" not in shelf
    assert "&lt;script&gt;alert(1)&lt;/script&gt; 🥁" in shelf
    address = re.search(r"/songs/\d+/bench", shelf).group()
    bench = client.get(address).text
    assert "<script>alert" not in bench
    state = re.search(r'id="song-state">(.*?)</script>', bench, re.S).group(1)
    assert "\\u003cscript\\u003e" in state


def test_a_file_name_is_only_ever_shown(client, song_id):
    from tests.drums import ROCK, beat, rendered, wav_bytes

    audio, _ = rendered(beat(ROCK), 112.0)
    answer = client.post(
        f"/songs/{song_id}/loops/upload",
        params={"name": "../../../etc/<b>passwd.wav"},
        content=wav_bytes(audio.samples),
    )
    page = client.get(answer.json()["address"]).text
    assert "<b>passwd" not in page
    assert "&lt;b&gt;passwd.wav" in page
    assert "etc/" not in re.search(r'class="name">(.*?)</b>', page).group(1)


def test_a_body_that_does_not_come_is_not_waited_for(client, song_id, monkeypatch):
    monkeypatch.setattr(security, "BODY_S", 0.05)
    sent = []

    async def receive():
        if not sent:
            sent.append("a piece")
            return {"type": "http.request", "body": b"{", "more_body": True}
        await asyncio.Event().wait()

    answered = []

    async def send(message):
        answered.append(message)

    headers = [(b"host", b"testserver"), (b"origin", b"http://testserver"), (b"content-type", b"application/json")]
    scope = {
        "type": "http", "asgi": {"version": "3.0"}, "http_version": "1.1", "method": "POST", "scheme": "http",
        "path": f"/songs/{song_id}/edits", "raw_path": b"", "query_string": b"", "headers": headers,
        "client": ("127.0.0.1", 1), "server": ("testserver", 80),
    }  # fmt: skip
    asyncio.run(client.app(scope, receive, send))
    assert answered[0]["status"] == 408
    assert b"did not come whole" in answered[1]["body"]
