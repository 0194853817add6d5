"""The song over HTTP: parts, cells, sections, joins; every step comes back with undo."""

from __future__ import annotations

import io
import json
from typing import Any

import mido
import pytest

from easy_pocket.core.formats.song_midi import write_song_midi
from easy_pocket.core.song.flatten import flatten
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.store.songs.cells import cell_from_doc, join_from_doc, join_to_doc
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.load import load_song
from tests.core.songs import small
from tests.drums import ROCK, beat
from tests.web.test_bench import Tab

BAR = 3840


class SongTab(Tab):
    def data(self) -> dict[str, Any]:
        """What the Song screen draws."""
        answer = self.client.get(f"/songs/{self.song_id}/state?screen=song&{self.at}")
        found: dict[str, Any] = answer.json()["data"]
        return found

    def look(self, part: int = 0, pattern: int = 0, section: int = 0) -> None:
        self.selection = {"part": part, "pattern": pattern, "section": section}

    def done(self, **edit: Any) -> dict[str, Any]:
        status, told = self.edit(**edit)
        assert status == 200, told
        return self.data()

    def refused(self, **edit: Any) -> str:
        before = self.data()
        status, told = self.edit(**edit)
        assert status == 422, told
        assert self.data() == before
        return str(told["error"])


@pytest.fixture
def tab(client: Any, store: Any) -> SongTab:
    with store.transaction() as session:
        song_id = create_song(session, "Slack Water", tempo_bpm=104, bars=2, hits=beat(ROCK).hits).id
    return SongTab(client, song_id)


def arrangement(store: Any, tab: SongTab) -> Any:
    with store.transaction() as session:
        return load_song(session, tab.song_id).arrangement


def ids(data: dict[str, Any], what: str) -> list[int]:
    return [one["id"] for one in data[what]]


def test_a_part_from_a_line_plays_in_every_section_and_undo_takes_it_away(tab: SongTab, store: Any) -> None:
    before = tab.data()
    data = tab.done(kind="part_add", kit_key="net_loft", line=line_key(tab, "percussion"))
    added = data["parts"][1]
    assert added["kit"] == "net_loft"
    (section,) = ids(data, "sections")
    cell = data["cells"][str(section)][str(added["id"])]
    assert (cell["rest"], cell["name"]) == (False, "A")
    assert set(cell["strokes"]) - {"0"}
    assert tab.post("undo")[0] == 200
    assert tab.data() == before
    assert tab.post("redo")[0] == 200
    assert tab.data() == data


def line_key(tab: SongTab, group: str) -> str:
    from easy_pocket.core.pattern.phrases import starter_phrases

    return next(key for key, line in starter_phrases().items() if line.group == group and str(line.metre) == "4/4")


def test_an_empty_part_is_written_on_by_looking_at_it(tab: SongTab, store: Any) -> None:
    data = tab.done(kind="part_add", kit_key="signal_box", name="Second snare")
    part = data["parts"][1]
    tab.look(part=part["id"])
    assert tab.edit(kind="write", voice="snare", tick=960, velocity=100)[0] == 200
    assert [hit.tick for hit in arrangement(store, tab).parts[1].patterns[part["patterns"][0][0]].hits] == [960]
    assert tab.rails()["hits"]["snare"]["tick"] == [960]
    tab.look()
    assert 960 in tab.rails()["hits"]["snare"]["tick"]  # the first part has its own
    others = tab.rails()["facts"]["others"]
    assert [one["part"] for one in others] == [part["id"]]
    assert others[0]["voices"][0][:2] == ["snare", [960, BAR + 960]]
    assert others[0]["seams"] == [0, BAR]


def test_the_stack_plays_all_parts_and_mute_and_solo_are_heard(tab: SongTab) -> None:
    alone = len(tab.client.get(f"/songs/{tab.song_id}/state").json()["playing"]["felt"]["start_s"])
    data = tab.done(kind="part_copy", part_id=tab.data()["parts"][0]["id"], kit_key="signal_box", muted=["hat_closed"])
    first, second = ids(data, "parts")

    def heard() -> int:
        return len(tab.client.get(f"/songs/{tab.song_id}/state").json()["playing"]["felt"]["start_s"])

    hats = len([hit for hit in beat(ROCK).hits if hit.voice == "hat_closed"])
    assert heard() == 2 * alone - hats
    tab.done(kind="part_set", part_id=first, field="mute", value=True)
    assert heard() == alone - hats
    tab.done(kind="part_set", part_id=first, field="solo", value=True)
    assert heard() == alone
    whole = tab.client.get(f"/songs/{tab.song_id}/song/playing").json()
    assert len(whole["felt"]["start_s"]) == alone
    assert second in ids(data, "parts")


