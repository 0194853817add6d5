"""The Loops screen over HTTP: bring in, correct, take the groove; and everything that is no loop."""

import html as markup
import re

import numpy as np
import pytest

from easy_pocket.core.feel.feel import Feel
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song
from tests.core.test_audio_hints import EIGHTHS, marked
from tests.drums import ROCK, SWUNG, beat, raw_wav, rendered, wav_bytes


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        return create_song(session, "Slack Water", tempo_bpm=104, hits=beat(ROCK).hits).id


@pytest.fixture
def loop(client, song_id):
    audio, _ = rendered(beat(SWUNG), 88.5, Feel(swing_percent=60))
    answer = client.post(f"/songs/{song_id}/loops/upload?name=bollard.wav", content=wav_bytes(audio.samples))
    return answer.json()["address"]


def revision(client, song_id):
    return client.get(f"/songs/{song_id}/state").json()["song"]["revision"]


def edited(client, song_id, address, kind, **values):
    """An edit of the loop at this address."""
    edit = {"kind": kind, "loop_id": int(address.rpartition("/")[2]), **values}
    return client.post(f"/songs/{song_id}/edits", json={"revision": revision(client, song_id), "edit": edit})


def fact(html):
    facts = re.findall(r'<div class="fact[^"]*"><b(?: class="name")?>(.*?)</b><small>(.*?)</small>', html)
    return {words: value for value, words in facts}


def times(html):
    return [float(time) for time in re.findall(r'class="onset[^"]*" data-at="[\d.]+" data-time="([\d.]+)"', html)]


def test_a_loop_is_shown_with_what_was_heard(client, loop):
    html = client.get(loop).text
    facts = fact(html)
    assert facts["bpm, sure"] == "88.5"
    assert float(facts["swing found"].split()[0]) == pytest.approx(60, abs=1.5)
    assert any("grid fit" in words and value == "16ths" for words, value in fact(html).items())
    assert "<option selected>4/4</option>" in html
    assert len(times(html)) == 21
    assert html.count("m-dot") == 21


def test_half_double_bars_metre_and_the_one(client, song_id, loop):
    assert edited(client, song_id, loop, "loop_correct", change={"kind": "double"}).status_code == 200
    assert fact(client.get(loop).text)["bpm, set by you"] == "177.0"
    edited(client, song_id, loop, "loop_correct", change={"kind": "half"})
    edited(client, song_id, loop, "loop_correct", change={"kind": "bars", "bars": 1, "metre": "5/4"})
    html = client.get(loop).text
    assert fact(html)["bpm, set by you"] == f"{88.5 * 5 / 8:.1f}"
    assert 'value="1" aria-label="Bars"' in html
    edited(client, song_id, loop, "loop_correct", change={"kind": "as_heard"})
    edited(client, song_id, loop, "loop_correct", change={"kind": "one", "time_s": 60 / 88.5 + 0.01})
    lines = re.findall(r'class="w-bar" data-at="([\d.]+)"', client.get(loop).text)
    assert float(lines[0]) == pytest.approx(60 / 88.5, abs=0.003)


def test_what_the_file_says_still_counts_after_a_correction(client, song_id, store):
    audio, _ = rendered(EIGHTHS, 120.0)
    plain = client.post(f"/songs/{song_id}/loops/upload?name=plain.wav", content=wav_bytes(audio.samples)).json()
    assert "60.0" not in fact(client.get(plain["address"]).text).values()
    tagged = marked(audio, "FLAC", tempo_bpm=60.0)
    loop = client.post(f"/songs/{song_id}/loops/upload?name=tag.flac", content=tagged).json()["address"]
    found = fact(client.get(loop).text)
    assert "60.0" in found.values(), found
    edited(client, song_id, loop, "loop_correct", change={"kind": "sensitivity", "value": 0.45})
    assert "60.0" in fact(client.get(loop).text).values()


def test_the_tempo_is_followed_bar_by_bar_on_request_and_undone(client, song_id, loop):
    before = client.get(loop).text
    assert "Tempo by bar" in before
    assert "one tempo" in before
    assert edited(client, song_id, loop, "loop_correct", change={"kind": "follow", "follows": True}).status_code == 200
    after = client.get(loop).text
    assert "followed" in after
    assert after.count('class="tempo-line"') == before.count('class="tempo-line"')
    edited(client, song_id, loop, "loop_correct", change={"kind": "follow", "follows": False})
    assert "one tempo" in client.get(loop).text


