"""Ideas over HTTP: asked for, put in, remembered; and what is refused, in words."""

from __future__ import annotations

from typing import Any

import pytest

from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.store.schema.tables import IdeaRow
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song
from tests.core.idea_scenes import beat
from tests.web.test_bench import Tab


@pytest.fixture
def tab(client: Any, store: Any) -> Tab:
    with store.transaction() as session:
        song_id = create_song(session, "Slack Water", tempo_bpm=104, hits=beat("straight").hits).id
    return Tab(client, song_id)


def ask(tab: Tab, path: str = "", **body: Any) -> tuple[int, Any]:
    answer = tab.client.post(f"/songs/{tab.song_id}/ideas{path}", json=body)
    return answer.status_code, answer.json()


def put(tab: Tab, idea: dict[str, Any], **more: Any) -> tuple[int, Any]:
    return tab.edit(kind="idea", what=idea["kind"], words=idea["words"], changes=idea["changes"],
                    length_ticks=idea["length_ticks"], stages=idea["stages"], **more)  # fmt: skip


@pytest.mark.parametrize("kind", ["fill", "variation", "grow", "build", "roll", "borrow"])
def test_every_kind_of_idea_is_put_in_heard_and_undone(tab: Tab, kind: str) -> None:
    body: dict[str, Any] = {"kind": kind}
    if kind == "roll":
        body |= {"voice": "snare", "begin": 5760, "end": 7680}
    if kind == "borrow":
        body |= {"voice": "shaker", "to_voice": "shaker"}
    status, told = ask(tab, **body)
    assert status == 200, told
    idea = told["ideas"][-1]
    before = tab.state()
    _, heard = ask(tab, "/hear", changes=idea["changes"], length_ticks=idea["length_ticks"])
    assert tab.state() == before  # hearing changes nothing
    status, _ = put(tab, idea)
    assert status == 200
    now = tab.client.get(f"/songs/{tab.song_id}/state?screen=bench").json()
    assert heard["felt"]["start_s"] == now["playing"]["felt"]["start_s"]
    assert tab.post("undo")[0] == 200
    assert tab.state() == before


def test_a_build_up_makes_sections_that_fit_the_bars(tab: Tab, store: Any) -> None:
    _, told = ask(tab, kind="build", stages=3)
    assert put(tab, told["ideas"][0])[0] == 200
    with store.transaction() as session:
        sections = load_song(session, tab.song_id).sections
        assert [(row.name, row.bars) for row in sections] == [("Stage 1", 2), ("Stage 2", 2), ("Verse", 2)]
    tab.edit(kind="drop_bars", from_bar=5, bars=2)
    tab.edit(kind="drop_bars", from_bar=4, bars=1)
    with store.transaction() as session:
        assert [row.bars for row in load_song(session, tab.song_id).sections] == [2, 1, 1]
    for _ in range(3):
        assert tab.post("undo")[0] == 200
    with store.transaction() as session:
        assert [row.name for row in load_song(session, tab.song_id).sections] == ["Verse"]


def test_an_idea_brings_the_rails_it_needs_and_undo_takes_them_away(tab: Tab, store: Any) -> None:
    _, told = ask(tab, kind="fill", ending="crash")
    idea = next(idea for idea in told["ideas"] if any(hit[0] == "crash" for c in idea["changes"] for hit in c["come"]))
    put(tab, idea)
    with store.transaction() as session:
        assert "crash" in load_song(session, tab.song_id).part.voices
    tab.post("undo")
    with store.transaction() as session:
        assert "crash" not in load_song(session, tab.song_id).part.voices


def test_what_is_locked_is_not_overwritten_by_an_idea_made_before(tab: Tab) -> None:
    _, told = ask(tab, kind="fill", seed=2)
    idea = told["ideas"][0]
    gone = next(hit for change in idea["changes"] for hit in change["gone"])
    tab.edit(kind="lock_voice", voice=gone[0], locked=True)
    before = tab.state()
    status, refused = put(tab, idea)
    assert (status, "is locked" in refused["error"]) == (422, True)
    assert tab.state() == before


def test_a_second_tab_is_told_and_nothing_is_overwritten(tab: Tab) -> None:
    _, told = ask(tab, kind="variation")
    other = Tab(tab.client, tab.song_id)
    other.edit(kind="tempo", tempo_bpm=90)
    changes = told["ideas"][0]["changes"]
    known = {voice for voice, _ in other.hits()}
    touched = next(hit for one in changes for hit in (*one["gone"], *one["come"]) if hit[0] in known)
    there = (touched[0], touched[1]) in other.hits()
    kind = {"kind": "remove"} if there else {"kind": "write", "velocity": 33}
    assert other.edit(**kind, voice=touched[0], tick=touched[1])[0] == 200
    before = other.hits()
    status, refused = put(tab, told["ideas"][0])
    assert (status, "Another tab changed the same thing" in refused["error"]) == (409, True)
    assert other.hits() == before


