"""The Bench over HTTP: what an answer holds, two tabs, undo across requests, random edits."""

import random
import re

import pytest

from easy_pocket.core.perform import perform
from easy_pocket.core.sound.events import play_events
from easy_pocket.store.songs import create_song, load_song
from tests.drums import ROCK, beat


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        return create_song(session, "Ferry Bell", tempo_bpm=168, hits=beat(ROCK).hits).id


class Tab:
    """A page that follows the song's revision."""

    def __init__(self, client, song_id):
        self.client, self.song_id, self.revision = client, song_id, 1

    def post(self, path, **body):
        answer = self.client.post(f"/songs/{self.song_id}/{path}", json={"revision": self.revision, **body})
        result = answer.json()
        if answer.status_code == 200:
            self.revision = result["song"]["revision"]
        return answer.status_code, result

    def edit(self, **edit):
        return self.post("edits", edit=edit)

    def hits(self):
        html = self.client.get(f"/songs/{self.song_id}/state", params={"bars": 4}).json()["pieces"]["rails"]
        found = {}
        for voice, row in re.findall(r'data-voice="(\w+)"[^>]*>(.*?)(?=class="rail-row"|$)', html, re.S):
            pairs = re.findall(r'data-tick="(\d+)" data-velocity="(\d+)" data-own="([-\d.]+)"', row)
            found.update({(voice, int(tick)): (int(velocity), float(own)) for tick, velocity, own in pairs})
        return found


@pytest.fixture
def tab(client, song_id):
    return Tab(client, song_id)


def test_an_edit_answers_with_the_changed_rail_and_what_to_play(tab):
    status, result = tab.edit(kind="write", voice="rim", tick=720, velocity=77)
    assert status == 200
    rails = [key for key in result["pieces"] if key.startswith("rail")]
    assert rails == ["rail-rim"]
    assert 'data-tick="720" data-velocity="77"' in result["pieces"]["rail-rim"]
    assert "Rim, 1.1 a, velocity 77, on the grid" in result["pieces"]["rail-rim"]
    assert result["song"]["undo"] == "write rim at 1.1 a"
    played = result["playing"]["felt"]
    rim = [
        start
        for start, sound in zip(played["start_s"], played["sound"], strict=True)
        if played["audio"][sound].startswith("rim-")
    ]
    assert rim == [pytest.approx(720 / 960 * 60 / 168)]


def test_what_is_sent_to_play_is_what_the_core_performs(tab, store):
    tab.edit(kind="feel", scope="stack", field="swing_percent", value=60)
    _, result = tab.edit(kind="feel", scope="snare", field="push_ms", value=9)
    with store.transaction() as session:
        song = load_song(session, tab.song_id)
    events = play_events(perform(song.pattern, song.feel, tempo_bpm=168), song.kit, song.mix)
    felt = result["playing"]["felt"]
    assert felt["start_s"] == [pytest.approx(event.start_s, abs=1e-6) for event in events]
    assert [felt["audio"][index] for index in felt["sound"]] == [event.audio for event in events]
    assert felt["gain"] == [pytest.approx(event.gain, abs=1e-4) for event in events]


def test_the_ledger_is_on_every_hit(tab):
    tab.edit(kind="feel", scope="stack", field="swing_percent", value=60)
    _, result = tab.edit(kind="write", voice="rim", tick=240)
    assert (
        "Rim · 1.1 e|swing +17.9  groove 0  part push 0  push 0  own 0|= 17.9 ms late|velocity 96  = 96"
        in result["pieces"]["rail-rim"]
    )


def test_a_stale_tab_is_refused_and_shown_the_newest_state(client, song_id):
    first, second = Tab(client, song_id), Tab(client, song_id)
    first.edit(kind="write", voice="rim", tick=0)
    status, result = second.edit(kind="remove", voice="kick", tick=0)
    assert status == 409
    assert "changed in another tab" in result["error"]
    assert 'data-tick="0"' in result["now"]["pieces"]["rails"]
    assert ("kick", 0) in first.hits()
    second.revision = result["now"]["song"]["revision"]
    assert second.edit(kind="remove", voice="kick", tick=0)[0] == 200
    assert ("kick", 0) not in first.hits()
    assert ("rim", 0) in first.hits()