def test_hits_are_added_moved_and_removed_and_come_back(client, song_id, loop):
    heard = times(client.get(loop).text)
    edited(client, song_id, loop, "loop_correct", change={"kind": "remove", "time_s": heard[4]})
    assert times(client.get(loop).text) == heard[:4] + heard[5:]
    edited(client, song_id, loop, "loop_correct", change={"kind": "add", "time_s": heard[4] + 0.006})
    back = times(client.get(loop).text)
    assert back[4] == pytest.approx(heard[4], abs=0.002)  # it snapped to the attack
    edited(client, song_id, loop, "loop_correct", change={"kind": "move", "time_s": back[6], "to_s": back[6] + 0.045})
    moved = times(client.get(loop).text)
    assert len(moved) == len(heard)
    assert moved != back
    client.post(f"/songs/{song_id}/undo", json={"revision": revision(client, song_id)})
    assert times(client.get(loop).text) == back


def test_its_groove_goes_on_the_beat(client, song_id, loop, store):
    answer = edited(client, song_id, loop, "groove_loop", name="Brass Lantern", bars=1, put_on=True)
    assert answer.json()["song"]["undo"] == "make groove Brass Lantern"
    with store.transaction() as session:
        song = load_song(session, song_id)
    groove = song.feel.resolve("kick").template
    assert (groove.name, groove.slots_per_bar, groove.source) == ("Brass Lantern", 16, "bollard.wav")
    odd = groove.lanes["all"].offsets[[3, 7, 15]]
    np.testing.assert_allclose(odd, 0.2 * 60_000 / 88.5 / 4, atol=4)
    assert "Brass Lantern" in client.get(loop).text


def test_a_stale_tab_overrules_nothing(client, song_id, loop):
    old = revision(client, song_id)
    edited(client, song_id, loop, "loop_correct", change={"kind": "half"})
    before = client.get(loop).text
    edit = {"kind": "loop_correct", "loop_id": int(loop.rpartition("/")[2]), "change": {"kind": "double"}}
    answer = client.post(f"/songs/{song_id}/edits", json={"revision": old, "edit": edit})
    assert answer.status_code == 409
    assert answer.json()["theirs"] == ["half tempo in bollard.wav"]
    assert client.get(loop).text == before


def test_bringing_in_and_removing_can_be_undone(client, song_id, loop):
    edited(client, song_id, loop, "loop_take")
    assert "No loop yet" in client.get(f"/songs/{song_id}/loops").text
    client.post(f"/songs/{song_id}/undo", json={"revision": revision(client, song_id)})
    assert "bollard.wav" in client.get(f"/songs/{song_id}/loops").text


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "is empty"),
        (b"only words " * 40, "no audio that can be read"),
        (wav_bytes(np.zeros(44_100)), "holds no hits"),
        (raw_wav(b"", claimed=3 * 3600 * 88_200), "no samples"),
        (raw_wav(b"\1\0"), "1 sample"),
    ],
)
def test_what_is_no_loop_is_refused_in_words_and_leaves_no_trace(client, song_id, data, words):
    answer = client.post(f"/songs/{song_id}/loops/upload?name=odd.wav", content=data)
    assert answer.status_code == 422
    assert words in answer.json()["error"]
    assert "odd.wav" not in client.get(f"/songs/{song_id}/loops").text


@pytest.mark.parametrize(
    "change",
    [
        {"kind": "sensitivity", "value": 7},
        {"kind": "bars", "bars": 0, "metre": "4/4"},
        {"kind": "bars", "bars": 2, "metre": "4/5"},
        {"kind": "add", "time_s": 1e9},
        {"kind": "one", "time_s": -1},
        {"kind": "sing"},
    ],
)
def test_a_wrong_correction_is_refused(client, song_id, loop, change):
    before = client.get(loop).text
    assert edited(client, song_id, loop, "loop_correct", change=change).status_code == 422
    assert client.get(loop).text == before


def test_the_stack_can_be_had_at_the_loops_tempo(client, song_id):
    at = client.get(f"/songs/{song_id}/playing", params={"tempo_bpm": 88.5}).json()
    assert at["length_s"] == pytest.approx(8 * 60 / 88.5)
    assert client.get(f"/songs/{song_id}/playing", params={"tempo_bpm": 0}).status_code == 422