def test_a_part_as_it_goes_round_is_set_in_words(tab: SongTab, store: Any) -> None:
    data = tab.done(kind="part_add", kit_key="net_loft", line=line_key(tab, "percussion"))
    part = data["parts"][1]["id"]

    def put(field: str, value: Any) -> None:
        tab.done(kind="part_set", part_id=part, field=field, value=value)

    put("cycle_ticks", "3/8")
    put("restarts", False)
    put("bars", "every 2nd")
    put("start_shift_ticks", "1 beat")
    put("rotation_ticks", "1 step")
    put("change_percent", 25)
    put("level_db", -6)
    tab.done(kind="pattern_add", part_id=part, copy_of=data["parts"][1]["patterns"][0][0])
    put("pattern_order", "AAAB")
    turning = arrangement(store, tab).parts[1].turning
    assert (turning.cycle_ticks, turning.restarts, turning.bars) == (1440, False, "01")
    assert (turning.shift_ticks, turning.rotation_ticks, turning.change_percent) == (960, 240, 25)
    assert [len(turning.order), len(set(turning.order))] == [4, 2]
    told = tab.data()["parts"][1]
    assert told["said"]["pattern_order"] == "A A A B"
    assert told["words"].startswith("3 8ths · runs free · every 2nd bar")
    assert "'x' is no length" in tab.refused(kind="part_set", part_id=part, field="cycle_ticks", value="x")
    assert "no pattern 'c'" in tab.refused(kind="part_set", part_id=part, field="pattern_order", value="AC")
    assert "is never heard" in tab.refused(kind="part_set", part_id=part, field="bars", value="00")
    assert "The change rate" in tab.refused(kind="part_set", part_id=part, field="change_percent", value=200)
    assert "This part is gone" in tab.refused(kind="part_set", part_id=99999, field="level_db", value=0)
    tab.done(kind="part_set", part_id=part, field="cycle_ticks", value="auto")
    assert arrangement(store, tab).parts[1].turning.cycle_ticks is None


def test_parts_are_split_by_voice_and_merged_again_and_sound_the_same(tab: SongTab, store: Any) -> None:
    before = arrangement(store, tab)
    wanted = {(hit.voice, hit.tick, hit.velocity) for hit in flatten(before).line(before.parts[0].key).hits()}
    data = tab.done(kind="part_split", part_id=before.parts[0].key)
    assert [part["name"] for part in data["parts"]] == ["Backbone: kick", "Backbone: snare", "Backbone: closed hat"]
    song = arrangement(store, tab)
    found = {(h.voice, h.tick, h.velocity) for part in song.parts for h in flatten(song).line(part.key).hits()}
    assert found == wanted
    one, two, three = ids(data, "parts")
    tab.done(kind="part_merge", part_id=one, other_id=two)
    data = tab.done(kind="part_merge", part_id=one, other_id=three)
    assert ids(data, "parts") == [one]
    song = arrangement(store, tab)
    assert {(hit.voice, hit.tick, hit.velocity) for hit in flatten(song).line(one).hits()} == wanted
    for _ in range(3):
        assert tab.post("undo")[0] == 200
    assert ids(tab.data(), "parts") == [before.parts[0].key]
    assert "one part at least" in tab.refused(kind="part_take", part_id=before.parts[0].key)


