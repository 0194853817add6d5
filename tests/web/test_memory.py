"""Snapshots, lines and the step list over HTTP: what they answer, and what they refuse in words."""

import pytest

from easy_pocket.store.songs import snapshots
from easy_pocket.store.songs.create import create_song
from tests.drums import ROCK, beat
from tests.web.test_bench import Tab


@pytest.fixture
def tab(client, store):
    with store.transaction() as session:
        song_id = create_song(session, "Slack Water", tempo_bpm=72, hits=beat(ROCK).hits).id
    return Tab(client, song_id)


def ask(tab, path, **body):
    address = f"/songs/{tab.song_id}/{path}"
    answer = tab.client.post(address, json=body) if body else tab.client.get(address)
    return answer.status_code, answer.json()


def test_a_snapshot_is_kept_compared_and_taken_back(tab):
    _, kept = ask(tab, "snapshots", name="first <b>")
    before = tab.state()
    tab.edit(kind="wipe", places=[["kick", 0]])
    _, found = ask(tab, f"compare?one=0&other={kept['kept']}")
    assert found["words"] == ["kick 1.1 added, velocity 112"]
    assert found["marks"] == [{"kind": "added", "voice": "kick", "tick": 0}]
    assert len(found["other"]["felt"]["start_s"]) == len(found["one"]["felt"]["start_s"]) + 1
    status, _ = tab.edit(kind="snapshot_back", snapshot_id=kept["kept"])
    assert status == 200
    assert tab.state() == before
    assert tab.post("undo")[0] == 200
    assert ("kick", 0) not in tab.hits()


def test_a_snapshot_of_another_song_cannot_be_reached(tab, client, store):
    with store.transaction() as session:
        other = Tab(client, create_song(session, "Other", hits=()).id)
    _, kept = ask(tab, "snapshots", name="mine")
    status, result = ask(other, f"compare?one=0&other={kept['kept']}")
    assert (status, "This snapshot is gone" in result["error"]) == (422, True)
    status, result = other.edit(kind="snapshot_back", snapshot_id=kept["kept"])
    assert (status, "This snapshot is gone" in result["error"]) == (422, True)


@pytest.mark.parametrize(
    ("path", "body", "words"),
    [
        ("snapshots", {"name": "   "}, "The name is empty"),
        ("snapshots", {"name": "x" * 81}, "at most 80 fit"),
        ("lines/no-such-line/playing", {}, "This line is gone"),
        ("lines/own-999999999999999999/playing", {}, "This line is gone"),
        ("lines/kick-four-to-the-floor-44", {"removed": True}, "Built-in lines stay"),
        ("compare?one=0&other=77", {}, "This snapshot is gone"),
    ],
)
def test_what_cannot_be_is_refused_in_words(tab, path, body, words):
    status, result = ask(tab, path, **body)
    assert status == 422
    assert words in result["error"]


def test_a_line_of_ones_own_is_kept_put_in_elsewhere_and_put_away(tab, client, store):
    hits = [["snare", 960, 100, 3.5, 0, {"ornament": "flam"}], ["bell", 0, 90, 0, 0, {}]]
    _, result = ask(tab, "lines", name="harbour", length_ticks=3840, hits=hits)
    (line,) = [one for one in result["lines"] if one["own"]]
    assert (line["name"], line["group"], line["voices"]) == ("harbour", "percussion", ["bell", "snare"])
    with store.transaction() as session:
        other = Tab(client, create_song(session, "Other", voices=("kick",)).id)
    status, answer = other.edit(kind="put_line", key=line["key"], start_tick=3840)
    assert status == 200
    # Boathouse has no bell: the rim stands in; both rails are added.
    assert other.hits() == {("snare", 4800): (100, 3.5, (("ornament", "flam"),)), ("rim", 3840): (90, 0.0, ())}
    assert answer["song"]["undo"] == "line harbour"
    other.post("undo")
    assert other.hits() == {}
    _, result = ask(tab, f"lines/{line['key']}", removed=True)
    assert not any(one["own"] for one in result["lines"])


def test_a_line_out_of_bounds_is_refused_whole(tab):
    far = [["snare", 9000, 100, 0, 0, {}]]
    status, result = ask(tab, "lines", name="far", length_ticks=3840, hits=far)
    assert (status, "lies on tick 9000" in result["error"]) == (422, True)
    assert not any(one["own"] for one in ask(tab, "lines")[1]["lines"])


def test_many_steps_are_undone_in_one_go_or_not_at_all(tab):
    for tick in (0, 240, 480):
        tab.edit(kind="write", voice="rim", tick=tick)
    _, listed = ask(tab, "changes")
    assert [change["words"] for change in listed["changes"]] == [
        "write rim at 1.1 &",
        "write rim at 1.1 e",
        "write rim at 1.1",
    ]
    assert tab.post("undo", steps=9)[0] == 422
    assert len([place for place in tab.hits() if place[0] == "rim"]) == 3
    assert tab.post("undo", steps=2)[0] == 200
    assert [place for place in tab.hits() if place[0] == "rim"] == [("rim", 0)]
    _, listed = ask(tab, "changes")
    assert [change["undone"] for change in listed["changes"]] == [True, True, False]


def test_snapshots_that_were_put_away_leave_room_for_others(tab, monkeypatch):
    monkeypatch.setattr(snapshots, "MOST_SNAPSHOTS", 3)
    for number in range(9):
        status, kept = ask(tab, "snapshots", name=f"number {number}")
        assert status == 200, kept
        assert ask(tab, f"snapshots/{kept['kept']}", removed=True)[0] == 200
    for number in range(3):
        assert ask(tab, "snapshots", name=f"kept {number}")[0] == 200
    status, refused = ask(tab, "snapshots", name="one more")
    assert (status, "put some away first" in refused["error"]) == (422, True)