def test_what_is_drawn_of_a_loop_is_its_samples(client, loop):
    whole = np.frombuffer(client.get(f"{loop}/samples.bin?start=0&count=600000").content, dtype="<i2")
    part = np.frombuffer(client.get(f"{loop}/samples.bin?start=1000&count=500").content, dtype="<i2")
    np.testing.assert_array_equal(part, whole[1000:1500])
    peaks = np.frombuffer(client.get(f"{loop}/peaks.bin").content, dtype=np.int8).reshape(-1, 2)
    assert len(peaks) == -(-len(whole) // 256)
    assert abs(int(peaks[4, 1]) * 258 - int(whole[1024:1280].max())) <= 258
    levels = np.frombuffer(client.get(f"{loop}/spectrum.bin?start=0&count=44100&columns=50").content, dtype=np.uint8)
    assert levels.reshape(-1, 50).max(axis=0).argmax() < 5  # the loop begins with a hard hit
    assert client.get(f"{loop}/samples.bin?start=0&count=99999999").status_code == 422
    assert len(client.get(f"{loop}/samples.bin?start=90000000&count=10").content) == 0


def test_a_map_of_bars_the_loop_has_not_is_refused_in_words(client, loop):
    answer = client.get(f"{loop}/map?from_bar=9")
    assert answer.status_code == 422
    assert "take the groove from is 9" in answer.text


def test_spans_are_kept_with_their_step_of_undo(client, song_id, loop):
    before = times(client.get(loop).text)
    edited(client, song_id, loop, "loop_correct", change={"kind": "ignore", "time_s": 2.0, "to_s": 1.0})
    now = times(client.get(loop).text)
    assert now == [time for time in before if not 1.0 <= time < 2.0]
    assert client.get(f"/songs/{song_id}/state").json()["song"]["undo"].startswith("ignore 1.00–2.00 s")
    client.post(f"/songs/{song_id}/undo", json={"revision": revision(client, song_id), "view": {}})
    assert times(client.get(loop).text) == before
    refused = edited(client, song_id, loop, "loop_correct", change={"kind": "ignore", "time_s": 1.0, "to_s": 1.001})
    assert refused.status_code == 422
    assert "length of a span" in refused.json()["error"]


def test_what_has_no_beat_is_said_on_the_screen_with_what_can_be_done(client, song_id):
    dice = np.random.default_rng(5)
    x = np.zeros(44_100 * 6)
    for at in dice.integers(0, len(x) - 3000, 30):
        x[at : at + 2000] += 0.3 * dice.standard_normal(2000) * np.exp(-np.arange(2000) / 300)
    data = wav_bytes(x[:, None].astype(np.float32))
    address = client.post(f"/songs/{song_id}/loops/upload?name=rain.wav", content=data).json()["address"]
    html = client.get(address).text
    assert "find a steady beat here, because" in html
    assert "a groove taken now is a guess" in html


def test_sound_in_which_no_hit_stands_out_is_kept_so_that_hands_can_add_some(client, song_id):
    hiss = np.random.default_rng(4).standard_normal(4 * 44_100) * 0.2
    loop = client.post(f"/songs/{song_id}/loops/upload?name=hiss.wav", content=wav_bytes(hiss)).json()["address"]
    page = client.get(loop).text
    assert "because no hit stands out in it" in markup.unescape(page)
    assert "No hit is heard. Choose &#39;add a hit&#39;" in page
    for number in range(8):
        change = {"kind": "add", "time_s": 0.5 * number}
        assert edited(client, song_id, loop, "loop_correct", change=change).status_code == 200
    page = client.get(loop).text
    assert "8 hits" in page
    assert "no hit stands out" not in page


def test_where_no_steady_beat_is_found_no_tempo_is_believed_in(client, song_id):
    """Hits by chance: the reading is shown, and said to be none."""
    dice = np.random.default_rng(8)
    x = np.zeros(5 * 44_100)
    for at in dice.uniform(0.1, 4.8, 16):
        x[int(at * 44_100) :][:2000] += np.exp(-np.arange(2000) / 300) * dice.uniform(-1, 1, 2000)
    loop = client.post(f"/songs/{song_id}/loops/upload?name=rain.wav", content=wav_bytes(x * 0.5)).json()["address"]
    page = markup.unescape(client.get(loop).text)
    assert "bpm, no steady beat" in page
    assert "I can't find a steady beat here, because " in page