def test_sections_are_copied_varied_moved_set_and_taken_away(tab: SongTab) -> None:
    verse = ids(tab.data(), "sections")[0]
    tab.done(kind="section_set", section_id=verse, field="repeats", value=2)
    data = tab.done(kind="section_add", after_id=verse, how="variation")
    varied = ids(data, "sections")[1]
    part = ids(data, "parts")[0]
    assert (data["sections"][1]["parent_name"], data["sections"][1]["repeats"]) == ("Verse", 2)
    tab.done(kind="section_set", section_id=verse, field="bars", value=4)
    data = tab.done(kind="cell_level", section_id=verse, part_id=part, value=-3)
    assert data["sections"][1]["bars"] == 4
    assert data["cells"][str(varied)][str(part)]["level_db"] == -3  # it goes along
    data = tab.done(kind="cell_mute", section_id=varied, part_id=part, voice="hat_closed", value=True)
    data = tab.done(kind="section_set", section_id=varied, field="bars", value=6)
    data = tab.done(kind="cell_level", section_id=verse, part_id=part, value=0)
    assert data["cells"][str(varied)][str(part)] | {"strokes": ""} == {
        "rest": False, "own": True, "pattern": data["seen"]["pattern"], "name": "A", "muted": ["hat_closed"],
        "level_db": -3, "feel": {}, "strokes": "",
    }  # fmt: skip
    assert data["sections"][1]["own"] == ["bars", f"cell {part}"]
    data = tab.done(kind="cell_free", section_id=varied, part_id=part)
    assert data["cells"][str(varied)][str(part)]["level_db"] == 0
    data = tab.done(kind="section_set", section_id=varied, field="bars", value=None)
    assert data["sections"][1]["bars"] == 4
    data = tab.done(kind="section_move", section_id=varied, to=0)
    assert ids(data, "sections") == [varied, verse]
    data = tab.done(kind="section_take", section_id=verse)
    assert (ids(data, "sections"), data["sections"][0]["bars"], data["sections"][0]["parent"]) == ([varied], 4, None)
    assert "one section at least" in tab.refused(kind="section_take", section_id=varied)
    for _ in range(11):
        assert tab.post("undo")[0] == 200
    assert [one["name"] for one in tab.data()["sections"]] == ["Verse"]


@pytest.mark.parametrize(
    ("field", "value", "words"),
    [
        ("bars", 0, "The bars of a section"), ("bars", 600, "The bars of a section"), ("repeats", 65, "The repeats"),
        ("tempo_bpm", 900, "The tempo"), ("metre", "4/5", "1/5 is not known"), ("name", "", "The name is empty"),
        ("notes", "x" * 2001, "The notes have 2001"),
    ],
)  # fmt: skip
def test_what_no_section_can_have_is_refused(tab: SongTab, field: str, value: Any, words: str) -> None:
    verse = ids(tab.data(), "sections")[0]
    assert words in tab.refused(kind="section_set", section_id=verse, field=field, value=value)


@pytest.mark.parametrize("value", ["x", 2.5, None])
def test_bars_are_a_whole_number(tab: SongTab, value: Any) -> None:
    verse = ids(tab.data(), "sections")[0]
    assert "The bars of a section" in tab.refused(kind="section_set", section_id=verse, field="bars", value=value)


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("level_db", "loud"), ("level_db", [1]), ("seed", None), ("seed", "x"), ("change_percent", None), ("mute", 3),
        ("restarts", "x"), ("bars", 7), ("pattern_order", True), ("step_ticks", "x"), ("rotation_ticks", None),
        ("kit_key", "nothing"), ("cycle_ticks", [1]), ("cycle_ticks", -5), ("start_shift_ticks", 1e12),
    ],
)  # fmt: skip
def test_what_no_part_can_have_is_refused(tab: SongTab, field: str, value: Any) -> None:
    part = ids(tab.data(), "parts")[0]
    assert len(tab.refused(kind="part_set", part_id=part, field=field, value=value)) > 20


def test_joins_of_a_part_go_along_when_it_is_merged(tab: SongTab, store: Any) -> None:
    first = ids(tab.data(), "parts")[0]
    data = tab.done(kind="part_add", kit_key="boathouse", line=line_key(tab, "hats"))
    second, verse = ids(data, "parts")[1], ids(data, "sections")[0]
    tab.done(kind="join_draw", section_id=verse, part_id=second, beats=1, seed=3)
    before = flatten(arrangement(store, tab)).line(second)
    fill = [hit for hit in before.hits() if hit.tick >= 2 * BAR - 960]
    data = tab.done(kind="part_merge", part_id=first, other_id=second)
    (join,) = data["sections"][0]["joins"]
    assert join["part"] == first
    after = [hit for hit in flatten(arrangement(store, tab)).line(first).hits() if hit.tick >= 2 * BAR - 960]
    assert after == fill


def test_a_song_that_would_be_too_long_is_refused(tab: SongTab) -> None:
    verse = ids(tab.data(), "sections")[0]
    tab.done(kind="section_set", section_id=verse, field="bars", value=300)
    assert "600 bars" in tab.refused(kind="section_set", section_id=verse, field="repeats", value=2)


