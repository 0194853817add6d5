"""A song shared by links: listened to, copied, written in together, and no more once a link is ended."""

import re

import pytest

from easy_pocket.samples import house_kits
from easy_pocket.store.kits.kits import add_kit
from easy_pocket.store.people.links import forget_guests
from easy_pocket.store.schema.people_tables import PersonRow
from easy_pocket.store.songs.create import create_song
from easy_pocket.web.app import make_app
from tests.conftest import Client
from tests.drums import ROCK, beat
from tests.people import make_people, signed_in

JSON = {"Accept": "application/json"}


@pytest.fixture
def app(store, workers):
    return make_app(store, workers=workers)


@pytest.fixture
def three(store, workers, app):
    """Ada, Ben and Cleo at their pages, and Ada's song on a kit of her own."""
    make_people(store, "Ada", "Ben", "Cleo")
    with store.transaction() as session:
        from dataclasses import replace

        house = house_kits()["boathouse"]
        own = replace(house.with_voice(replace(house.voices[0], drive=0.41)), name="Ada's own")
        kit = add_kit(session, own).key
        song = create_song(session, "Lamplighter", tempo_bpm=104, hits=beat(ROCK).hits, kit_key=kit).id
    return *signed_in(store, workers, "Ada", "Ben", "Cleo", app=app), song


def link(ada, song, kind):
    """Its address, and its number."""
    made = ada.post(f"/songs/{song}/links", data={"kind": kind}).text
    number = max(int(one) for one in re.findall(r"/links/(\d+)/end", made))
    return re.search(r'value="http://testserver(/link/[^"]+)"', made).group(1), number


def at(client, song):
    return client.get(f"/songs/{song}/state", params={"screen": "bench"}).json()["song"]


def test_somebody_is_let_in_to_write_and_out_again_by_one_press(three):
    ada, ben, cleo, song = three
    address, number = link(ada, song, "write")
    assert ben.get(f"/songs/{song}/bench", headers=JSON).status_code == 404
    assert "Ada lets you write in this song" in ben.get(address).text
    led = ben.post(f"{address}/write", follow_redirects=False)
    assert led.headers["location"] == f"/songs/{song}/bench"
    edit = {"kind": "write", "voice": "rim", "tick": 480}
    answer = ben.post(f"/songs/{song}/edits", json={"revision": at(ben, song)["revision"], "edit": edit})
    assert answer.status_code == 200
    assert answer.json()["song"]["undo"].startswith("write rim")
    assert at(ada, song)["undo"] is None  # it was no step of hers
    shelf = ben.get("/").text
    assert "Lamplighter" in shelf
    assert "Ada ·" in shelf
    assert f"/songs/{song}/delete" not in shelf
    assert ben.post(f"/songs/{song}/delete").status_code == 404
    assert ben.post(f"/songs/{song}/links", data={"kind": "write"}).status_code == 404
    assert "Lamplighter" not in cleo.get("/").text
    assert "Ben" in ada.get(f"/songs/{song}/share").text
    ada.post(f"/songs/{song}/links/{number}/end")
    assert ben.get(f"/songs/{song}/bench", headers=JSON).status_code == 404
    assert "Lamplighter" not in ben.get("/").text
    assert "was ended" in ben.get(address, headers={"Accept": "text/html"}).text


def test_who_writes_along_hears_and_changes_the_kit_of_the_song(three):
    ada, ben, _, song = three
    address, _ = link(ada, song, "write")
    ben.post(f"{address}/write")
    page = ben.get(f"/songs/{song}/kit").text
    assert "Ada&#39;s own" in page
    state = ben.get(f"/songs/{song}/state", params={"screen": "bench"}).json()
    key = next(one for one in state["playing"]["felt"]["audio"] if one.startswith("kick"))
    assert ben.get(f"/audio/sounds/{key}.wav").status_code == 200
    made = ben.post(f"/songs/{song}/edits", json={
        "revision": state["song"]["revision"], "edit": {"kind": "kit_name", "name": "Ben was here"},
    })  # fmt: skip
    assert made.status_code == 200  # it is the song's owner's, who let him write
    assert "Ben was here" in ada.get("/").text


