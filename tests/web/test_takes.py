"""The Takes screen's answers: what is under the hands, what passes sound like, devices, readings, hands as files."""

from __future__ import annotations

import io
import json
import re

import mido
import numpy as np
import pytest
import soundfile

from easy_pocket.core.errors import PocketError
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.guide import guide_of
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.takes.hands import save_house_hands
from tests.core.test_guide import lines_of, moving
from tests.drums import ROCK, beat, rendered, wav_bytes
from tests.editing import do, step

TICK_MS = ms_per_tick(104)
ROWS = [("kick", 0.0, 100), ("snare", 960 * TICK_MS + 12, 90), ("kick", 1920 * TICK_MS - 6, 80)]


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        save_house_hands(session)
        return create_song(session, "Slack Water", tempo_bpm=104, hits=beat(ROCK).hits).id


@pytest.fixture
def take_id(store, song_id):
    return do(store, song_id, "take_pass", length_ticks=7680, tempo_bpm=104, hits=ROWS).changed.made


def data(client, song_id):
    page = client.get(f"/songs/{song_id}/takes").text
    found = re.search(r'id="takes-data">(.*?)</script>', page, re.S)
    return json.loads(found.group(1))


def test_every_voice_of_the_kit_is_under_the_hands_with_its_sounds(client, song_id):
    known = data(client, song_id)
    assert known["take"] is None
    kick = next(pad for pad in known["pads"] if pad["voice"] == "kick")
    assert len(kick["sound"]) == len(kick["gain"]) == 128
    assert kick["gain"][127] > kick["gain"][30] > 0
    assert {"kick", "snare", "hat_closed"} <= set(known["columns"])
    assert known["notes"]["36"] == "kick"
    audio = client.get(f"/audio/sounds/{kick['audio'][kick['sound'][90]]}.wav")
    assert audio.content[:4] == b"RIFF"


def test_a_take_is_shown_with_its_passes_against_the_feel(client, song_id, take_id):
    take = data(client, song_id)["take"]
    assert (take["id"], take["voices"], take["length_ticks"]) == (take_id, ["kick", "snare"], 7680)
    (one,) = take["passes"]
    assert one["tick"] == [0, 960, 1920]
    assert one["off_ms"] == pytest.approx([0, 12, -6], abs=0.01)
    assert take["result"]["off_ms"] == pytest.approx([0, 12, -6], abs=0.01)
    page = client.get(f"/songs/{song_id}/takes").text
    assert "write it in: Backbone A" in page
    assert "+2.0" in page


def test_a_pass_is_heard_in_the_beat_and_alone(client, song_id, take_id):
    inside = client.get(f"/songs/{song_id}/takes/{take_id}/heard?pass=0").json()
    alone = client.get(f"/songs/{song_id}/takes/{take_id}/heard?pass=0&alone=true").json()
    assert len(alone["felt"]["start_s"]) == 3
    assert len(inside["felt"]["start_s"]) > 3
    assert alone["felt"]["start_s"] == pytest.approx([0, 0.960 * TICK_MS + 0.012, 1.920 * TICK_MS - 0.006], abs=1e-3)
    gone = client.get(f"/songs/{song_id}/takes/99/heard", headers={"Accept": "application/json"})
    assert gone.status_code == 422
    assert "This take is gone" in gone.json()["error"]


def test_a_take_leaves_as_midi_as_it_was_played(client, song_id, take_id):
    file = mido.MidiFile(file=io.BytesIO(client.get(f"/songs/{song_id}/takes/{take_id}/take.mid").content))
    times, at = [], 0.0
    for message in file:
        at += message.time
        if message.type == "note_on" and message.velocity:
            times.append(at)
    shift = times[0]
    assert [time - shift for time in times] == pytest.approx([row[1] / 1000 for row in ROWS], abs=0.001)