def test_a_section_with_its_own_tempo_and_metre_plays_so(tab: SongTab) -> None:
    verse = ids(tab.data(), "sections")[0]
    data = tab.done(kind="section_add", after_id=verse, how="copy")
    second = ids(data, "sections")[1]
    tab.done(kind="section_set", section_id=second, field="tempo_bpm", value=52)
    tab.done(kind="section_set", section_id=second, field="metre", value="3/4")
    whole = tab.client.get(f"/songs/{tab.song_id}/song/playing").json()
    bar_s = 4 * 60 / 104
    assert tab.client.get(f"/songs/{tab.song_id}/state").json()["playing"]["tempo_bpm"] == 104
    tab.look(section=second)
    assert tab.client.get(f"/songs/{tab.song_id}/state?{tab.at}").json()["playing"]["tempo_bpm"] == 52
    tab.look()
    assert whole["bars_s"] == pytest.approx([0, bar_s, 2 * bar_s, 2 * bar_s + 180 / 52, 2 * bar_s + 360 / 52])
    assert whole["bar_beats"] == [4, 4, 3, 3]
    late = [at for at in whole["felt"]["start_s"] if at >= 2 * bar_s - 1 / 44_100]
    assert late[0] == pytest.approx(2 * bar_s, abs=1 / 44_100)
    midi = mido.MidiFile(file=io.BytesIO(tab.client.get(f"/songs/{tab.song_id}/song.mid").content))
    tempi = [mido.tempo2bpm(message.tempo) for message in midi.tracks[0] if message.type == "set_tempo"]
    assert tempi == pytest.approx([104, 52], rel=1e-4)


def test_cells_are_set_copied_and_rest(tab: SongTab) -> None:
    data = tab.data()
    verse, part = ids(data, "sections")[0], ids(data, "parts")[0]
    for _ in range(3):
        data = tab.done(kind="section_add", after_id=verse, how="empty")
    sections = ids(data, "sections")
    assert [data["cells"][str(one)][str(part)]["rest"] for one in sections] == [False, True, True, True]
    tab.done(kind="pattern_add", part_id=part, copy_of=data["seen"]["pattern"])
    second = tab.data()["parts"][0]["patterns"][1]
    data = tab.done(kind="cell_set", section_ids=[sections[1]], part_id=part, pattern=second[0])
    assert data["cells"][str(sections[1])][str(part)]["name"] == "B"
    tab.done(kind="cell_feel", section_id=sections[1], part_id=part, field="swing_percent", value=62)
    data = tab.done(kind="cell_copy", part_id=part, from_id=sections[1], to_ids=sections[2:])
    assert [data["cells"][str(one)][str(part)]["feel"] for one in sections[2:]] == [{"swing_percent": 62.0}] * 2
    data = tab.done(kind="cell_set", section_ids=sections, part_id=part, pattern=None)
    assert all(data["cells"][str(one)][str(part)]["rest"] for one in sections)
    assert "let it play a pattern there first" in tab.refused(
        kind="cell_level", section_id=sections[0], part_id=part, value=-3
    )
    assert "no such pattern" in tab.refused(kind="cell_set", section_ids=[verse], part_id=part, pattern=99999)
    tab.post("undo")
    assert "is played in" in tab.refused(kind="pattern_take", part_id=part, pattern_id=second[0])
    assert "Swing" in tab.refused(
        kind="cell_feel", section_id=sections[1], part_id=part, field="swing_percent", value=90
    )


