"""Every route of the program, asked by somebody whose thing it is not: it is not there for them. The routes are those
of the description, so a new one is asked too, or must be named below as one that is about nobody's things."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

import pytest
from sqlalchemy import delete, select

from easy_pocket.core.formats.hand_json import dump_hand
from easy_pocket.core.takes.house_hands import HOUSE_HANDS
from easy_pocket.demo.load import load_demo
from easy_pocket.samples import house_kits
from easy_pocket.store.kits.kits import add_kit
from easy_pocket.store.schema.tables import HandRow, LoopRow, SoundRow, TemplateRow
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.tokens import make_token
from easy_pocket.store.viewer import VIEWER_NOW, Viewer
from easy_pocket.web.app import make_app
from tests.conftest import Client
from tests.people import make_people, signed_in
from tests.working import WAIT

# About no thing of anybody, or about what belongs to whoever asks.
NOBODYS = {
    "/", "/health", "/ready", "/account", "/account/password", "/account/devices/{device_id}/out",
    "/sign-in", "/sign-in/passkey", "/sign-in/passkey/begin", "/account/passkeys", "/account/passkeys/begin",
    "/account/passkeys/{passkey_id}/away", "/sign-out", "/invitation/{secret}", "/people", "/people/{person_id}/out",
    "/people/{person_id}/quotas", "/people/{person_id}/remove", "/backup", "/backups/upload", "/backups/dump",
    "/backups/now", "/backups/kept",
    "/bin/empty", "/programs", "/songs", "/songs/from-line", "/songs/from-midi/upload", "/songs/from-loop/upload",
    "/songs/from-song/upload", "/static/{version}/{name}", "/audio/rooms/{key}.wav", "/audio/clicks/{kind}.wav",
    "/api/docs", "/help/search", "/help/{name}", "/help/pictures/{name}", "/stage/unit", "/takes/latency",
}  # fmt: skip
OWNERS = {"/ready", "/backup", "/backups/upload", "/backups/dump", "/backups/now", "/backups/kept",
          "/people", "/people/{person_id}/out",
          "/people/{person_id}/quotas", "/people/{person_id}/remove"}  # fmt: skip
OF_PROGRAMS = {
    "/songs",
    "/perform",
    "/perform/midi",
    "/beats/from-midi",
    "/pocket",
    "/fill",
    "/vary",
    "/grow",
    "/listen",
    "/grooves",
}


def described(app: Any) -> list[tuple[str, str]]:
    """(method, path) of every route, those of the interface for programs with their prefix."""
    api = next(route.app for route in app.routes if getattr(route, "path", "") == "/api/v1")
    found = [(method.upper(), path) for path, ways in app.openapi()["paths"].items() for method in ways]
    found += [(method.upper(), f"/api/v1{path}") for path, ways in api.openapi()["paths"].items() for method in ways]
    return found


@pytest.fixture
def two(store, workers):
    """Ada with all the demo and a thing of every kind, Ben with nothing; what is Ada's, by the names of routes."""
    load_demo(store)
    ada, ben = make_people(store, "Ada", "Ben")
    app = make_app(store, workers=workers)
    hers, his = signed_in(store, workers, "Ada", "Ben", app=app)
    song = int(re.findall(r'data-song="(\d+)"', hers.get("/").text)[0])
    read = read_song(store.reader, song)
    posted = hers.post(
        f"/songs/{song}/hands/upload?name=hand.json", content=dump_hand(next(iter(HOUSE_HANDS.values()))).encode()
    )
    assert posted.status_code == 200, posted.text
    with store.seen_by(Viewer(ada, "Ada", "owner")).transaction() as session:
        token = make_token(session, "script", "write")[0].id
    ids = things(store, song)
    key = ids.pop("job", None) or "0" * 32
    values = {
        "song_id": song, "sound_id": ids["sound"], "hand_id": ids["hand"], "groove_id": ids["groove"],
        "token_id": token, "loop_id": ids["loop"], "kit_key": ids["kit"], "job": key, "sound": ids["audio"],
        "part": read.part.id,
    }  # fmt: skip
    yield app, hers, his, values, ben
    with store.transaction() as session:  # sounds are kept from test to test
        session.execute(delete(SoundRow).where(SoundRow.key == "hers"))


