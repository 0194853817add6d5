"""What one takes from a loop over HTTP: groups mended, hits written on the kit, sitting in, slices, other tempi."""

import io
import re
import zipfile
from dataclasses import replace

import numpy as np
import pytest
import soundfile

from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.listen.loop_analysis import Corrections, analyze_loop
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.demo.bollard import bollard_mouth
from easy_pocket.store.kits.kits import load_kit
from easy_pocket.store.loops.loops import add_loop, stored
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song
from tests.drums import SWUNG, beat, rendered, wav_bytes
from tests.web.test_bench import Tab

AUDIO, _ = rendered(beat(SWUNG), 96.0, Feel(swing_percent=60))
HEARD = analyze_loop(AUDIO)


class LoopTab(Tab):
    """A tab that shows a loop of its song."""

    def __init__(self, client, song_id, loop_id):
        super().__init__(client, song_id)
        self.loop_id = loop_id

    def correct(self, **change):
        return self.edit(kind="loop_correct", loop_id=self.loop_id, change=change)

    def get(self, path):
        return self.client.get(f"/songs/{self.song_id}/loops/{self.loop_id}/{path}")

    def groups(self):
        return {group["name"]: (group["voice"], len(group["times"])) for group in self.get("groups").json()["groups"]}

    def against(self, **wanted):
        answer = self.client.post(f"/songs/{self.song_id}/loops/{self.loop_id}/against", json=wanted)
        return answer.status_code, answer.json()


@pytest.fixture
def tab(client, store):
    with store.transaction() as session:
        song = create_song(session, "Ferry Bell", tempo_bpm=100, hits=beat(SWUNG).hits)
        loop = add_loop(session, song.id, AUDIO.name, stored(AUDIO), HEARD)
        session.flush()
        return LoopTab(client, song.id, loop.id)


def test_groups_are_split_joined_given_to_voices_and_undone(tab):
    first = tab.groups()
    assert {voice for voice, _ in first.values()} == {"kick", "snare", "hat_closed"}
    names = list(first)
    tab.correct(kind="group_voice", group=names.index("snare"), voice="clap")
    assert tab.groups()["snare"][0] == "clap"
    tab.correct(kind="group_split", group=0)
    assert len(tab.groups()) == len(first) + 1
    tab.correct(kind="group_merge", group=1, into=0)
    assert tab.groups()[names[0]][1] == first[names[0]][1]
    for _ in range(3):
        tab.post("undo")
    assert tab.groups() == first


def test_a_hit_goes_from_one_group_to_another_and_survives_hearing_again(tab):
    groups = tab.get("groups").json()["groups"]
    hats = next(place for place, group in enumerate(groups) if group["voice"] == "hat_closed")
    kicks = next(place for place, group in enumerate(groups) if group["voice"] == "kick")
    alone = next(t for t in groups[hats]["times"] if all(abs(t - k) > 0.05 for k in groups[kicks]["times"]))
    tab.correct(kind="group_move", time_s=alone, group=hats, to=kicks)
    tab.correct(kind="sensitivity", value=0.45)
    after = tab.get("groups").json()["groups"]
    place = next(k for k, t in enumerate(after[kicks]["times"]) if abs(t - alone) < 0.006)
    assert after[kicks]["certainty"][place] == 1.0  # the user has said so
    assert after[hats]["certainty"][0] == groups[hats]["certainty"][0]
    assert not any(abs(t - alone) < 0.006 for t in after[hats]["times"])


def test_a_hit_that_is_two_sounds_is_in_both_groups_and_written_on_both_voices(tab):
    groups = tab.get("groups").json()["groups"]
    hats = next(place for place, group in enumerate(groups) if group["voice"] == "hat_closed")
    snares = next(place for place, group in enumerate(groups) if group["voice"] == "snare")
    alone = next(t for t in groups[hats]["times"] if all(abs(t - s) > 0.05 for s in groups[snares]["times"]))
    tab.correct(kind="group_move", time_s=alone, group=hats, to=snares, stays=True)
    after = tab.get("groups").json()["groups"]
    for place in (hats, snares):
        assert any(abs(t - alone) < 1e-4 for t in after[place]["times"])
    assert len(after[hats]["times"]) == len(groups[hats]["times"])
    change = {"kind": "group_move", "time_s": alone, "group": hats, "to": None, "stays": True}
    status, refused = tab.edit(kind="loop_correct", loop_id=tab.loop_id, change=change)
    assert (status, "choose one" in refused["error"]) == (422, True)
    tab.edit(kind="loop_beat", loop_id=tab.loop_id, how="replace", tempo=True)
    struck = {(voice, tick) for voice, tick in tab.hits()}
    assert sum(voice == "snare" for voice, _ in struck) == len(after[snares]["times"])
    tab.post("undo")
    tab.post("undo")
    assert tab.get("groups").json()["groups"] == groups


