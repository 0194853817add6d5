"""What no page of ours would send: every answer is in our words, and nothing is an error nobody foresaw."""

from __future__ import annotations

import io
import json
import random
import zipfile
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import schemathesis
import soundfile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import PocketError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.template import GrooveTemplate, Lane
from easy_pocket.core.formats.groove_csv import dump_groove_csv
from easy_pocket.core.formats.groove_json import dump_template
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.jobs import work
from easy_pocket.store.database import Database
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.edits.registry import KINDS
from easy_pocket.store.songs.load import read_song
from easy_pocket.web.shared import song_watch
from tests.conftest import Client, fresh_kits
from tests.drums import ROCK, beat, wav_bytes

SFZ = "#define $k 36\n<region> sample=kick.wav key=$k\n<region> sample=kick.wav key=38 seq_length=2\n"
FEW, MANY = 3, 130  # of each route
SLOW = list(HealthCheck)


@pytest.fixture
def song_id(store: Database) -> int:
    with store.transaction() as session:
        return create_song(session, "Lamplighter", tempo_bpm=104, hits=beat(ROCK).hits).id


def test_no_route_of_ours_fails_whatever_it_is_asked(
    client: Client, store: Database, song_id: int, deep: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(song_watch, "LONGEST_S", 0.05)  # who follows a song is told for an hour
    monkeypatch.setattr(song_watch, "ALIVE_S", 0.02)
    described = client.app.openapi()  # type: ignore[attr-defined]
    operations = [found.ok() for found in schemathesis.openapi.from_dict(described).get_all_operations()]
    assert len(operations) > 60
    sent = 0
    for operation in operations:

        @given(operation.as_strategy(), st.booleans())
        @settings(max_examples=MANY if deep else FEW, suppress_health_check=SLOW, database=None)
        def ask(case: Any, real: bool) -> None:
            nonlocal sent
            if real and "song_id" in (case.path_parameters or {}):
                case.path_parameters["song_id"] = song_id
            wanted = case.as_transport_kwargs(base_url="http://testserver")
            wanted.pop("cookies", None)
            headers = {**dict(wanted.pop("headers", {})), "origin": "http://testserver", "host": "testserver"}
            answer = client.request(headers=headers, **wanted)
            sent += 1
            assert answer.status_code < 500, (case.operation.label, wanted, answer.text[:300])

        ask()
    assert sent > len(operations)
    with store.transaction() as session:
        create_song(session, "Still here", tempo_bpm=100)


def test_no_edit_fails_whatever_its_values_are(client: Client, store: Database, song_id: int, deep: bool) -> None:
    ids = _valid_ids(store, song_id)
    described = schemathesis.openapi.from_dict(_edits_described(ids))
    for found in described.get_all_operations():
        operation = found.ok()

        @given(operation.as_strategy())
        @settings(max_examples=60 if deep else 2, suppress_health_check=SLOW, database=None)
        def make(case: Any) -> None:
            kind = case.operation.path.strip("/")
            values = case.body if isinstance(case.body, dict) else {}
            body = {"edit_id": f"hostile-{random.getrandbits(60)}", "revision": 1, "edit": {**values, "kind": kind}}
            headers = {"Content-Type": "application/json"}
            answer = client.post(f"/songs/{song_id}/edits", content=json.dumps(body).encode(), headers=headers)
            assert answer.status_code < 500, (body, answer.text[:300])

        make()
    try:
        assert read_song(store.reader, song_id).revision > 1
    finally:
        fresh_kits(store)


def _edits_described(ids: dict[str, list[int]]) -> dict[str, Any]:
    """Every kind of edit as if it were a route of its own, for values to be drawn from its model."""
    paths: dict[str, Any] = {}
    shared: dict[str, Any] = {}
    for name, kind in KINDS.items():
        if kind.by_file:
            continue
        schema = kind.request.model_json_schema(ref_template="#/components/schemas/{model}")
        shared |= schema.pop("$defs", {})
        body = {"required": True, "content": {"application/json": {"schema": _with_ids(schema, ids)}}}
        answers = {"200": {"description": "made"}}
        paths[f"/{name}"] = {"post": {"requestBody": body, "responses": answers}}
    about = {"title": "edits", "version": "1"}
    return {"openapi": "3.1.0", "info": about, "paths": paths, "components": {"schemas": shared}}


def _valid_ids(store: Database, song_id: int) -> dict[str, list[int]]:
    song = read_song(store.reader, song_id)
    return {
        "part_id": [part.id for part in song.parts],
        "section_id": [one.id for one in song.sections],
        "pattern_id": [pattern for part in song.arrangement.parts for pattern in part.patterns],
    }


def _with_ids(schema: dict[str, Any], ids: dict[str, list[int]]) -> dict[str, Any]:
    """The schema, where it asks for something of the song, asks for one that is there."""
    fields = {
        name: {"enum": [*ids[name], 999_999]} if name in ids else field
        for name, field in schema.get("properties", {}).items()
    }
    return {**schema, "properties": fields}


def _files() -> dict[str, tuple[bytes, Callable[[bytes], Any]]]:
    """Good files of every kind, each with what reads it."""
    rng = np.random.default_rng(3)
    clicks = np.zeros(88_200)
    clicks[::11_025] = 0.9
    noisy = np.convolve(clicks, np.exp(-np.arange(400) / 60) * rng.standard_normal(400))[:88_200].astype(np.float32)
    coded = {}
    for kind in ("FLAC", "OGG"):
        out = io.BytesIO()
        soundfile.write(out, noisy[:8000], 44_100, format=kind)
        coded[kind.lower()] = out.getvalue()
    played = perform(beat(ROCK), tempo_bpm=100)
    midi = write_midi(played).data
    lane = Lane((1.5, -2.5, 3.25, 4.0) * 4, (0.5,) * 16)
    groove = GrooveTemplate("Made", 100.0, 16, {"all": lane})
    table, doc = dump_groove_csv(groove).encode(), dump_template(groove).encode()
    return {
        "wav": (wav_bytes(noisy[:22_050]), lambda data: work.read_sounds(data, "a.wav")),
        "flac": (coded["flac"], lambda data: work.read_sounds(data, "a.flac")),
        "ogg": (coded["ogg"], lambda data: work.read_sounds(data, "a.ogg")),
        "mid": (midi, lambda data: work.read_parts(data, "a.mid", False)),
        "fill": (midi, lambda data: work.read_fill(data, "a.mid")),
        "groove mid": (midi, lambda data: work.read_groove(data, "a.mid")),
        "json": (doc, lambda data: work.read_groove(data, "a.json")),
        "csv": (table, lambda data: work.read_groove(data, "a.csv")),
        "zip": (_small_kit(noisy), lambda data: work.read_kit(data, "a.zip")),
        "loop": (wav_bytes(noisy), lambda data: work.analyze_file(data, "a.wav")),
    }


def _small_kit(samples: Any) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as kit:
        kit.writestr("kit.sfz", SFZ)
        kit.writestr("kick.wav", wav_bytes(samples[:4000]))
    return out.getvalue()


def test_no_spoiled_file_breaks_its_reader(deep: bool) -> None:
    chance = random.Random() if deep else random.Random(8)
    files = _files()
    told: list[str] = []
    for good, read in files.values():
        read(good)
        for _ in range(2000 // len(files) if deep else 10):
            data = _spoiled(good, chance)
            try:
                read(data)
            except PocketError as error:
                told.append(str(error))
    assert told
    assert {words for words in told if not 10 < len(words) < 900} == set()


def _spoiled(good: bytes, chance: random.Random) -> bytes:
    """Bytes changed, taken out, put in twice, or the end cut off."""
    data = bytearray(good)
    for _ in range(chance.choice([1, 1, 2, 5, 30])):
        at = chance.randrange(len(data))
        length = chance.choice([1, 1, 2, 4, 16, 200])
        way = chance.randrange(5)
        if way == 0:
            data[at] = chance.randrange(256)
        elif way == 1:
            data[at : at + length] = bytes([chance.choice([0, 255, 127, 128])] * length)
        elif way == 2 and len(data) > length + 8:
            del data[at : at + length]
        elif way == 3:
            data[at:at] = data[at : at + length]
        elif len(data) > 16:
            del data[max(at, 8) :]
    return bytes(data)