def test_the_log_remembers_each_idea_once_and_gives_it_back(tab: Tab, store: Any) -> None:
    _, told = ask(tab, kind="variation")
    docs = [{name: idea[name] for name in ("kind", "key", "words", "tags", "seed", "length_ticks", "changes")}
            for idea in told["ideas"][:2]]  # fmt: skip
    for state in ("dropped", "pinned"):
        status, answer = ask(tab, "/log", state=state, ideas=docs)
        assert status == 200
    assert [entry["state"] for entry in answer["log"]] == ["pinned", "pinned"]
    back = tab.client.get(f"/songs/{tab.song_id}/ideas/log/back?state=pinned").json()
    assert {idea["key"] for idea in back["ideas"]} == {doc["key"] for doc in docs}
    assert {str(idea["changes"]) for idea in back["ideas"]} == {str(doc["changes"]) for doc in docs}
    status, answer = ask(tab, f"/log/{answer['log'][0]['id']}", state="dropped")
    assert [entry["state"] for entry in answer["log"]] == ["dropped", "pinned"]
    with store.transaction() as session:
        other = create_song(session, "Other").id
        row = session.query(IdeaRow).first()
        number = row.id
    refused = tab.client.post(f"/songs/{other}/ideas/log/{number}", json={"state": "dropped"})
    assert (refused.status_code, "not in the log" in refused.json()["error"]) == (422, True)


def test_a_midi_file_brings_its_fill(tab: Tab) -> None:
    fill = Pattern(3840, tuple(Hit("tom_low", tick, 90) for tick in range(1920, 3840, 240)))
    data = write_midi(perform(fill, tempo_bpm=104.0)).data
    address = f"/songs/{tab.song_id}/ideas/upload?name=..%2F..%2Flanding.mid&beats=2"
    answer = tab.client.post(address, content=data, headers={"Content-Type": "application/octet-stream"}).json()
    assert answer["ideas"][0]["words"].startswith("from landing.mid, 8 hits")
    refused = tab.client.post(address, content=b"no midi", headers={"Content-Type": "application/octet-stream"})
    assert (refused.status_code, "landing.mid" in refused.json()["error"]) == (422, True)


REFUSED = [
    ({"kind": "fill", "beats": 40}, "The length of a fill is 40 beats"),
    ({"kind": "fill", "density": [900, 900]}, "The density is 900"),
    ({"kind": "fill", "keep": ["kick"] * 65}, "at most 64"),
    ({"kind": "fill", "end_tick": 99999}, "the pattern has 2 bars"),
    ({"kind": "variation", "from_bar": 9}, "There is no bar 9; the pattern has 2."),
    ({"kind": "variation", "kinds": ["magic"]}, "no change of the kind 'magic'"),
    ({"kind": "grow", "bars": 4000}, "The number of bars is 4000"),
    ({"kind": "grow", "bars": 2}, "has 2 bars already"),
    ({"kind": "roll", "voice": "gong", "begin": 0, "end": 960}, "The kit has no gong"),
    ({"kind": "roll", "voice": "snare", "begin": 0, "end": 960, "rates": ["7"]}, "There is no rate '7'"),
    ({"kind": "build", "stages": 99}, "The number of stages is 99"),
    ({"kind": "borrow", "voice": "slice_9", "to_voice": "kick"}, "no line of the shelf has more lines"),
    ({"kind": "borrow", "voice": "kick", "to_voice": "kick", "song_id": 99999}, "no such song"),
    ({"kind": "magic"}, "magic"),
]


@pytest.mark.parametrize(("body", "words"), REFUSED, ids=[str(body)[:60] for body, _ in REFUSED])
def test_what_cannot_be_asked_for_is_refused_in_words(tab: Tab, body: dict[str, Any], words: str) -> None:
    before = tab.state()
    status, refused = ask(tab, **body)
    assert status in (404, 422)
    assert words in refused["error"]
    assert tab.state() == before


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ([], "keep one at least"),
        ([{"kind": "add", "come": [["kick", 99_999, 90, 0]]}], "the pattern ends at"),
        ([{"kind": "add", "come": [["kick", 10, 900, 0]]}], "less than or equal to 127"),
        ([{"kind": "add", "come": [["kick"]]}], "come"),
        ([{"kind": "add", "come": [["nothing", 10, 90, 0]]}], "There is no voice 'nothing'"),
        ([{"kind": "add", "come": [["kick", 10, 90, 0, 0, {"ornament": "bang"}]]}], "'bang' is neither"),
    ],
)
def test_an_idea_no_pattern_could_hold_is_refused(tab: Tab, changes: list[Any], words: str) -> None:
    before = tab.state()
    status, refused = tab.edit(kind="idea", what="fill", words="x", changes=changes, length_ticks=7680)
    assert (status, words in refused["error"]) == (422, True), refused
    assert tab.state() == before