def test_undo_and_redo_say_what_they_did(tab):
    before = tab.hits()
    tab.edit(kind="velocity", voice="kick", tick=0, velocity=50)
    status, result = tab.post("undo")
    assert (status, result["words"]) == (200, "kick 1.1 to velocity 50")
    assert tab.hits() == before
    assert tab.post("redo")[1]["song"]["redo"] is None
    assert tab.hits()["kick", 0] == (50, 0.0)
    status, result = tab.post("redo")
    assert status == 422
    assert "nothing to redo" in result["error"]


def test_three_hundred_random_edits_and_undos_end_in_the_same_pattern(tab):
    dice = random.Random(7)
    began, model, past, future = tab.hits(), tab.hits(), [], []
    for _ in range(300):
        voice, tick = dice.choice(["kick", "snare", "rim", "hat_closed"]), dice.randrange(32) * 240
        place, move = (voice, tick), dice.choice(["toggle", "toggle", "velocity", "offset", "undo", "redo"])
        after = dict(model)
        if move == "undo":
            status, _ = tab.post("undo")
            assert status == (200 if past else 422)
            if past:
                future.append(model)
                model = past.pop()
            continue
        if move == "redo":
            status, _ = tab.post("redo")
            assert status == (200 if future else 422)
            if future:
                past.append(model)
                model = future.pop()
            continue
        if move == "toggle":
            kind = "remove" if place in model else "write"
            status, _ = tab.edit(kind=kind, voice=voice, tick=tick)
            after.pop(place) if place in model else after.update({place: (96, 0.0)})
        elif move == "velocity":
            status, _ = tab.edit(kind="velocity", voice=voice, tick=tick, velocity=dice.randrange(1, 128))
            after = None
        else:
            ms = dice.randrange(-20, 21) / 2
            status, _ = tab.edit(kind="offset", voice=voice, tick=tick, offset_ms=ms)
            after[place] = (model[place][0], ms) if place in model else None
        assert status == (200 if place in model or move == "toggle" else 422)
        if status == 200:
            past.append(model)
            future.clear()
            model = tab.hits() if after is None else after
    assert tab.hits() == model
    while tab.post("undo")[0] == 200:
        pass
    assert tab.hits() == began


def test_a_drag_sent_as_many_edits_is_one_undo(tab):
    for percent in range(51, 60):
        tab.post(
            "edits", edit={"kind": "feel", "scope": "stack", "field": "swing_percent", "value": percent}, gesture="g1"
        )
    _, result = tab.post("undo")
    assert result["song"]["undo"] is None


def test_the_view_decides_what_is_drawn(tab, client):
    tab.edit(kind="length", bars=8)
    state = client.get(f"/songs/{tab.song_id}/state", params={"from_bar": 5, "bars": 2, "magnify": 6}).json()
    rails = state["pieces"]["rails"]
    ticks = {int(tick) for tick in re.findall(r'data-tick="(\d+)"', rails)}
    assert min(ticks) >= 4 * 3840
    assert max(ticks) < 6 * 3840
    assert 'data-magnify="6"' in rails
    assert ">5.1<" in rails


def test_a_missing_song_is_a_page_with_a_way_out(client):
    answer = client.get("/songs/9999/bench", headers={"accept": "text/html"})
    assert answer.status_code == 404
    assert "no such song on the shelf" in answer.text
    assert 'href="/"' in answer.text


def test_sounds_come_as_audio_by_content(client, tab):
    import io

    import soundfile

    key = tab.edit(kind="write", voice="rim", tick=0)[1]["playing"]["felt"]["audio"][0]
    answer = client.get(f"/audio/sounds/{key}.wav")
    assert "immutable" in answer.headers["cache-control"]
    samples, rate = soundfile.read(io.BytesIO(answer.content))
    assert (rate, samples.ndim) == (44_100, 1)
    assert abs(samples).max() > 0.01
    assert client.get("/audio/sounds/kick-unknown-3.wav").status_code == 422