def test_the_hits_are_written_on_the_kit_at_the_loops_tempo_and_undone_in_one_step(tab, store):
    before = tab.state(), tab.client.get(f"/songs/{tab.song_id}/state").json()["song"]["tempo_bpm"]
    status, result = tab.edit(kind="loop_beat", loop_id=tab.loop_id, how="replace", tempo=True)
    assert status == 200, result
    hits = tab.hits()
    wanted = {(hit.voice, hit.tick) for hit in beat(SWUNG).hits}
    assert len(wanted & set(hits)) / len(wanted) > 0.9
    swung_ms = 0.1 * 2 * 60000 / 96 / 4
    assert hits["hat_closed", 1680][1] == pytest.approx(swung_ms, abs=1)
    with store.transaction() as session:
        assert load_song(session, tab.song_id).row.tempo_bpm == pytest.approx(96, abs=0.1)
    _, undone = tab.post("undo")
    assert undone["words"].startswith("hits of")
    assert (tab.state(), tab.client.get(f"/songs/{tab.song_id}/state").json()["song"]["tempo_bpm"]) == before


def test_joined_hits_leave_what_is_written_alone(tab):
    tab.edit(kind="wipe", places=[["kick", 0]])
    tab.edit(kind="velocity", voice="snare", tick=960, velocity=31)
    tab.edit(kind="loop_beat", loop_id=tab.loop_id, how="join")
    hits = tab.hits()
    assert hits["snare", 960][0] == 31
    assert ("kick", 0) in hits


def test_locked_rows_are_not_written_over(tab):
    tab.edit(kind="lock_voice", voice="snare", locked=True)
    before = tab.state()
    for how in ("replace", "join"):
        tab.edit(kind="lock_voice", voice="kick", locked=how == "join")
        status, result = tab.edit(kind="loop_beat", loop_id=tab.loop_id, how=how)
        if how == "replace":
            assert (status, "is locked" in result["error"]) == (422, True)
            assert tab.hits() == before[0]
    assert {place: hit for place, hit in tab.hits().items() if place[0] == "snare"} == {
        place: hit for place, hit in before[0].items() if place[0] == "snare"
    }


def test_a_loop_in_three_brings_its_metre_and_takes_it_away_again(client, store):
    waltz = beat({"kick": "X.....x.....", "snare": "....x...x...", "ride": "x...x...x..."}, Metre(3, 4))
    audio, _ = rendered(Pattern(4 * 2880, tuple(
        replace(hit, tick=hit.tick + bar * 2880) for bar in range(4) for hit in waltz.hits
    ), Metre(3, 4)), 120.0)  # fmt: skip
    heard = analyze_loop(audio, Corrections(bars=4, metre=Metre(3, 4)))
    with store.transaction() as session:
        song = create_song(session, "Three Piers", tempo_bpm=100, hits=beat(SWUNG).hits)
        loop = add_loop(session, song.id, audio.name, stored(audio), heard)
        session.flush()
        tab = LoopTab(client, song.id, loop.id)
    before = tab.state()
    status, result = tab.edit(kind="loop_beat", loop_id=tab.loop_id, how="replace", tempo=True)
    assert (status, result["song"]["metre"]) == (200, "3/4")
    assert tab.state()[1]["bar"] == 2880
    tab.post("undo")
    assert tab.state() == before
    status, result = tab.edit(kind="loop_beat", loop_id=tab.loop_id, how="join")
    assert (status, "in 3/4, the song in 4/4" in result["error"]) == (422, True)


def test_the_stack_against_the_loop_names_the_worst_hit_and_sits_in(tab):
    tab.edit(kind="feel", scope="stack", field="swing_percent", value=60)
    tab.edit(kind="tempo", tempo_bpm=96)
    tab.edit(kind="offset", voice="snare", tick=4800, offset_ms=27)
    status, found = tab.against(strength_percent=100)
    assert status == 200, found
    assert (found["worst"][0]["voice"], found["worst"][0]["tick"]) == ("snare", 4800)
    assert found["worst"][0]["gap"] == pytest.approx(27, abs=2)
    assert found["then"] < 0.5
    tab.edit(kind="sit_in", loop_id=tab.loop_id, strength_percent=100)
    _, after = tab.against(strength_percent=100)
    assert after["size"] < 0.5
    _, undone = tab.post("undo")
    assert "sit" in undone["words"]
    assert tab.against(strength_percent=100)[1]["size"] == pytest.approx(found["size"])


