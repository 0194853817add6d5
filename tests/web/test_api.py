"""The interface for programs: who may, what is told of songs, edits that are made once, errors in words."""

from __future__ import annotations

import io
import json
import time
from collections.abc import Callable
from typing import Any

import mido
import pytest
import soundfile
from fastapi.testclient import TestClient

from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.groove_json import template_from_doc
from easy_pocket.core.formats.ledger_json import ledger_doc
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.formats.sfz import read_sfz
from easy_pocket.core.formats.song_midi import read_song_midi
from easy_pocket.core.pattern.articulation import FIELDS, Articulation
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.demo.tidewater import slack_water, three_piers
from easy_pocket.jobs.workers import Workers
from easy_pocket.store.database import Database
from easy_pocket.store.songs.edits.pattern import ArticulationFields
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.song_files import song_as_midi
from easy_pocket.store.tokens import make_token, take_token_away, tokens
from easy_pocket.web.api.app import make_api
from easy_pocket.web.api.models import Beat, HitModel
from easy_pocket.web.app import make_app
from tests.drums import ROCK, SWUNG, beat, rendered, wav_bytes

API = "/api/v1"
MakeProgram = Callable[[str], TestClient]


@pytest.fixture
def program(store: Database, workers: Workers) -> MakeProgram:
    """A program with a token of a scope: it is no page, and has no origin."""
    app = make_app(store, workers=workers)

    def made(scope: str) -> TestClient:
        with store.transaction() as session:
            _, token = make_token(session, f"a {scope} script", scope)  # type: ignore[arg-type]
        return TestClient(app, base_url="http://127.0.0.1", headers={"Authorization": f"Bearer {token}"})

    return made


@pytest.fixture
def song(store: Database) -> int:
    with store.transaction() as session:
        three_piers(session)
        return slack_water(session).id


def refused(answer: Any) -> str:
    """The words of a problem, whose shape is as the standard says."""
    assert answer.headers["content-type"] == "application/problem+json"
    doc = answer.json()
    assert (doc["type"], doc["status"]) == ("about:blank", answer.status_code)
    assert doc["title"]
    assert doc["instance"].startswith("/")
    return str(doc["detail"])


def test_only_a_token_opens_it(program: MakeProgram, store: Database, song: int) -> None:
    writing = program("write")
    token = writing.headers.pop("Authorization")
    for given in ({}, {"Authorization": "Bearer pocket-guessed"}, {"Authorization": "Basic abc"}):
        answer = writing.get(f"{API}/songs", headers=given)
        assert answer.status_code == 401
        assert "Programs" in refused(answer)
        assert answer.headers["www-authenticate"] == "Bearer"
    assert writing.get(f"{API}/songs", headers={"Authorization": token}).status_code == 200
    with store.transaction() as session:
        assert token.split()[1] not in json.dumps([[row.digest, row.name] for row in tokens(session)])
        take_token_away(session, tokens(session)[0].id)
    assert writing.get(f"{API}/songs", headers={"Authorization": token}).status_code == 401


def test_a_token_that_reads_changes_nothing(program: MakeProgram, song: int) -> None:
    reading = program("read")
    before = reading.get(f"{API}/songs/{song}").json()
    for method, path, body in (
        ("POST", f"/songs/{song}/edits", {"edit": {"kind": "tempo", "tempo_bpm": 90}}),
        ("POST", f"/songs/{song}/undo", None),
        ("POST", "/songs", {"name": "x", "beats": [{}]}),
        ("DELETE", f"/songs/{song}", None),
    ):
        answer = reading.request(method, f"{API}{path}", json=body)
        assert answer.status_code == 403
        assert "only reads" in refused(answer)
    assert reading.get(f"{API}/songs/{song}").json() == before


def test_a_page_of_another_cannot_use_it(program: MakeProgram, song: int) -> None:
    browser = program("write")
    del browser.headers["Authorization"]
    answer = browser.post(f"{API}/songs/{song}/undo", headers={"Origin": "http://elsewhere.example"})
    assert answer.status_code == 403