def test_joins_are_added_set_and_heard(tab: SongTab, store: Any) -> None:
    data = tab.data()
    verse, part = ids(data, "sections")[0], ids(data, "parts")[0]
    tab.done(kind="section_add", after_id=verse, how="copy")
    data = tab.done(kind="join_draw", section_id=verse, part_id=part, beats=2, seed=3)
    (fill,) = data["sections"][0]["joins"]
    assert data["sections"][0]["join_words"] == ["fill: 2 beats"]
    assert [name for _, name, _ in data["parts"][0]["patterns"]] == ["A", "fill"]
    song = arrangement(store, tab)
    window = [hit for hit in flatten(song).line(part).hits() if 2 * BAR - 1920 <= hit.tick < 2 * BAR]
    drawn = song.parts[0].patterns[fill["pattern"]]
    assert [(hit.voice, hit.tick - 2 * BAR + 1920) for hit in window] == [(hit.voice, hit.tick) for hit in drawn.hits]
    joins = [
        {**fill, "last_only": True}, {"kind": "crash", "part": part, "voice": "crash"},
        {"kind": "swell", "part": part, "voice": "crash", "beats": 3, "gap_ms": 20, "fade_ms": 30},
        {"kind": "drop", "beats": 0.5, "keep": [part]},
    ]  # fmt: skip
    data = tab.done(kind="joins_set", section_id=verse, joins=joins)
    assert data["sections"][0]["join_words"] == [
        "fill: 2 beats · last time", "crash on the next one", "reverse swell over 3 beats", "drop-out of 0.5 beats",
    ]  # fmt: skip
    whole = tab.client.get(f"/songs/{tab.song_id}/song/playing").json()["felt"]
    assert any("-r" in key and "f1323" in key for key in whole["audio"])
    key = next(key for key in whole["audio"] if "-r" in key)
    assert tab.client.get(f"/audio/sounds/{key}.wav").status_code == 200
    assert "no such fill" in tab.refused(
        kind="joins_set", section_id=verse, joins=[{"kind": "fill", "part": part, "pattern": 99999}]
    )
    assert "The beats of a join" in tab.refused(
        kind="joins_set", section_id=verse, joins=[{"kind": "drop", "beats": 99}]
    )


def test_a_fill_made_in_ideas_ends_a_section_and_the_pattern_stays(tab: SongTab, store: Any) -> None:
    verse = ids(tab.data(), "sections")[0]
    asked = tab.client.post(f"/songs/{tab.song_id}/ideas", json={"kind": "fill", "beats": 2, "ending": "crash"})
    idea = asked.json()["ideas"][0]
    hits = tab.hits()
    data = tab.done(
        kind="join_idea", section_id=verse, changes=idea["changes"], begin_tick=2 * BAR - 1920, end_tick=2 * BAR
    )
    assert tab.hits() == hits
    assert [join["kind"] for join in data["sections"][0]["joins"]] == ["fill", "crash"]
    assert "outside the pattern" in tab.refused(
        kind="join_idea", section_id=verse, changes=idea["changes"], begin_tick=0, end_tick=9 * BAR
    )


def test_hits_struck_twice_are_listed_and_settled(tab: SongTab, store: Any) -> None:
    first = ids(tab.data(), "parts")[0]
    data = tab.done(kind="part_copy", part_id=first, kit_key="boathouse")
    second = ids(data, "parts")[1]
    kicks = next(one for one in data["collisions"] if one["voice"] == "kick")
    assert kicks["words"].startswith("Kick: Backbone and Backbone on Boathouse, 6 times, first at 1.1")
    tab.done(kind="collision", part_id=first, other_id=second, voice="kick", choice="drop")
    song = arrangement(store, tab)
    kick = [hit for part in song.parts for hit in flatten(song).line(part.key).hits() if hit.voice == "kick"]
    assert len(kick) == 6
    assert tab.post("undo")[0] == 200
    assert tab.data()["collisions"][0]["choice"] == "keep"


def test_stages_build_up_and_take_apart_with_energy_that_rises(tab: SongTab) -> None:
    verse = ids(tab.data(), "sections")[0]
    data = tab.done(kind="section_stages", section_id=verse, stages=2, bars=2, way="up")
    assert [one["name"] for one in data["sections"]] == ["Verse stage 1", "Verse stage 2", "Verse"]
    total = data["energy"]["total"]
    steps = [sum(total[at : at + 2]) for at in (0, 2, 4)]
    assert steps[0] < steps[1] < steps[2]
    data = tab.done(kind="section_stages", section_id=verse, stages=2, bars=2, way="down")
    assert [one["name"] for one in data["sections"]][-2:] == ["Verse apart 1", "Verse apart 2"]
    assert "too few for 9 stages" in tab.refused(kind="section_stages", section_id=verse, stages=9)