def things(store, song):
    with store.transaction() as session:
        house = house_kits()["boathouse"]
        voice = replace(house.voices[0], drive=0.37)  # nobody else's sounds like it
        kit = add_kit(session, house.with_voice(voice))
        sound = session.scalars(select(SoundRow).limit(1)).one()
        copy = {column.key: getattr(sound, column.key) for column in SoundRow.__table__.columns if column.key != "id"}
        own = SoundRow(**{**copy, "key": "hers", "owner_id": 1})
        session.add(own)
        session.flush()
        return {
            "kit": kit.key, "audio": f"{voice.role}-{voice.audio_base}-0", "sound": own.id,
            "hand": session.scalar(select(HandRow.id).where(HandRow.owner_id == 1)),
            "groove": session.scalar(select(TemplateRow.id).where(TemplateRow.owner_id == 1)),
            "loop": session.scalar(select(LoopRow.id).limit(1)),
        }  # fmt: skip


def filled(path: str, values: dict[str, Any]) -> str:
    special = {
        "/audio/sounds/{key}.wav": f"/audio/sounds/{values['sound']}.wav",
        "/kits/{key}/away": f"/kits/{values['kit_key']}/away",
        "/bin/kits/{key}/back": f"/bin/kits/{values['kit_key']}/back",
        "/jobs/{key}": f"/jobs/{values['job']}",
        "/jobs/{key}/file": f"/jobs/{values['job']}/file",
        "/jobs/{key}/stop": f"/jobs/{values['job']}/stop",
    }
    plain = path.removeprefix("/api/v1")
    if plain in special:
        return path.removesuffix(plain) + special[plain]
    return re.sub(r"\{(\w+)(:path)?\}", lambda name: str(values.get(name[1], 1)), path)


def test_who_asks_for_what_is_somebody_elses_finds_nothing(two):
    app, _hers, his, values, ben = two
    jobs = app.state.jobs
    token = VIEWER_NOW.set(Viewer(1, "Ada", "owner"))
    values["job"] = jobs.start(WAIT, (600.0,))
    VIEWER_NOW.reset(token)
    with app.state.database.seen_by(Viewer(ben, "Ben")).transaction() as session:
        program = {"Authorization": f"Bearer {make_token(session, 'his script', 'write')[1]}"}
    asked, wrong = 0, []
    for method, path in described(app):
        plain = path.removeprefix("/api/v1") if path.startswith("/api/v1/") else path
        if path in NOBODYS - OWNERS or (path.startswith("/api/v1") and plain in OF_PROGRAMS):
            continue
        headers = {"Accept": "application/json", **(program if path.startswith("/api/v1/") else {})}
        sent = {"json": {"favourite": True}} if plain == "/library/{sound_id}" else {}
        answer = his.request(method, filled(path, values), headers=headers, follow_redirects=False, **sent)
        asked += 1
        if answer.status_code != 404:
            wrong.append((method, path, answer.status_code, answer.text[:80]))
    token = VIEWER_NOW.set(Viewer(1, "Ada", "owner"))
    jobs.stop(values["job"])
    VIEWER_NOW.reset(token)
    assert wrong == [], "\n".join(map(str, wrong))
    assert asked > 100


def test_the_one_whose_things_they_are_finds_them(two):
    """So that the test above does not pass because nothing is there for anybody."""
    _app, hers, _his, values, _ben = two
    for path in (
        "/songs/{song_id}/bench", "/songs/{song_id}/song.pocket", "/audio/sounds/{key}.wav",
        "/hands/{hand_id}/hand.json",
    ):  # fmt: skip
        assert hers.get(filled(path, values)).status_code == 200, path


def test_nobody_who_is_not_signed_in_gets_anything(two):
    app, _hers, _his, values, _ben = two
    stranger = Client(app)
    open_to_all = ("/static/", "/health", "/sign-in", "/invitation/", "/link/", "/listen/", "/help")
    wrong = []
    for method, path in described(app):
        if path.startswith(open_to_all):
            continue
        answer = stranger.request(
            method, filled(path, values), headers={"Accept": "application/json"}, follow_redirects=False
        )
        if answer.status_code != 401:
            wrong.append((method, path, answer.status_code))
    assert wrong == []


def test_what_one_page_was_told_to_play_another_person_cannot_ask_for(two):
    """Loops under a song, by their real keys."""
    _app, hers, his, _values, _ben = two
    for number in re.findall(r'data-song="(\d+)"', hers.get("/").text):
        told = hers.get(f"/songs/{number}/song/playing").json()["layered_loops_at"]
        if told:
            break
    assert told
    for address in (f"/audio/layers/{told[0]['key']}.wav", f"/audio/layers/{told[0]['key']}.bin"):
        assert hers.get(address).status_code == 200
        assert his.get(address).status_code == 404