def test_songs_come_page_by_page(program: MakeProgram, store: Database) -> None:
    with store.transaction() as session:
        wanted = sorted(slack_water(session).id for _ in range(5))
    reading = program("read")
    found, path, pages = [], f"{API}/songs?limit=2", 0
    while path:
        page = reading.get(path).json()
        assert len(page["items"]) <= 2
        found += [one["id"] for one in page["items"]]
        path, pages = page["next"], pages + 1
    assert found == wanted
    assert pages == 3
    assert "limit" in refused(reading.get(f"{API}/songs?limit=0"))


def test_a_song_has_a_tag_that_changes_with_each_edit(program: MakeProgram, song: int) -> None:
    writing = program("write")
    first = writing.get(f"{API}/songs/{song}")
    tag = first.headers["etag"]
    assert writing.get(f"{API}/songs/{song}", headers={"If-None-Match": tag}).status_code == 304
    made = writing.post(f"{API}/songs/{song}/edits", json={"edit": {"kind": "tempo", "tempo_bpm": 91}}).json()
    assert made["revision"] == first.json()["revision"] + 1
    assert made["undo"] == made["words"]
    second = writing.get(f"{API}/songs/{song}", headers={"If-None-Match": tag})
    assert second.status_code == 200
    assert (second.headers["etag"] != tag, second.json()["tempo_bpm"]) == (True, 91)
    assert writing.post(f"{API}/songs/{song}/undo").json()["redo"] == made["words"]
    assert writing.get(f"{API}/songs/{song}").json()["tempo_bpm"] == first.json()["tempo_bpm"]
    writing.post(f"{API}/songs/{song}/redo")
    assert writing.get(f"{API}/songs/{song}").json()["tempo_bpm"] == 91


def test_an_edit_is_made_once_and_not_over_that_of_another(program: MakeProgram, song: int) -> None:
    writing = program("write")
    seen = writing.get(f"{API}/songs/{song}").json()["revision"]
    sent = {"edit": {"kind": "tempo", "tempo_bpm": 95}, "edit_id": "script-000001", "revision": seen}
    once = writing.post(f"{API}/songs/{song}/edits", json=sent).json()
    again = writing.post(f"{API}/songs/{song}/edits", json=sent).json()
    assert (again["revision"], again["repeated"]) == (once["revision"], True)
    stale = {"edit": {"kind": "tempo", "tempo_bpm": 99}, "edit_id": "other-000001", "revision": seen}
    answer = writing.post(f"{API}/songs/{song}/edits", json=stale)
    assert answer.status_code == 409
    assert "Another changed the same thing" in refused(answer)
    assert writing.get(f"{API}/songs/{song}").json()["tempo_bpm"] == 95


@pytest.mark.parametrize(
    ("path", "body", "status", "words"),
    [
        ("/songs/999999/edits", {"edit": {"kind": "tempo", "tempo_bpm": 90}}, 404, "no such song"),
        ("/songs/{song}/edits", {"edit": {"kind": "tempo", "tempo_bpm": 9}}, 422, "tempo"),
        ("/songs/{song}/edits", {"edit": {"kind": "dance"}}, 422, "edit"),
        ("/songs/{song}/edits", {"edit": {"kind": "tempo", "tempo_bpm": 90}, "more": 1}, 422, "more"),
        ("/perform", {"beat": {"hits": [{"voice": "snore", "tick": 0}]}}, 422, "snore"),
        ("/perform", {"beat": {"hits": [{"voice": "snare", "tick": 3840}]}}, 422, "3840"),
        ("/perform", {"beat": {}, "feel": {"settings": {"swing_percent": 90}}}, 422, "Swing is 90"),
        ("/perform", {"beat": {}, "feel": {"groove": {"format": "none"}}}, 422, "no groove template"),
        ("/perform", {"beat": {"metre": "4/5"}}, 422, "metre"),
        ("/perform", {"beat": {"hits": [{"voice": "kick", "tick": 0, "velocity": 200}]}}, 422, "velocity"),
        ("/grow", {"beat": {}, "kit": "teapot"}, 422, "teapot"),
        ("/songs", {"name": "x", "beats": []}, 422, "beats"),
        ("/pocket?grid=17", {"beat": {}}, 422, "17"),
    ],
)
def test_what_does_not_fit_is_said(
    program: MakeProgram, song: int, path: str, body: dict[str, Any], status: int, words: str
) -> None:
    writing = program("write")
    before = writing.get(f"{API}/songs/{song}").json()
    answer = writing.post(f"{API}{path.format(song=song)}", json=body)
    assert answer.status_code == status
    assert words in refused(answer)
    assert writing.get(f"{API}/songs/{song}").json() == before