def test_a_device_is_measured(client):
    clicks = [500.0 * number for number in range(16)]
    answer = client.post("/takes/latency", json={"clicks_ms": clicks, "taps_ms": [one + 23 for one in clicks]}).json()
    assert answer["latency_ms"] == pytest.approx(23)
    assert answer["words"] == "16 taps"
    few = client.post("/takes/latency", json={"clicks_ms": clicks, "taps_ms": [1.0]})
    assert few.status_code == 422
    assert "1 tap came" in few.json()["error"]


def test_the_simulated_controller_plays_the_beat_that_is_looked_at(client, song_id):
    answer = client.get(f"/songs/{song_id}/takes/quay?bars=2&passes=3&seed=4").json()
    assert answer["length_s"] == pytest.approx(2 * 4 * 60 / 104)
    assert len(answer["time_s"]) == len(beat(ROCK).hits) * 3 * 7680 // beat(ROCK).length_ticks
    assert answer["time_s"] == sorted(answer["time_s"])
    again = client.get(f"/songs/{song_id}/takes/quay?bars=2&passes=3&seed=4").json()
    other = client.get(f"/songs/{song_id}/takes/quay?bars=2&passes=3&seed=5").json()
    assert again == answer != other


def test_what_was_played_to_nothing_is_read(client, song_id):
    dice = np.random.default_rng(1)
    hits = []
    for slot in range(32):
        time_ms = 1000 + slot * 300 + dice.normal(0, 4)
        voice = {0: "kick", 4: "snare"}.get(slot % 8)
        hits += [("hat_closed", time_ms, 70)] + ([(voice, time_ms + 1, 110)] if voice else [])
    found = client.post(f"/songs/{song_id}/takes/readings", json={"hits": hits}).json()["readings"]
    first = found[0]
    assert first["words"].startswith("100.")
    assert first["length_ticks"] == 4 * 3840
    assert first["start_ms"] == pytest.approx(1000, abs=15)
    few = client.post(f"/songs/{song_id}/takes/readings", json={"hits": hits[:2]})
    assert "say no tempo" in few.json()["error"]


def test_a_section_that_goes_round_gets_a_pattern_of_its_own(store, client, song_id):
    page = client.get(f"/songs/{song_id}/takes").text
    section = int(re.search(r'value="s:(\d+)"', page).group(1))
    made = do(
        store, song_id, "take_pass", length_ticks=data(client, song_id)["sections"][str(section)], tempo_bpm=104,
        hits=ROWS, section_id=section,
    )  # fmt: skip
    result = do(store, song_id, "take_write", take_id=made.changed.made)
    assert result.words.startswith("write take 1 into Backbone in ")
    cell = next(one for one in result.song.sections if one.id == section).cells[result.song.part.id]
    assert cell["pattern"] == result.changed.added


def test_hands_are_kept_compared_and_go_out_and_in_as_files(store, client, song_id):
    dice = np.random.default_rng(2)
    hits = [("hat_closed", slot * 240 * TICK_MS + dice.normal(-4, 3), 60 + slot % 4 * 10) for slot in range(32)]
    take_id = do(store, song_id, "take_pass", length_ticks=7680, tempo_bpm=104, hits=hits).changed.made
    shown = client.get(f"/songs/{song_id}/takes/{take_id}/hand").json()["html"]
    assert "touch" in shown
    kept = do(store, song_id, "hand_keep", take_id=take_id, name="Harbour left").changed.made
    beside = client.get(f"/songs/{song_id}/takes/{take_id}/hand?beside={kept}").json()["html"]
    assert "Harbour left" in beside
    assert beside.count("<polyline") == 2
    file = client.get(f"/hands/{kept}/hand.json")
    assert file.headers["content-disposition"] == 'attachment; filename="Harbour left.json"'
    assert file.json()["n"] == 32
    origin = {"Origin": str(client.base_url), "Accept": "application/json"}
    brought = client.post(f"/songs/{song_id}/hands/upload?name=left.json", content=file.content, headers=origin)
    assert brought.status_code == 200, brought.text
    page = client.get(f"/songs/{song_id}/takes").text
    assert page.count(">Harbour left</option>") == 2
    bad = client.post(f"/songs/{song_id}/hands/upload?name=left.json", content=b"{}", headers=origin)
    assert bad.status_code == 422
    assert "this is no hand" in bad.json()["error"]