def test_a_kit_of_the_house_stays_as_it_is(three, store):
    ada, ben, _, _ = three
    ben.post("/songs", data={"name": "His"})
    song = re.search(r'data-song="(\d+)"', ben.get("/").text).group(1)
    refused = ben.post(f"/songs/{song}/edits", json={
        "revision": at(ben, song)["revision"], "edit": {"kind": "kit_name", "name": "Mine now"},
    })  # fmt: skip
    assert refused.status_code == 422
    assert "belongs to everybody here" in refused.json()["error"]
    own = {"kind": "kit_new", "name": "Ben's own", "source": "song"}
    assert (
        ben.post(f"/songs/{song}/edits", json={"revision": at(ben, song)["revision"], "edit": own}).status_code == 200
    )
    named = {"kind": "kit_name", "name": "Mine now"}
    answer = ben.post(f"/songs/{song}/edits", json={"revision": at(ben, song)["revision"], "edit": named})
    assert answer.status_code == 200
    assert "Mine now" not in ada.get("/").text


def test_a_guest_writes_under_a_name_and_sees_nothing_else(three, app, store):
    ada, _, _, song = three
    address, _ = link(ada, song, "write")
    dora = Client(app)
    assert "your name" in dora.get(address).text
    assert dora.post(f"{address}/write", data={"name": " "}).status_code == 422
    assert dora.post(f"{address}/write", data={"name": "Dora"}, follow_redirects=False).status_code == 303
    edit = {"kind": "tempo", "tempo_bpm": 99}
    answer = dora.post(f"/songs/{song}/edits", json={"revision": at(dora, song)["revision"], "edit": edit})
    assert answer.status_code == 200
    changes = ada.get(f"/songs/{song}/changes").json()["changes"]
    assert (changes[0]["who"], changes[0]["words"]) == ("Dora (guest)", "tempo 99")
    assert dora.get("/", follow_redirects=False).headers["location"] == f"/songs/{song}/bench"
    for path in ("/account", "/songs/from-line", "/programs"):
        assert dora.post(path, headers=JSON).status_code in (404, 405), path
    another = Client(app)
    another.post(f"{address}/write", data={"name": "Dora"})
    assert "Dora (guest 2)" in ada.get(f"/songs/{song}/share").text
    number = re.search(r"/links/(\d+)/end", ada.get(f"/songs/{song}/share").text).group(1)
    ada.post(f"/songs/{song}/links/{number}/end")
    assert dora.get(f"/songs/{song}/bench", headers=JSON).status_code == 404
    with store.transaction() as session:
        from easy_pocket.store.people.links import GUEST_DAYS
        from easy_pocket.store.people.sign_ins import now

        forget_guests(session, now() + 2 * GUEST_DAYS)
        assert session.query(PersonRow).filter(PersonRow.role == "guest").count() == 0


def test_a_listener_hears_the_song_and_nothing_else(three, app):
    ada, _, _, song = three
    address, number = link(ada, song, "listen")
    stranger = Client(app)
    page = stranger.get(address)
    assert page.status_code == 200
    assert "Lamplighter" in page.text
    listen = str(page.url.path)
    told = {timing: stranger.get(f"{listen}/playing?timing={timing}").json() for timing in ("felt", "straight")}
    own = ada.get(f"/songs/{song}/song/playing?timing=felt").json()
    assert told["felt"]["felt"]["start_s"] == own["felt"]["start_s"]
    key = told["felt"]["felt"]["audio"][0]
    sound = stranger.get(f"{listen}/audio/sounds/{key}.wav")
    assert sound.content == ada.get(f"/audio/sounds/{key}.wav").content
    assert stranger.get(f"/audio/sounds/{key}.wav", headers=JSON).status_code == 401
    assert stranger.get(f"/songs/{song}/bench", headers=JSON).status_code == 401
    assert stranger.post(f"{listen}/playing").status_code == 405
    other, _ = link(ada, song, "listen")  # a sound is told to one link
    assert stranger.get(f"/listen/{other.removeprefix('/link/')}/audio/sounds/kick-nothing-0.wav").status_code == 404
    ada.post(f"/songs/{song}/links/{number}/end")
    for path in (listen, f"{listen}/playing", f"{listen}/audio/sounds/{key}.wav"):
        assert stranger.get(path).status_code == 404


