"""The groove shelf over HTTP: made in every way, changed, put away, brought in and saved; two songs that share it."""

import json

import numpy as np
import pytest

from easy_pocket.core.formats.groove_csv import load_groove_csv
from easy_pocket.core.formats.groove_json import dump_template, load_template
from easy_pocket.core.formats.groove_midi import load_groove_midi
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.store.grooves.shelf import find_groove, groove_rows
from easy_pocket.store.grooves.templates import save_house_grooves
from easy_pocket.store.loops.loops import add_loop, stored
from easy_pocket.store.songs.create import create_song
from tests.drums import ROCK, SWUNG, Feel, beat, rendered, template
from tests.web.test_bench import Tab


@pytest.fixture
def tab(client, store):
    with store.transaction() as session:
        save_house_grooves(session)
        return Tab(client, create_song(session, "Three Piers", tempo_bpm=96, hits=beat(ROCK).hits).id)


def shelf(store):
    with store.transaction() as session:
        return {row.name: row.id for row in groove_rows(session)}


def groove(store, name):
    with store.transaction() as session:
        return find_groove(session, shelf(store)[name])[1]


def made(tab, **edit):
    status, result = tab.edit(**edit)
    assert status == 200, result
    return result["made"]


def test_a_groove_is_drawn_slot_by_slot_and_each_stroke_is_one_step(tab, store):
    key = made(tab, kind="groove_draw", name="Mine", slots_per_bar=16, bars=1)
    for ms in (4, 9):  # one gesture
        body = {"kind": "groove_slots", "groove_id": key, "lane": "high", "values": [[3, ms, None], [4, None, 0.25]]}
        tab.post("edits", edit=body, gesture="stroke")
    lane = groove(store, "Mine").lanes["high"]
    assert (lane.offset_ms[3], lane.accent[4], lane.offset_ms[4]) == (9, 0.25, 0)
    _, result = tab.post("undo")
    assert result["words"] == "2 slots of groove Mine"
    assert "high" not in groove(store, "Mine").lanes
    tab.post("undo")
    assert "Mine" not in shelf(store)
    tab.post("redo")
    assert "Mine" in shelf(store)


def test_a_groove_is_taken_from_bars_as_they_are_played(tab, store):
    tab.edit(kind="feel", scope="snare", field="push_ms", value=9)
    tab.edit(kind="offset", voice="hat_closed", tick=480, offset_ms=-6)
    made(tab, kind="groove_bars", name="Bar one", from_bar=1, bars=1)
    found = groove(store, "Bar one")
    assert found.source == "bar 1 of Three Piers"
    assert found.lanes["mid"].offset_ms[4] == pytest.approx(9)
    assert found.lanes["high"].offset_ms[2] == pytest.approx(-6)
    status, result = tab.edit(kind="groove_bars", name="None", from_bar=9)
    assert (status, "no hits in bar 9" in result["error"]) == (422, True)


def test_a_groove_is_taken_from_a_loop(tab, store):
    audio, _ = rendered(beat(SWUNG), 96.0, Feel(swing_percent=60))
    with store.transaction() as session:
        loop = add_loop(session, tab.song_id, audio.name, stored(audio), analyze_loop(audio))
        session.flush()
        loop_id = loop.id
    made(tab, kind="groove_loop", name="Heard", loop_id=loop_id, bars=1)
    odd = groove(store, "Heard").lanes["all"]
    told = [ms for ms, guessed in zip(odd.offset_ms[1::2], odd.guessed[1::2], strict=True) if not guessed]
    assert told
    assert np.allclose(told, 0.1 * 2 * 60000 / 96 / 4, atol=1.5)


def test_blends_copies_and_longer_ones_leave_the_first_alone(tab, store):
    names = shelf(store)
    before = groove(store, "Slack Rope")
    made(tab, kind="groove_blend", name="Half and half", shares=[[names["Slack Rope"], 50], [names["Plumb Line"], 50]])
    half = groove(store, "Half and half")
    assert half.lanes["all"].offset_ms == pytest.approx([ms / 2 for ms in before.lanes["all"].offset_ms])
    made(tab, kind="groove_longer", groove_id=names["Slack Rope"], how="stretch")
    made(tab, kind="groove_longer", groove_id=names["Slack Rope"], how="repeat", bars=4)
    made(tab, kind="groove_longer", groove_id=names["Slack Rope"], how="copy")
    assert {"Slack Rope at half", "Slack Rope over 4", "Slack Rope copy"} <= set(shelf(store))
    assert groove(store, "Slack Rope") == before
    six = [[names["Slack Rope"], 1], [names["Ground Swell"], 1]]
    status, result = tab.edit(kind="groove_blend", name="No", shares=six)
    assert (status, "one metre" in result["error"]) == (422, True)


def test_put_away_it_still_moves_the_songs_that_lean_on_it(tab, store):
    key = shelf(store)["Capstan"]
    tab.edit(kind="feel", scope="stack", field="template_id", value=key)
    felt = tab.rails()["hits"]["hat_closed"]["offset"]
    assert max(felt) > 50
    tab.edit(kind="groove_away", groove_id=key)
    assert "Capstan" not in shelf(store)
    assert tab.rails()["hits"]["hat_closed"]["offset"] == felt
    status, result = tab.edit(kind="groove_away", groove_id=key)
    assert (status, "not on the shelf" in result["error"]) == (422, True)


