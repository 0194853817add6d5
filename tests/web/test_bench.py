"""The Bench over HTTP: what an answer holds, two tabs, undo across requests, random edits."""

import random
import uuid

import pytest

from easy_pocket.core.feel.perform import perform
from easy_pocket.core.sound.events import play_events
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song
from tests.drums import ROCK, beat
from tests.editing import fragments


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        return create_song(session, "Ferry Bell", tempo_bpm=168, hits=beat(ROCK).hits).id


class Tab:
    """A page that follows the song's revision."""

    def __init__(self, client, song_id):
        self.client, self.song_id, self.revision = client, song_id, 1
        self.name, self.sent = uuid.uuid4().hex[:12], 0
        self.selection = {"part": 0, "pattern": 0, "section": 0}

    @property
    def at(self):
        """What it looks at, as an address has it."""
        return "at=" + ".".join(str(self.selection[what]) for what in ("part", "pattern", "section"))

    def post(self, path, **body):
        self.sent += 1
        asked = {"revision": self.revision, "edit_id": f"{self.name}-{self.sent}", "looking_at": self.selection, **body}
        answer = self.client.post(f"/songs/{self.song_id}/{path}", json=asked)
        result = answer.json()
        if answer.status_code == 200:
            self.revision = result["song"]["revision"]
        return answer.status_code, result

    def edit(self, **edit):
        return self.post("edits", edit=edit)

    def rails(self):
        return self.client.get(f"/songs/{self.song_id}/state?{self.at}").json()["data"]

    def hits(self):
        """Every hit with all that is known of it."""
        return self.state()[0]

    def state(self):
        """The hits and the facts of the rails."""
        found, rails = {}, self.rails()
        for voice, rail in rails["hits"].items():
            for index, tick in enumerate(rail["tick"]):
                articulation = rail.get("articulated", {}).get(str(index), {})
                plain = {name: value for name, value in articulation.items() if name not in ("words", "drawn")}
                found[voice, tick] = (rail["velocity"][index], rail["own"][index], tuple(sorted(plain.items())))
        return found, rails["facts"]


@pytest.fixture
def tab(client, song_id):
    return Tab(client, song_id)


def test_an_edit_answers_with_the_changed_rail_and_what_to_play(tab):
    status, result = tab.edit(kind="write", voice="rim", tick=720, velocity=77)
    assert status == 200
    assert list(result["data"]["hits"]) == ["rim"]
    rim = result["data"]["hits"]["rim"]
    assert (rim["tick"], rim["velocity"], rim["offset"]) == ([720], [77], [0.0])
    assert not result["data"]["whole"]
    assert [key for key in fragments(result) if key.startswith("head-")] == ["head-rim"]
    assert result["song"]["undo"] == "write rim at 1.1 a"
    played = result["playing"]["felt"]
    rim = [
        start
        for start, sound in zip(played["start_s"], played["sound"], strict=True)
        if played["audio"][sound].startswith("rim-")
    ]
    assert rim == [pytest.approx(720 / 960 * 60 / 168, abs=1 / 44_100)]


def test_what_is_sent_to_play_is_what_the_core_performs(tab, store):
    tab.edit(kind="feel", scope="stack", field="swing_percent", value=60)
    _, result = tab.edit(kind="feel", scope="snare", field="push_ms", value=9)
    with store.transaction() as session:
        song = load_song(session, tab.song_id)
    events = play_events(perform(song.pattern, song.feel, tempo_bpm=168), song.kit, song.mix)
    felt = result["playing"]["felt"]
    assert felt["start_s"] == [pytest.approx(event.start_s, abs=1 / 44_100) for event in events]
    assert [felt["audio"][index] for index in felt["sound"]] == [event.audio for event in events]
    assert felt["gain"] == [pytest.approx(event.gain, abs=1e-4) for event in events]


def test_the_ledger_is_on_every_hit(tab):
    tab.edit(kind="feel", scope="stack", field="swing_percent", value=60)
    _, result = tab.edit(kind="write", voice="rim", tick=240)
    rim = result["data"]["hits"]["rim"]
    assert rim["amounts"] == {"swing": [17.86]}
    assert rim["offset"] == [17.86]


def test_two_tabs_that_touch_the_same_hit_are_told_both_sides(client, song_id):
    first, second = Tab(client, song_id), Tab(client, song_id)
    first.edit(kind="velocity", voice="kick", tick=0, velocity=50)
    status, result = second.edit(kind="remove", voice="kick", tick=0)
    assert status == 409
    assert result["theirs"] == ["kick 1.1 to velocity 50"]
    assert result["mine"] == "remove kick at 1.1"
    assert "Another tab changed the same thing meanwhile: kick 1.1 to velocity 50" in result["error"]
    assert result["now"]["data"]["hits"]["kick"]["velocity"][0] == 50
    assert ("kick", 0) in first.hits()
    second.revision = result["now"]["song"]["revision"]
    assert second.edit(kind="remove", voice="kick", tick=0)[0] == 200
    assert ("kick", 0) not in first.hits()


def test_two_tabs_that_touch_different_things_both_hold(client, song_id):
    first, second = Tab(client, song_id), Tab(client, song_id)
    first.edit(kind="write", voice="rim", tick=0)
    first.edit(kind="mix", voice="kick", field="level_db", value=-3)
    status, result = second.edit(kind="remove", voice="kick", tick=0)
    assert status == 200
    assert result["data"]["hits"]["rim"]["tick"] == [0] if "rim" in result["data"]["hits"] else True
    assert second.edit(kind="mix", voice="snare", field="level_db", value=-6)[0] == 200
    hits = first.hits()
    assert (("rim", 0) in hits, ("kick", 0) in hits) == (True, False)


