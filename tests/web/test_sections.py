"""Sections over HTTP: they begin at bars, are named, joined, hold loops, and come back with undo."""

from __future__ import annotations

from typing import Any

import pytest

from easy_pocket.core.feel.feel import Feel
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.load import load_song
from tests.drums import ROCK, SWUNG, beat, rendered, wav_bytes
from tests.editing import fragment
from tests.web.test_bench import Tab


@pytest.fixture
def tab(client: Any, store: Any) -> Tab:
    with store.transaction() as session:
        song_id = create_song(session, "Slack Water", tempo_bpm=104, bars=8, hits=beat(ROCK).hits).id
    return Tab(client, song_id)


def sections(tab: Tab, store: Any) -> list[tuple[str, int]]:
    with store.transaction() as session:
        return [(row.name, row.bars) for row in load_song(session, tab.song_id).sections]


def ids(tab: Tab, store: Any) -> list[int]:
    with store.transaction() as session:
        return [row.id for row in load_song(session, tab.song_id).sections]


def test_sections_begin_at_bars_are_named_and_joined_and_undo_takes_each_back(tab: Tab, store: Any) -> None:
    assert tab.edit(kind="section_split", bar=5)[0] == 200
    assert tab.edit(kind="section_split", bar=7)[0] == 200
    assert sections(tab, store) == [("Verse", 4), ("Verse 2", 2), ("Verse 3", 2)]
    assert tab.edit(kind="section_name", section_id=ids(tab, store)[1], name="Lift <b>")[0] == 200
    assert tab.edit(kind="section_join", section_id=ids(tab, store)[0])[0] == 200
    assert sections(tab, store) == [("Verse", 6), ("Verse 3", 2)]
    ribbon = fragment(tab.client.get(f"/songs/{tab.song_id}/state?screen=bench").json(), "ribbon")
    assert 'data-first-bar="7" data-bars="2"' in ribbon
    assert tab.post("undo")[0] == 200
    assert sections(tab, store) == [("Verse", 4), ("Lift <b>", 2), ("Verse 3", 2)]
    ribbon = fragment(tab.client.get(f"/songs/{tab.song_id}/state?screen=bench").json(), "ribbon")
    assert "Lift &lt;b&gt;" in ribbon
    for _ in range(3):
        assert tab.post("undo")[0] == 200
    assert sections(tab, store) == [("Verse", 8)]
    for _ in range(4):
        assert tab.post("redo")[0] == 200
    assert sections(tab, store) == [("Verse", 6), ("Verse 3", 2)]


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        ({"kind": "section_split", "bar": 1}, "No section can begin at bar 1"),
        ({"kind": "section_split", "bar": 99}, "No section can begin at bar 99"),
        ({"kind": "section_join", "section_id": 999999}, "This section is gone"),
        ({"kind": "section_name", "section_id": 999999, "name": "x"}, "This section is gone"),
    ],
)
def test_what_no_section_can_be_is_refused(tab: Tab, store: Any, edit: dict[str, Any], words: str) -> None:
    status, refused = tab.edit(**edit)
    assert (status, words in refused["error"]) == (422, True)
    assert sections(tab, store) == [("Verse", 8)]


def test_the_last_section_has_none_to_join(tab: Tab, store: Any) -> None:
    status, refused = tab.edit(kind="section_join", section_id=ids(tab, store)[0])
    assert (status, "Verse is the last section" in refused["error"]) == (422, True)


def test_different_loops_play_in_different_sections_wherever_these_go(tab: Tab, store: Any) -> None:
    audio, _ = rendered(beat(SWUNG), 88.5, Feel(swing_percent=60))
    loops = []
    for name in ("one.wav", "two.wav"):
        address = f"/songs/{tab.song_id}/loops/upload?name={name}"
        answer = tab.client.post(address, content=wav_bytes(audio.samples))
        loops.append(int(answer.json()["address"].rsplit("/", 1)[1]))
        tab.revision = answer.json()["song"]["revision"]
    tab.edit(kind="section_split", bar=5)
    for loop_id, section_id in zip(loops, ids(tab, store), strict=True):
        assert tab.edit(kind="layered_loop", loop_id=loop_id, there=True)[0] == 200
        assert tab.edit(kind="layered_loop_set", loop_id=loop_id, field="section_id", value=section_id)[0] == 200
    assert spans_of(tab, store) == [(1, 4), (5, 8)]
    tab.edit(kind="add_bars", from_bar=1, bars=2)  # the first section grows at the end of the song's bars
    tab.edit(kind="section_split", bar=3)
    assert spans_of(tab, store)[1][0] == 5
    with store.transaction() as session:
        copy = duplicate_song(session, tab.song_id)
        session.flush()
        copied = load_song(session, copy.id)
        assert [(row.name, row.bars) for row in copied.sections] == sections(tab, store)
        assert [(one.settings.from_bar, one.settings.to_bar) for one in copied.values.layered_loops] == spans_of(
            tab, store
        )
    assert spans_of(tab, store)[0] == (1, 4)  # it plays in both halves of what was its section
    first = ids(tab, store)[0]
    assert tab.edit(kind="section_add", after_id=first, how="copy")[0] == 200
    with store.transaction() as session:
        assert [len(one.section_ids) for one in load_song(session, tab.song_id).values.layered_loops] == [3, 1]
    assert tab.post("undo")[0] == 200
    with store.transaction() as session:
        assert [len(one.section_ids) for one in load_song(session, tab.song_id).values.layered_loops] == [2, 1]
    status, refused = tab.edit(kind="layered_loop_set", loop_id=loops[0], field="section_id", value=999999)
    assert (status, "This section is gone" in refused["error"]) == (422, True)
    tab.edit(kind="layered_loop_set", loop_id=loops[0], field="section_id", value=None)
    assert spans_of(tab, store)[0] == (1, 0)


def spans_of(tab: Tab, store: Any) -> list[tuple[int, int]]:
    with store.transaction() as session:
        return [
            (one.settings.from_bar, one.settings.to_bar) for one in load_song(session, tab.song_id).values.layered_loops
        ]


def test_a_section_that_ends_with_its_pattern_goes_along_and_others_stay(tab: Tab, store: Any) -> None:
    tab.edit(kind="section_split", bar=5)
    tab.edit(kind="length", bars=12)
    assert sections(tab, store) == [("Verse", 4), ("Verse 2", 8)]
    assert tab.edit(kind="drop_bars", from_bar=7, bars=6)[0] == 200
    assert sections(tab, store) == [("Verse", 4), ("Verse 2", 2)]
    tab.edit(kind="section_set", section_id=ids(tab, store)[1], field="bars", value=5)
    tab.edit(kind="length", bars=8)
    assert sections(tab, store) == [("Verse", 4), ("Verse 2", 5)]


def test_the_answer_to_a_new_length_shows_the_section_that_goes_along(tab):
    status, answer = tab.edit(kind="length", bars=4)
    assert status == 200
    assert "4 bars" in fragment(answer, "ribbon")