def test_only_the_chosen_voices_sit_in(tab):
    tab.edit(kind="sit_in", loop_id=tab.loop_id, strength_percent=100, voices=["hat_closed"])
    own = {voice for (voice, _), (_, ms, _) in tab.hits().items() if ms}
    assert own == {"hat_closed"}


def test_slices_as_a_zip_are_the_loop(tab):
    answer = tab.get("slices.zip?by=hits")
    archive = zipfile.ZipFile(io.BytesIO(answer.content))
    names = sorted(name for name in archive.namelist() if name.endswith(".wav"))
    pieces = [soundfile.read(io.BytesIO(archive.read(name)))[0] for name in names]
    assert sum(map(len, pieces)) == len(AUDIO.samples)
    midi = next(name for name in archive.namelist() if name.endswith(".mid"))
    assert len(read_midi(archive.read(midi), midi).pattern.hits) == len(names)
    sfz = archive.read(next(name for name in archive.namelist() if name.endswith(".sfz"))).decode()
    assert sfz.count("<region>") == len(names)


def test_the_loop_at_another_tempo(tab):
    samples, rate = soundfile.read(io.BytesIO(tab.get("retimed.wav?tempo_bpm=120").content))
    assert len(samples) / rate == pytest.approx(AUDIO.duration_s * HEARD.reading.tempo_bpm / 120, abs=0.01)
    plain = tab.get("retimed.wav?tempo_bpm=120").content
    higher, rate = soundfile.read(io.BytesIO(tab.get("retimed.wav?tempo_bpm=120&how=stretch&semitones=5").content))
    assert len(higher) == len(samples)
    assert not np.array_equal(higher, samples)
    assert plain == tab.get("retimed.wav?tempo_bpm=120&how=slices&semitones=0").content
    high = tab.get("retimed.wav?tempo_bpm=120&how=stretch&semitones=40")
    assert (high.status_code, "pitch is 40" in high.text) == (422, True)
    refused = tab.get("retimed.wav?tempo_bpm=-5")
    assert (refused.status_code, "tempo is -5" in refused.text) == (422, True)


def test_a_doubtful_hit_is_kept_or_dropped_and_is_doubtful_no_longer(tab):
    def doubts():
        page = tab.client.get(f"/songs/{tab.song_id}/loops").text
        return [float(time_s) for time_s in re.findall(r'data-doubt="([\d.]+)"', page)]

    hiss = np.random.default_rng(1).normal(0, 3e-3, AUDIO.samples.shape)
    sent = tab.client.post(f"/songs/{tab.song_id}/loops/upload?name=hiss.wav", content=wav_bytes(AUDIO.samples + hiss))
    tab.loop_id = int(sent.json()["address"].rsplit("/", 1)[1])
    tab.revision = tab.client.get(f"/songs/{tab.song_id}/state").json()["song"]["revision"]
    tab.correct(kind="sensitivity", value=0.97)
    listed = doubts()
    assert len(listed) > 2
    tab.correct(kind="keep", time_s=listed[0])
    tab.correct(kind="remove", time_s=listed[1])
    assert doubts() == listed[2:]
    tab.post("undo")
    tab.post("undo")
    assert doubts() == listed


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"kind": "group_voice", "group": 0, "voice": "gong"}, "no voice 'gong'"),
        ({"kind": "group_split", "group": 40}, "group is gone"),
        ({"kind": "group_merge", "group": 0, "into": 0}, "merged with itself"),
        ({"kind": "group_count", "count": 1}, "number of groups is 1"),
    ],
)
def test_bad_changes_of_groups_are_refused_in_words(tab, change, words):
    before = tab.groups(), tab.revision
    status, answer = tab.edit(kind="loop_correct", loop_id=tab.loop_id, change=change)
    assert status == 422
    assert words in answer["error"]
    assert (tab.groups(), tab.revision) == before


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        ({"kind": "loop_beat", "loop_id": 999999, "how": "replace"}, "no such loop"),
        ({"kind": "sit_in", "loop_id": 999999, "strength_percent": 50}, "no such loop"),
        ({"kind": "sit_in", "strength_percent": 200}, "strength is 200 %"),
    ],
)
def test_bad_uses_are_refused_in_words(tab, edit, words):
    before = tab.state()
    status, result = tab.edit(**{"loop_id": tab.loop_id, **edit})
    assert (status, words in result["error"]) == (422, True)
    assert tab.state() == before


def test_where_hits_would_go_is_told_before_they_go(tab):
    _, found = tab.against(strength_percent=100)
    stack, would = (sorted(time for time, _ in found[name]) for name in ("stack", "would"))
    assert len(stack) == len(would) > 0
    assert stack != would
    status, _ = tab.edit(kind="sit_in", loop_id=tab.loop_id, strength_percent=100, voices=[])
    assert status == 200
    _, then = tab.against(strength_percent=100)
    assert sorted(time for time, _ in then["stack"]) == pytest.approx(would, abs=1e-4)
    assert then["would"] == []