def test_another_song_sees_the_change_and_undo_never_overwrites_its_own(tab, client, store):
    key = made(tab, kind="groove_draw", name="Shared", slots_per_bar=8, bars=1)
    with store.transaction() as session:
        other = Tab(client, create_song(session, "Other", hits=beat(ROCK).hits).id)
    other.edit(kind="feel", scope="stack", field="template_id", value=key)
    change = {"kind": "groove_slots", "groove_id": key, "lane": "all"}
    tab.edit(**change, values=[[1, 20, None]])
    assert other.edit(kind="tempo", tempo_bpm=90)[0] == 200  # the groove is not what it touches
    other.revision -= 2
    status, result = other.edit(**change, values=[[1, 5, None]])
    assert status == 409
    assert result["theirs"] == ["slot 2 of groove Shared (in another song)"]
    assert max(result["now"]["data"]["hits"]["hat_closed"]["offset"]) > 0
    other.revision = result["now"]["song"]["revision"]
    other.edit(**change, values=[[1, 33, None]])
    _, undone = tab.post("undo")
    assert "stays as it is: another song changed it since" in undone["words"]
    assert groove(store, "Shared").lanes["all"].offset_ms[1] == 33


@pytest.mark.parametrize(("kind", "read"), [("json", load_template), ("csv", load_groove_csv)])
def test_a_groove_saved_and_brought_in_again_is_the_same(tab, store, kind, read):
    key = shelf(store)["Low Tide"]
    saved = tab.client.get(f"/songs/{tab.song_id}/grooves/{key}/groove.{kind}")
    assert saved.headers["content-disposition"] == f'attachment; filename="Low Tide.{kind}"'
    assert read(saved.content, "x") == groove(store, "Low Tide")
    address = f"/songs/{tab.song_id}/grooves/upload?name=..%2F..%2Fmine.{kind}"
    result = tab.client.post(address, content=saved.content).json()
    with store.transaction() as session:
        assert find_groove(session, result["made"])[1] == groove(store, "Low Tide")


def test_a_groove_as_midi(tab, store):
    key = shelf(store)["Brass Lantern"]
    saved = tab.client.get(f"/songs/{tab.song_id}/grooves/{key}/groove.midi").content
    back = load_groove_midi(saved, "x.mid")
    assert np.allclose(back.lanes["high"].offsets, groove(store, "Brass Lantern").lanes["high"].offsets, atol=0.3)


BAD = json.loads(dump_template(template([0.0] * 16, 100.0)))


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.json", b"{}", "a.json: This is no groove template"),
        ("a.json", b"\xff\x00", "a.json is not JSON"),
        ("a.json", json.dumps({**BAD, "slots_per_bar": 1000}).encode(), "slots per bar is 1000"),
        ("a.json", json.dumps({**BAD, "tempo_bpm": -90}).encode(), "tempo is -90"),
        ("a.csv", b"x", "needs a first row"),
        ("a.mid", b"MThd", "damaged"),
        ("a.wav", b"RIFF", "a.wav is no groove"),
    ],
)
def test_bad_files_are_refused_in_words_and_leave_nothing(tab, store, name, data, words):
    before = shelf(store)
    answer = tab.client.post(f"/songs/{tab.song_id}/grooves/upload?name={name}", content=data)
    assert answer.status_code == 422
    assert words in answer.json()["error"]
    assert shelf(store) == before


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        ({"kind": "groove_draw", "name": "", "slots_per_bar": 16}, "name is empty"),
        ({"kind": "groove_draw", "name": "x", "slots_per_bar": 0}, "slots per bar is 0"),
        ({"kind": "groove_draw", "name": "x", "slots_per_bar": 16, "bars": 9}, "bars is 9"),
        ({"kind": "groove_slots", "lane": "all", "values": [[99, 1, None]]}, "The slot is 100"),
        ({"kind": "groove_slots", "lane": "all", "values": [[0, 400, None]]}, "slot 1 is 400 ms"),
        ({"kind": "groove_slots", "lane": "treble", "values": [[0, 4, None]]}, "no band 'treble'"),
        ({"kind": "groove_name", "name": "  "}, "name is empty"),
    ],
)
def test_what_does_not_fit_is_refused_in_words(tab, store, edit, words):
    if edit["kind"] != "groove_draw":
        edit = {**edit, "groove_id": shelf(store)["Half Hitch"]}
    before = groove(store, "Half Hitch"), shelf(store)
    status, result = tab.edit(**edit)
    assert status == 422
    assert words in result["error"]
    assert (groove(store, "Half Hitch"), shelf(store)) == before


def test_trying_a_groove_changes_nothing(tab, store):
    before = tab.state()
    straight = tab.client.get(f"/songs/{tab.song_id}/grooves/0/playing").json()
    tried = tab.client.get(f"/songs/{tab.song_id}/grooves/{shelf(store)['Capstan']}/playing?scope=hat_closed").json()
    assert tried["felt"]["start_s"] != straight["felt"]["start_s"]
    assert tab.state() == before
    missing = tab.client.get(f"/songs/{tab.song_id}/grooves/99999/playing")
    assert (missing.status_code, "not on the shelf" in missing.text) == (422, True)