def test_hits_and_how_they_are_played_are_the_songs_own(program: MakeProgram, store: Database, song: int) -> None:
    reading = program("read")
    track = reading.get(f"{API}/songs/{song}").json()["tracks"][0]
    place = f"{API}/songs/{song}/parts/{track['id']}/patterns/{track['patterns'][0]['id']}"
    loaded = read_song(store.reader, song)
    assert Beat.model_validate(reading.get(place).json()).pattern.hits == loaded.pattern.hits
    assert reading.get(f"{place}/played").json() == json.loads(json.dumps(ledger_doc(loaded.performance())))
    assert reading.get(f"{API}/songs/{song}/parts/1/patterns/999999").status_code == 404
    assert reading.get(f"{API}/songs/{song}/export/song/midi").content == song_as_midi(loaded).data
    assert "midi" in refused(reading.get(f"{API}/songs/{song}/export/song/tape"))
    by_voice = reading.get(f"{API}/songs/{song}/export/song/midi?by=voice").content
    assert by_voice == song_as_midi(loaded, by="voice").data
    wav = reading.get(f"{API}/songs/{song}/export/pattern/wav?bits=16&timing=straight").content
    assert soundfile.info(io.BytesIO(wav)).subtype == "PCM_16"
    assert "MIDI has no option tempo; it has" in refused(reading.get(f"{API}/songs/{song}/export/song/midi?tempo=9"))
    assert refused(reading.get(f"{API}/songs/{song}/export/song/wav?bits=11")).startswith("bits: ")
    assert read_sfz(reading.get(f"{API}/songs/{song}/export/kit/sfz?turns=round_robin").content, "x.zip").kit.voices


def test_a_beat_is_performed_as_the_core_does(program: MakeProgram) -> None:
    reading = program("read")
    pattern = beat(ROCK)
    sent = {
        "beat": Beat.of(pattern, 104).model_dump(mode="json", exclude_none=True),
        "feel": {"settings": {"swing_percent": 57, "jitter_ms": 2}, "voices": {"snare": {"push_ms": 8}}, "seed": 5},
    }
    feel = FeelScopes(Feel(swing_percent=57.0, jitter_ms=2.0, seed=5), voices={"snare": Feel(push_ms=8.0)})
    expected = perform(pattern, feel, tempo_bpm=104)
    assert reading.post(f"{API}/perform", json=sent).json() == json.loads(json.dumps(ledger_doc(expected)))
    assert reading.post(f"{API}/perform/midi", json=sent).content == write_midi(expected, loop=True).data
    rows = {row["voice"]: row["mean_ms"] for row in reading.post(f"{API}/pocket", json=sent).json()}
    assert rows["snare"] - rows["kick"] > 4


def test_ideas_are_the_same_for_the_same_seed(program: MakeProgram) -> None:
    reading = program("read")
    given = Beat.of(beat(ROCK), 104).model_dump(mode="json", exclude_none=True)
    for path, more, count in (("fill", {"count": 3}, 3), ("vary", {"count": 4, "changes": 2}, 4)):
        first = reading.post(f"{API}/{path}", json={"beat": given, "seed": 3, **more}).json()
        assert len(first) == count
        assert first == reading.post(f"{API}/{path}", json={"beat": given, "seed": 3, **more}).json()
        assert all(idea["changes"] and idea["beat"]["hits"] != given["hits"] for idea in first)
    longer = reading.post(f"{API}/grow", json={"beat": given, "bars": 4}).json()
    assert longer["beat"]["length_ticks"] == 4 * 3840