def test_a_copy_is_ones_own_with_all_it_plays_on(three, app):
    ada, ben, _, song = three
    address, _ = link(ada, song, "copy")
    led = ben.post(f"{address}/copy", follow_redirects=False)
    copied = int(re.search(r"/songs/(\d+)/", led.headers["location"]).group(1))
    assert copied != song
    assert "Ada&#39;s own" in ben.get(f"/songs/{copied}/kit").text
    assert ben.post(f"/songs/{copied}/edits", json={
        "revision": at(ben, copied)["revision"], "edit": {"kind": "kit_name", "name": "Ben's now"},
    }).status_code == 200  # fmt: skip
    assert "Ben's now" not in ada.get("/").text.replace("&#39;", "'")
    stranger = Client(app)
    assert "Take it as a file" in stranger.get(address).text
    file = stranger.post(f"{address}/copy")
    assert file.headers["content-disposition"] == 'attachment; filename="Lamplighter.pocket"'
    assert file.content[:2] == b"PK"
    assert stranger.post(f"{address}/write", data={"name": "x"}, headers=JSON).status_code == 422


def test_what_is_said_about_a_bar_is_seen_by_all_who_write_and_ticked_off(three):
    ada, ben, cleo, song = three
    address, _ = link(ada, song, "write")
    ben.post(f"{address}/write")
    section = re.search(r'<option value="(\d+)"', ada.get(f"/songs/{song}/comments").text).group(1)
    told = {"section": section, "bar": 2, "voice": "snare", "words": "drags <b>here</b>"}
    assert "pin it" in ben.post(f"/songs/{song}/comments", data=told).text
    seen = ada.get(f"/songs/{song}/comments").text
    assert "Verse, bar 2, snare" in seen
    assert "drags &lt;b&gt;here&lt;/b&gt;" in seen
    assert "Ben," in seen
    assert "you," in ben.get(f"/songs/{song}/comments").text
    number = re.search(r"/comments/(\d+)", seen).group(1)
    assert cleo.post(f"/songs/{song}/comments/{number}", data={"done": "true"}).status_code == 404
    assert "open again" in ada.post(f"/songs/{song}/comments/{number}", data={"done": "true"}).text
    assert "tick off" in ben.post(f"/songs/{song}/comments/{number}", data={"done": "false"}).text
    for wrong, words in (({"bar": 3}, "bars 1 to 2"), ({"words": " "}, "1 to 1000 characters"),
                         ({"section": 99999}, "section is gone")):  # fmt: skip
        refused = ben.post(f"/songs/{song}/comments", data={**told, **wrong}, headers=JSON)
        assert refused.status_code == 422
        assert words in refused.json()["error"]


def test_without_accounts_comments_and_links_work_too(client, store):
    with store.transaction() as session:
        song = create_song(session, "Alone", tempo_bpm=104).id
    assert "no accounts here" in client.get(f"/songs/{song}/share").text
    address, _ = link(client, song, "listen")
    assert "Alone" in client.get(address).text
    section = re.search(r'<option value="(\d+)"', client.get(f"/songs/{song}/comments").text).group(1)
    said = client.post(f"/songs/{song}/comments", data={"section": section, "bar": 1, "words": "softer"}).text
    assert "you," in said