def test_slices_become_a_kit_and_its_pattern_in_a_song_of_their_own(tab, store):
    before = tab.client.get(f"/songs/{tab.song_id}/state").json()
    made = tab.client.post(
        f"/songs/{tab.song_id}/loops/{tab.loop_id}/slices-song", json={"by": "grid", "slots": 2}
    ).json()
    state = tab.client.get(made["address"].replace("bench", "state")).json()
    assert state["song"]["tempo_bpm"] == pytest.approx(96, abs=0.1)
    hits = {voice: rail["tick"] for voice, rail in state["data"]["hits"].items()}
    assert list(hits.values()) == [[480 * number] for number in range(16)]
    assert next(iter(hits)) == "slice_1"
    key = state["playing"]["felt"]["audio"][0]
    data = soundfile.read(io.BytesIO(tab.client.get(f"/audio/sounds/{key}.wav").content))[0]
    assert len(data) == pytest.approx(44_100 * 60 / 96 / 2, abs=2)
    assert tab.client.get(f"/songs/{tab.song_id}/state").json()["data"] == before["data"]


def test_slices_become_a_part_of_this_song_named_by_what_they_sound_like(tab, store):
    before = tab.state()
    status, _ = tab.edit(kind="part_slices", loop_id=tab.loop_id)
    assert status == 200
    with store.transaction() as session:
        song = load_song(session, tab.song_id)
        part = song.parts[-1]
        kit = load_kit(session, part.row.kit_key)
        names = [voice.name for voice in kit.voices]
        assert part.row.name.endswith("slices")
        assert len(set(names)) == len(names) == len(kit.roles)
        assert any(name.startswith("kick") for name in names)
        assert all(name.rsplit(" ", 1)[1].isdigit() for name in names)
    assert tab.post("undo")[0] == 200
    assert tab.state() == before


def test_a_group_that_is_left_out_is_not_written(tab):
    groups = tab.client.get(f"/songs/{tab.song_id}/loops/{tab.loop_id}/groups").json()["groups"]
    number = next(place for place, group in enumerate(groups) if group["voice"] == "snare")
    status, _ = tab.edit(
        kind="loop_correct", loop_id=tab.loop_id, change={"kind": "group_voice", "group": number, "voice": ""}
    )
    assert status == 200
    after = tab.client.get(f"/songs/{tab.song_id}/loops/{tab.loop_id}/groups").json()["groups"]
    assert (after[number]["voice"], after[number]["voice_name"]) == ("", "left out")
    assert len(after[number]["times"]) == len(groups[number]["times"])
    assert tab.edit(kind="loop_beat", loop_id=tab.loop_id, how="replace", tempo=False)[0] == 200
    hits = tab.client.get(f"/songs/{tab.song_id}/state?screen=bench").json()["data"]["hits"]
    assert hits["snare"]["tick"] == []
    assert hits["kick"]["tick"]


def test_any_part_or_all_of_them_are_compared_with_a_loop(tab, store):
    assert tab.edit(kind="part_add", kit_key="boathouse", loop_id=tab.loop_id)[0] == 200
    with store.transaction() as session:
        parts = load_song(session, tab.song_id).parts
        own, other = parts[0].row.id, parts[1].row.id
    alone = tab.against(strength_percent=100)[1]
    both = tab.against(strength_percent=100, of="all")[1]
    one = tab.against(strength_percent=100, of=str(other))[1]
    assert both["hits"] == len(alone["stack"]) + one["hits"]
    assert one["size"] < 1.0 < alone["size"]  # it plays the loop's own hits
    assert both["pairs"] == alone["pairs"] + one["pairs"]
    names = [row["name"] for row in both["rows"]]
    assert len(set(names)) == len(names)
    assert any(name.startswith("Kick, ") for name in names)  # both parts have one
    assert tab.against(strength_percent=100, of=str(own))[1]["hits"] == alone["hits"]
    status, refused = tab.against(strength_percent=100, of="99999")
    assert (status, "This part is gone" in refused["error"]) == (422, True)


def test_what_is_no_drum_is_said_to_be_none_and_how_its_sounds_are_told_apart(tab, client, store):
    audio = bollard_mouth()
    with store.transaction() as session:
        song_id = create_song(session, "Mouth").id
        loop_id = add_loop(session, song_id, audio.name, stored(audio), analyze_loop(audio)).id
    assert "no drums we know" in client.get(f"/songs/{song_id}/loops/{loop_id}/groups").json()["words"]
    assert client.get(f"/songs/{tab.song_id}/loops/{tab.loop_id}/groups").json()["words"] == ""