def test_undo_and_redo_say_what_they_did(tab):
    before = tab.hits()
    tab.edit(kind="velocity", voice="kick", tick=0, velocity=50)
    status, result = tab.post("undo")
    assert (status, result["words"]) == (200, "kick 1.1 to velocity 50")
    assert tab.hits() == before
    assert tab.post("redo")[1]["song"]["redo"] is None
    assert tab.hits()["kick", 0] == (50, 0.0, ())
    status, result = tab.post("redo")
    assert status == 422
    assert "nothing to redo" in result["error"]


VOICES = ("kick", "snare", "rim", "hat_closed")


def random_edit(dice, there):
    """Any of the Bench's gestures, now and then one that is refused."""
    voice, tick = dice.choice(VOICES), dice.randrange(32) * 240
    chosen = dice.sample(sorted(there), min(len(there), dice.randrange(1, 9))) or [(voice, tick)]
    places = [list(place) for place in chosen]
    edits = (
        {"kind": "write", "voice": voice, "tick": tick, "velocity": dice.randrange(1, 128)},
        {"kind": "remove", "voice": voice, "tick": tick},
        {"kind": "paint", "voice": voice, "ticks": [tick, (tick + 480) % 7680]},
        {"kind": "wipe", "places": places},
        {"kind": "values", "field": "velocity", "values": [[*place, dice.randrange(1, 128)] for place in places]},
        {"kind": "values", "field": "strokes", "values": [[*place, dice.randrange(1, 9)] for place in places]},
        {"kind": "shape", "field": "pan", "places": places, "shape": "line", "start": -1, "end": 1},
        {"kind": "articulate", "places": places, "values": {"ornament": dice.choice(["flam", "drag", ""])}},
        {"kind": "articulate", "places": places, "values": {"odds_percent": dice.randrange(1, 101), "tune_cents": 300}},
        {"kind": "nudge", "places": places, "by_ms": dice.randrange(-40, 41) / 2},
        {"kind": "move_many", "moves": [[*place, dice.choice(VOICES), place[1] + 240] for place in places]},
        {"kind": "turn", "places": places, "how": "reverse", "step_ticks": 240, "start_tick": 0, "end_tick": 7680},
        {"kind": "stretch", "places": places, "factor": dice.choice([0.5, 2]), "start_tick": 0},
        {"kind": "lock_hits", "places": places, "locked": dice.random() < 0.3},
        {"kind": "lock_voice", "voice": voice, "locked": dice.random() < 0.3},
        {"kind": "row_spread", "voice": voice, "start_tick": 0, "step_ticks": 240, "hits": 5, "slots": 16},
        {"kind": "row_turn", "voice": voice, "how": "later", "step_ticks": 240},
        {"kind": "length", "bars": dice.choice([1, 2, 4])},
        {"kind": "add_bars", "from_bar": 2, "bars": 1, "copies": True},
        {"kind": "drop_bars", "from_bar": 2, "bars": 1},
        {"kind": "speed", "factor": dice.choice([0.5, 2])},
        {"kind": "mix", "voice": voice, "field": "pan", "value": dice.choice([-1, 0.5])},
    )
    return dice.choice(edits)


def test_random_edits_and_undos_end_in_the_identical_pattern(tab, deep):
    """Every state along the way is what undo and redo come back to, hit for hit; refused edits change nothing."""
    dice = random.Random(7)
    states, at, refused = [tab.state()], 0, 0
    for number in range(1000 if deep else 250):
        move = dice.random()
        if move < 0.25:
            status, _ = tab.post("undo")
            assert status == (200 if at else 422)
            at = max(0, at - 1)
        elif move < 0.4:
            status, _ = tab.post("redo")
            assert status == (200 if at + 1 < len(states) else 422)
            at = min(len(states) - 1, at + 1)
        else:
            edit = random_edit(dice, states[at][0])
            grows = edit["kind"] == "add_bars" or edit.get("factor") == 2 or edit.get("bars") == 4
            if grows and states[at][1]["length"] >= 2 * 3840:
                continue
            status, _ = tab.edit(**edit)
            assert status in (200, 422)
            refused += status == 422
            if status == 200:
                states[at + 1 :] = [tab.state()]
                at += 1
        if number % 10 == 0:
            assert tab.state() == states[at]
    assert refused > 5
    assert len(states) > 25
    while tab.post("undo")[0] == 200:
        pass
    assert tab.state() == states[0]
    while tab.post("redo")[0] == 200:
        pass
    assert tab.state() == states[-1]


def test_a_drag_sent_as_many_edits_is_one_undo(tab):
    for percent in range(51, 60):
        tab.post(
            "edits", edit={"kind": "feel", "scope": "stack", "field": "swing_percent", "value": percent}, gesture="g1"
        )
    _, result = tab.post("undo")
    assert result["song"]["undo"] is None


def test_a_length_answers_with_every_rail(tab):
    _, result = tab.edit(kind="length", bars=8)
    assert result["data"]["whole"]
    assert result["data"]["facts"]["length"] == 8 * 3840
    assert max(result["data"]["hits"]["kick"]["tick"]) >= 7 * 3840


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
    assert client.get("/audio/sounds/kick-unknown-3.wav").status_code == 404