def test_a_song_is_made_of_beats(program: MakeProgram) -> None:
    writing = program("write")
    given = Beat.of(beat(ROCK), 104).model_dump(mode="json", exclude_none=True)
    bars = given["length_ticks"] // 3840
    sent = {"name": "Two ways", "beats": [{"name": "One", **given}, {"name": "Other", **given, "tempo_bpm": 90}]}
    made = writing.post(f"{API}/songs", json=sent)
    assert made.status_code == 201
    song = made.json()
    assert [(one["name"], one["bars"]) for one in song["sections"]] == [("One", bars), ("Other", bars)]
    midi = read_song_midi(writing.get(f"{API}/songs/{song['id']}/export/song/midi").content, "x.mid")
    assert [one.tempo_bpm for one in midi.sections] == [104.0, 90.0]
    assert len(midi.parts[0].hits) == 2 * len(given["hits"])
    writing.delete(f"{API}/songs/{song['id']}")
    assert writing.get(f"{API}/songs/{song['id']}").status_code == 404


def test_a_loop_is_listened_to_as_a_job(program: MakeProgram) -> None:
    reading = program("read")
    audio, _ = rendered(beat(SWUNG), 88.5, Feel(swing_percent=60))
    begun = reading.post(f"{API}/listen?name=../../etc/loop.wav&bars=2", content=wav_bytes(audio.samples))
    assert begun.status_code == 202
    job = begun.json()
    give_up = time.monotonic() + 60
    while job["result"] is None and job["error"] is None and time.monotonic() < give_up:
        job = reading.get(f"{API}/jobs/{job['id']}").json()
    assert job["error"] is None
    assert job["result"]["heard"]["tempo_bpm"] == pytest.approx(88.5, abs=0.2)
    assert template_from_doc(job["result"]["groove"]).bars == 2
    assert "any more" in refused(reading.get(f"{API}/jobs/{'0' * 32}"))


def test_midi_becomes_a_beat(program: MakeProgram) -> None:
    reading = program("read")
    data = write_midi(perform(beat(ROCK), tempo_bpm=104), loop=True).data
    found = Beat.model_validate(reading.post(f"{API}/beats/from-midi?name=x.mid", content=data).json())
    assert [(hit.voice, hit.tick) for hit in found.pattern.hits] == [(hit.voice, hit.tick) for hit in beat(ROCK).hits]
    assert "no MIDI file" in refused(reading.post(f"{API}/beats/from-midi", content=b"not one"))
    wide = io.BytesIO()
    mido.MidiFile(tracks=[mido.MidiTrack()]).save(file=wide)
    assert "holds no notes" in refused(reading.post(f"{API}/beats/from-midi", content=wide.getvalue()))


def test_what_it_can_do_is_described_whole() -> None:
    described = make_api().openapi()
    for path, methods in described["paths"].items():
        for method, one in methods.items():
            assert one.get("summary"), (path, method)
            assert one["security"] == [{"HTTPBearer": []}], (path, method)
            assert one.get("description"), (path, method)
    kinds = json.dumps(described["components"]["schemas"]["SentEditModel"])
    assert "oneOf" in kinds  # the same models as the page's edits


def test_no_field_of_a_hit_is_lost_on_its_way_in() -> None:
    assert set(ArticulationFields.model_fields) == set(FIELDS)
    backwards = Hit("kick", 480, 90, 1.5, 1, Articulation(backwards=True, length_ticks=480, fade_ms=20.0, into="snare"))
    rolled = Hit("snare", 960, 70, articulation=Articulation("roll", 12, 960, "slowing", -20, room_percent=40))
    for hit in (backwards, rolled):
        assert HitModel.model_validate_json(HitModel.of(hit).model_dump_json(exclude_unset=True)).hit == hit