def test_what_is_pinned_stays_pinned_when_it_is_taken(tab: Tab) -> None:
    _, told = ask(tab, kind="variation")
    idea = told["ideas"][0]
    doc = {name: idea[name] for name in ("kind", "key", "words", "tags", "seed", "length_ticks", "changes")}
    for state in ("pinned", "taken"):
        _, answer = ask(tab, "/log", state=state, ideas=[doc])
    assert sorted(entry["state"] for entry in answer["log"]) == ["pinned", "taken"]


def test_too_many_steps_of_their_own_are_refused_with_a_way_out(tab: Tab) -> None:
    changes = [{"kind": "add", "come": [["shaker", tick * 10 + 5, 60, 0]]} for tick in range(65)]
    before = tab.state()
    body = {"kind": "idea", "what": "roll", "words": "x", "changes": changes, "length_ticks": 7680}
    status, refused = tab.edit(**body, one_by_one=True)
    assert (status, "put it in as one step" in refused["error"]) == (422, True)
    assert tab.state() == before
    assert tab.edit(**body)[0] == 200


FIELDS = ("kind", "key", "words", "tags", "traits", "seed", "length_ticks", "changes")


def test_what_is_dropped_comes_less_until_it_is_forgotten_or_switched_off(tab: Tab, store: Any) -> None:
    _, plain = ask(tab, kind="fill", seed=5)
    assert plain["learned"] == "0 kept or dropped so far; from 4 on it counts."
    for batch in range(4):
        _, told = ask(tab, kind="fill", seed=5, batch=batch, learned=False)
        ranked = sorted(told["ideas"], key=strokes)
        docs = [{name: idea[name] for name in FIELDS} for idea in ranked]
        ask(tab, "/log", state="taken", ideas=docs[:2])
        _, answer = ask(tab, "/log", state="dropped", ideas=docs[2:])
    assert answer["learned"].startswith("From 24 choices: more: ")
    _, liked = ask(tab, kind="fill", seed=5)
    mean = sum(map(strokes, plain["ideas"])) / 6
    assert sum(map(strokes, liked["ideas"])) / len(liked["ideas"]) < 0.75 * mean
    _, off = ask(tab, kind="fill", seed=5, learned=False)
    assert [idea["key"] for idea in off["ideas"]] == [idea["key"] for idea in plain["ideas"]]
    assert ask(tab, "/choices", kind="fill", forgotten=True)[1]["learned"].startswith("0 kept")
    assert ask(tab, kind="fill", seed=5)[1]["ideas"] == plain["ideas"]
    assert ask(tab, "/choices", kind="fill", forgotten=False)[1]["learned"].startswith("From 24")
    assert ask(tab, kind="fill", seed=5)[1]["ideas"] == liked["ideas"]
    _, answer = ask(tab, "/log", state="passed", ideas=docs[2:])  # taken back
    assert answer["learned"].startswith("From 20")
    with store.transaction() as session:
        other = Tab(tab.client, create_song(session, "Other", hits=beat("straight").hits).id)
    assert ask(other, kind="fill")[1]["learned"].startswith("0 kept")


def strokes(idea: dict[str, Any]) -> float:
    return float(next(one for one in idea["traits"] if one.startswith("strokes="))[8:])


def test_what_was_learned_from_an_idea_goes_and_comes_with_its_step(tab: Tab) -> None:
    def known() -> str:
        learned: str = ask(tab, kind="fill", seed=5)[1]["learned"]
        return learned.split(" ", 1)[0]

    _, told = ask(tab, kind="fill", seed=5)
    for count, idea in enumerate(told["ideas"][:2], start=1):
        learn = {"key": idea["key"], "traits": idea["traits"]}
        status, _ = tab.edit(kind="idea", what="fill", words=idea["words"], changes=idea["changes"],
                             length_ticks=idea["length_ticks"], learn=learn)  # fmt: skip
        assert status == 200
        ask(tab, "/log", state="taken", ideas=[{name: idea[name] for name in FIELDS}])
        assert known() == str(count)
    assert tab.post("undo")[0] == 200
    assert known() == "1"
    ask(tab, "/log", state="taken", ideas=[{name: idea[name] for name in FIELDS}])  # came late, after the undo
    assert known() == "1"
    assert tab.post("redo")[0] == 200
    assert known() == "2"
    assert tab.post("undo")[0] == 200
    assert tab.edit(kind="tempo", tempo_bpm=99)[0] == 200  # the song goes another way
    assert known() == "1"
    assert tab.post("undo")[0] == 200
    assert tab.post("undo")[0] == 200
    assert known() == "0"