def test_a_hand_plays_a_part_and_the_house_keeps_its_own(store, client, song_id):
    page = client.get(f"/songs/{song_id}/takes").text
    house = int(re.search(r'<option value="(\d+)" data-house', page).group(1))
    song = do(store, song_id, "hand_play", hand_id=house, part_id=data(client, song_id)["part"]).song
    assert song.part.feel_doc["template_id"]
    assert song.part.feel_doc["jitter_ms"] > 0
    with pytest.raises(Exception, match="belongs to the house"):
        do(store, song_id, "hand_away", hand_id=house)
    assert do(store, song_id, "hand_groove", hand_id=house).words.startswith("groove of hand")


def test_what_a_microphone_heard_is_sorted_on_the_voices_where_it_was_played(client, song_id):
    audio, performance = rendered(beat(ROCK), 104.0)
    lead = np.zeros((8820, audio.samples.shape[1]), dtype=np.float32)
    data = wav_bytes(np.concatenate([lead, audio.samples]))
    found = client.post(f"/songs/{song_id}/takes/listen/upload?lead_ms=200", content=data).json()["hits"]
    snares = performance.played_ms[performance.hits.voice_index == performance.hits.voices.index("snare")]
    heard = np.array([time_ms for voice, time_ms, _ in found if voice == "snare"])
    assert len(heard) >= len(snares) - 1
    assert max(np.abs(heard[:, None] - snares[None, :]).min(axis=0)) < 6
    assert all(1 <= size <= 127 for _, _, size in found)
    silence = client.post(f"/songs/{song_id}/takes/listen/upload", content=wav_bytes(np.zeros(44_100)))
    assert silence.json() == {"hits": []}
    bad = client.post(f"/songs/{song_id}/takes/listen/upload", content=b"no audio")
    assert bad.status_code == 422


def test_a_guide_lies_under_the_song_from_its_bar_one(store, client, song_id):
    audio, _ = rendered(beat(ROCK), 104.0)
    lead = np.zeros((22_050, audio.samples.shape[1]), dtype=np.float32)
    data = wav_bytes(np.concatenate([lead, audio.samples, audio.samples]))
    answer = client.post(f"/songs/{song_id}/guide/upload?name=rough.wav", content=data)
    assert answer.status_code == 200, answer.text
    song = load(store, song_id)
    guide = guide_of(song.guide_doc)
    assert guide.tempo_bpm == pytest.approx(104, rel=0.01)
    assert guide.start_s == pytest.approx(0.5, abs=0.02)
    do(store, song_id, "guide_set", bar=2, level_db=0.0)
    playing = client.get(f"/songs/{song_id}/song/playing").json()
    layer = playing["layered_loops_at"][-1]
    bar_s = playing["bars_s"][1]
    assert layer["at_s"] == pytest.approx(bar_s - guide.start_s, abs=1e-6)
    heard = client.get(f"/audio/layers/{layer['key']}.wav")
    frames, rate = soundfile.read(io.BytesIO(heard.content))
    assert (rate, len(frames)) == (44_100, len(lead) + 2 * len(audio.samples))

    # In no file unless asked: there it is what the page plays, where the page plays it.
    def written(more):
        file = client.get(f"/songs/{song_id}/song.wav?bits=32{more}")
        return soundfile.read(io.BytesIO(file.content))[0]

    plain, more = written(""), written("&guide=in")
    count = min(len(plain), len(more))
    under = (more[:count] - plain[:count]).mean(axis=1)
    at = round((bar_s - guide.start_s) * 44_100) + len(lead)
    assert np.abs(under[: at - 400]).max() < 1e-3
    assert under[at : at + 20_000].std() == pytest.approx(
        frames[len(lead) : len(lead) + 20_000].mean(axis=1).std(), rel=0.1
    )
    # A span of it becomes a section that is just as long.
    do(store, song_id, "guide_section", from_s=1.0, to_s=5.7)
    song = load(store, song_id)
    assert song.sections[-1].bars == 2
    assert song.sections[-1].tempo_bpm == pytest.approx(2 * 4 * 60 / 4.7)
    placed = guide_of(song.guide_doc)
    starts_s = [one / 1000 for one in song.arrangement.bar_starts_ms]
    assert (placed.start_s, starts_s[-1] - starts_s[placed.bar - 1]) == (1.0, pytest.approx(4.7, abs=1e-4))
    step(store, song_id, "undo")
    assert guide_of(load(store, song_id).guide_doc).bar == 2
    # Alone; muted; away and back.
    do(store, song_id, "guide_set", solo=True)
    assert client.get(f"/songs/{song_id}/song/playing").json()["felt"]["start_s"] == []
    do(store, song_id, "guide_set", solo=False, muted=True)
    assert client.get(f"/songs/{song_id}/song/playing").json()["layered_loops_at"] == []
    do(store, song_id, "guide_set", muted=False)
    do(store, song_id, "guide_away")
    assert load(store, song_id).guide_doc is None
    step(store, song_id, "undo")
    assert guide_of(load(store, song_id).guide_doc).name == "rough.wav"
    with store.transaction() as session:
        copy_id = duplicate_song(session, song_id).id
    assert guide_of(load(store, copy_id).guide_doc) == guide_of(load(store, song_id).guide_doc)