def test_written_out_flat_it_plays_the_same_and_goes_back(tab: SongTab, store: Any) -> None:
    data = tab.data()
    verse, part = ids(data, "sections")[0], ids(data, "parts")[0]
    tab.done(kind="section_set", section_id=verse, field="repeats", value=3)
    tab.done(kind="part_add", kit_key="net_loft", line=line_key(tab, "percussion"))
    tab.done(kind="join_draw", section_id=verse, part_id=part, beats=2, seed=3)
    tab.done(kind="cell_level", section_id=verse, part_id=part, value=-3)
    before = tab.client.get(f"/songs/{tab.song_id}/song/playing").json()["felt"]
    sectioned = tab.data()
    data = tab.done(kind="song_flat")
    assert [one["name"] for one in data["sections"]] == ["Verse", "Verse, 2nd time", "Verse, 3rd time"]
    assert data["written"]
    assert tab.client.get(f"/songs/{tab.song_id}/song/playing").json()["felt"] == before
    assert "written out already" in tab.refused(kind="song_flat")
    flat = data["parts"][0]["patterns"][-1]
    assert flat[1:] == ["flat", 6 * BAR]
    tab.look(part=part, pattern=flat[0])
    assert tab.edit(kind="write", voice="rim", tick=4 * BAR + 240, velocity=99)[0] == 200  # one bar, edited alone
    rims = [h.tick for h in flatten(arrangement(store, tab)).line(part).hits() if h.voice == "rim"]
    assert rims == [4 * BAR + 240]
    tab.look()
    data = tab.done(kind="song_back")
    assert data["cells"] == sectioned["cells"]
    assert data["sections"] == sectioned["sections"]
    assert tab.client.get(f"/songs/{tab.song_id}/song/playing").json()["felt"] == before


def test_parts_come_from_a_midi_file(tab: SongTab) -> None:
    midi = write_song_midi(perform_song(small()), {}).data
    address = f"/songs/{tab.song_id}/song/upload?name=take.mid&kit_key=boathouse&revision={tab.revision}"
    answer = tab.client.post(f"{address}&by=track", content=midi)
    assert answer.json()["words"] == "2 parts from take.mid"
    data = tab.data()
    assert [part["name"] for part in data["parts"]] == ["Backbone", "Backbone 2", "Shaker"]
    assert data["parts"][1]["patterns"][0][2] == 12 * BAR
    again = tab.client.post(f"{address}&by=track&edit_id=once-1", content=midi)  # on the older revision: both hold
    assert again.status_code == 200
    assert (
        tab.client.post(f"{address}&by=track&edit_id=once-1", content=midi).json()["words"] == "2 parts from take.mid"
    )
    assert len(tab.data()["parts"]) == 5  # sent twice, made once
    wrong = tab.client.post(address, content=b"no")
    assert "is no MIDI file" in wrong.json()["error"]


def test_a_copy_of_a_song_has_all_its_parts_sections_and_joins(tab: SongTab, store: Any) -> None:
    data = tab.data()
    verse, part = ids(data, "sections")[0], ids(data, "parts")[0]
    tab.done(kind="part_add", kit_key="net_loft", line=line_key(tab, "percussion"))
    tab.done(kind="join_draw", section_id=verse, part_id=part, beats=1, seed=3)
    tab.done(kind="section_add", after_id=verse, how="variation")
    with store.transaction() as session:
        copy = duplicate_song(session, tab.song_id)
        session.flush()
        one, other = load_song(session, tab.song_id).arrangement, load_song(session, copy.id).arrangement
        assert {part.key for part in one.parts}.isdisjoint(part.key for part in other.parts)
        for here, there in zip(one.parts, other.parts, strict=True):
            assert flatten(one).line(here.key).hits() == flatten(other).line(there.key).hits()
        assert load_song(session, copy.id).sections[1].parent_id == load_song(session, copy.id).sections[0].id


def test_where_a_page_looks_is_told_in_words_only_the_server_trusts(tab: SongTab) -> None:
    for wrong in ("1", "x.y.z", "1.2.3.4", "99999999999.1.1", "-1.0.0"):
        assert tab.client.get(f"/songs/{tab.song_id}/state?at={wrong}").status_code == 200
    tab.look(part=99999, pattern=99999, section=99999)
    assert tab.client.get(f"/songs/{tab.song_id}/state?{tab.at}").json()["song"]["at"][0] == ids(tab.data(), "parts")[0]


def test_cells_and_joins_come_back_from_their_docs() -> None:
    doc = {"kind": "swell", "part": 3, "voice": "crash", "gap_ms": 20.0, "keep": [4]}
    assert join_to_doc(join_from_doc(json.loads(json.dumps(doc)))) == doc
    cell = cell_from_doc({"pattern": 5, "start": 960, "muted": ["kick"], "feel": {"swing_percent": 60.0}}, {})
    assert (cell.pattern, cell.start_ticks, cell.muted, cell.feel.swing_percent) == (5, 960, {"kick"}, 60.0)