def test_a_guide_of_silence_or_no_audio_is_refused(store, client, song_id):
    for data, words in ((wav_bytes(np.zeros(44_100)), "is silent"), (b"not audio at all", "no audio")):
        address = f"/songs/{song_id}/guide/upload?name=x.wav"
        answer = client.post(address, content=data, headers={"Accept": "application/json"})
        assert answer.status_code == 422
        assert words in answer.json()["error"]
    with pytest.raises(Exception, match="has no guide"):
        do(store, song_id, "guide_set", bar=2)


def load(store, song_id):
    return read_song(store.reader, song_id)


def test_sections_follow_a_guide_whose_tempo_moves(store, client, song_id):
    lines_s = lines_of(np.linspace(100, 110, 12))
    data = wav_bytes(moving(lines_s).samples)
    assert client.post(f"/songs/{song_id}/guide/upload?name=rough.wav", content=data).status_code == 200
    assert len(guide_of(load(store, song_id).guide_doc).lines_s) == 13
    first = load(store, song_id).sections[0].id
    do(store, song_id, "section_set", section_id=first, field="bars", value=4)
    second = do(store, song_id, "section_add").song.sections[-1].id
    do(store, song_id, "section_set", section_id=second, field="repeats", value=2)
    words = do(store, song_id, "guide_follow").words
    assert words.startswith("2 sections at the tempo of the guide, within ")
    tempi = [one.tempo_bpm for one in load(store, song_id).sections]
    played = [4 * 240 / (lines_s[4] - lines_s[0]), 8 * 240 / (lines_s[12] - lines_s[4])]
    assert tempi == pytest.approx(played, abs=0.5)
    with pytest.raises(PocketError, match="have its tempo already"):
        do(store, song_id, "guide_follow")
    step(store, song_id, "undo")
    assert [one.tempo_bpm for one in load(store, song_id).sections] == [None, None]
    made = do(store, song_id, "guide_follow", new=True)
    song = load(store, song_id)
    new = song.sections[2:]
    assert made.words == f"{len(new)} sections of the guide"
    assert sum(one.bars for one in new) == 12
    assert song.arrangement.spans[-1].start_ms + song.arrangement.spans[-1].length_ms - song.arrangement.bar_starts_ms[
        guide_of(song.guide_doc).bar - 1
    ] == pytest.approx(1000 * (lines_s[-1] - lines_s[0]), abs=15)
