"""Feel over HTTP: reach, tightening before and after, writing in, the pocket compared; what is refused, and how."""

import io
import re

import numpy as np
import pytest
import soundfile

from easy_pocket.core.feel.perform import perform
from easy_pocket.core.sound.events import play_columns
from easy_pocket.core.sound.loudness import programme_loudness_lufs
from easy_pocket.samples import house_kits
from easy_pocket.store.grooves.shelf import groove_rows
from easy_pocket.store.grooves.templates import save_house_grooves
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song
from tests.drums import ROCK, beat
from tests.web.test_bench import Tab

HITS = beat({**ROCK, "hat_closed": "xoxoxoxoxoxoxoxo|xoxoxoxoxoxoxoxo"}).hits


@pytest.fixture
def tab(client, store):
    with store.transaction() as session:
        save_house_grooves(session)
        return Tab(client, create_song(session, "Slack Water", tempo_bpm=96, hits=HITS).id)


def groove(store, key):
    with store.transaction() as session:
        return next(row.id for row in groove_rows(session) if row.house == key)


def feel(tab, field, value, scope="stack"):
    status, result = tab.edit(kind="feel", scope=scope, field=field, value=value)
    assert status == 200, result
    return result


def offsets(tab, voice):
    rail = tab.rails()["hits"][voice]
    return dict(zip(rail["tick"], rail["offset"], strict=True))


def felt(tab):
    return {voice: (rail["offset"], rail["played"]) for voice, rail in tab.rails()["hits"].items() if rail["tick"]}


def ask(tab, path, **body):
    answer = tab.client.post(f"/songs/{tab.song_id}/{path}", json=body)
    return answer.status_code, answer.json()


def test_the_groove_reaches_the_cymbals_only_and_everyone_again(tab, store):
    feel(tab, "template_id", groove(store, "slack_rope"))
    assert offsets(tab, "kick")[5280] == 0  # an 8th: the groove leaves those
    tab.edit(kind="write", voice="kick", tick=240)
    assert offsets(tab, "kick")[240] > 30
    tab.edit(kind="reach", voices=["hat_closed", "hat_open"])
    assert offsets(tab, "kick")[240] == 0
    assert offsets(tab, "hat_closed")[240] > 30
    _, result = tab.post("undo")
    assert result["words"] == "groove on closed hat, open hat"
    assert offsets(tab, "kick")[240] > 30
    tab.edit(kind="reach", voices=["hat_closed"])
    tab.edit(kind="reach", voices=list(tab.rails()["hits"]))
    assert offsets(tab, "kick")[240] > 30


def test_a_preview_changes_nothing_and_tells_what_tightening_then_does(tab):
    feel(tab, "swing_percent", 60)
    feel(tab, "jitter_ms", 5)
    before = felt(tab)
    wanted = {"target": "grid", "strength_percent": 50, "leave_alone_ms": 0, "step_ticks": 240}
    _, found = ask(tab, "tighten", **wanted)
    assert felt(tab) == before
    assert found["mean_is"] == pytest.approx(found["mean_was"] / 2, abs=0.02)
    moves = found["moves"]["hat_closed"]
    tab.edit(kind="tighten", **wanted)
    was = dict(zip(tab.rails()["hits"]["hat_closed"]["tick"], before["hat_closed"][0], strict=True))
    now = offsets(tab, "hat_closed")
    for tick, by in zip(moves["tick"], moves["by"], strict=True):
        assert now[tick] - was[tick] == pytest.approx(by, abs=0.05)
    _, result = tab.post("undo")
    assert result["words"].startswith("tighten")
    assert felt(tab) == before


def test_a_grid_that_is_too_coarse_is_told_before_anything_moves(tab):
    status, found = ask(tab, "tighten", target="grid", strength_percent=100, step_ticks=480)
    assert status == 200
    assert found["proposed"] == "16"
    assert "On 16ths none collide" in found["warning"]


def test_a_grid_that_would_move_hits_by_a_whole_finer_step_is_told_though_none_collide(tab):
    places = [["rim", 240], ["rim", 1200], ["rim", 2160]]
    for voice, tick in places:
        assert tab.edit(kind="write", voice=voice, tick=tick)[0] == 200
    _, found = ask(tab, "tighten", target="grid", strength_percent=100, step_ticks=480, places=places)
    assert found["warning"] == "At 8ths, 3 of 3 hits move by more than half a 16th; on 16ths none would move that far."
    assert (found["proposed_name"], found["proposed_ticks"]) == ("16ths", 240)
    _, found = ask(tab, "tighten", target="grid", strength_percent=100, step_ticks=240, places=places)
    assert (found["warning"], found["proposed"]) == ("", None)


def test_written_in_the_beat_sounds_the_same_and_one_undo_brings_the_feel_back(tab, store):
    feel(tab, "template_id", groove(store, "low_tide"))
    feel(tab, "accent_pull", 60)
    feel(tab, "drift_ms", 4)
    feel(tab, "push_ms", 9, "snare")
    before = felt(tab)
    hits = tab.hits()
    tab.edit(kind="write_in", scope="stack")
    after = felt(tab)
    for voice, (offset, played) in before.items():
        assert after[voice][0] == pytest.approx(offset, abs=0.011)
        assert after[voice][1] == played
    with store.transaction() as session:
        song = load_song(session, tab.song_id)
        assert (song.row.feel, song.part.feel, song.part.voice_feel) == ({}, {}, {})
    _, result = tab.post("undo")
    assert result["words"] == "write in the whole feel"
    assert felt(tab) == before
    assert tab.hits() == hits


def test_one_voice_written_in_leaves_the_rest_to_the_feel(tab):
    feel(tab, "swing_percent", 62)
    feel(tab, "push_ms", 3, "part")
    before = felt(tab)
    tab.edit(kind="write_in", scope="hat_closed")
    assert felt(tab) == before
    feel(tab, "swing_percent", 50)
    assert felt(tab)["hat_closed"] == before["hat_closed"]


def test_straight_again_takes_offsets_and_leaves_the_feel(tab):
    tab.edit(kind="offset", voice="snare", tick=960, offset_ms=14)
    feel(tab, "push_ms", 5)
    assert offsets(tab, "snare")[960] == 19
    tab.edit(kind="straight_again", places=[["snare", 960]], step_ticks=240)
    assert offsets(tab, "snare")[960] == 5


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        ({"kind": "tighten", "target": "grid", "strength_percent": 200, "step_ticks": 240}, "strength is 200 %"),
        ({"kind": "tighten", "target": "groove", "strength_percent": 50, "step_ticks": 240}, "No groove is chosen"),
        ({"kind": "tighten", "target": "grid", "strength_percent": 50, "step_ticks": 240}, "No hit moves by this"),
        ({"kind": "tighten", "target": "grid", "strength_percent": 50, "step_ticks": 7}, "grid of 7 ticks"),
        ({"kind": "feel", "scope": "stack", "field": "groove_lane", "value": "treble"}, "no band 'treble'"),
        ({"kind": "feel", "scope": "stack", "field": "swing_percent", "value": "much"}, "does not fit swing"),
        ({"kind": "feel", "scope": "stack", "field": "ghost_percent", "value": 1}, "level of ghosts is 1 %"),
        ({"kind": "feel", "scope": "stack", "field": "template_id", "value": 99999}, "groove template is gone"),
        ({"kind": "reach", "voices": ["gong"]}, "no voice 'gong'"),
    ],
)
def test_what_does_not_fit_is_refused_in_words_and_nothing_is_changed(tab, edit, words):
    before = tab.state(), tab.revision
    status, result = tab.edit(**edit)
    assert status == 422
    assert words in result["error"]
    assert (tab.state(), tab.revision) == before


def rows(html):
    """Voice, hits, mean, spread, swing, gap of every row of the pocket."""
    found = []
    for row in re.findall(r'<tr><th scope="row">(.*?)</tr>', html, re.DOTALL):
        name, _, cells = row.partition("</th>")
        found.append((name, *re.findall(r"<td(?! class=.pocket-row)[^>]*>(.*?)</td>", cells)))
    return found


def test_the_pocket_of_felt_against_straight_and_of_chosen_hits(tab):
    feel(tab, "push_ms", 9, "snare")
    _, found = ask(tab, "pocket", one="felt", other="straight")
    assert rows(found["html"])[1] == ("Snare", "4", "+9.0", "0.0", "–", "−9.0")
    assert "42 pairs, 0.9 ms apart on average, straight 0.9 ms ahead" in found["html"]
    assert 'data-worst-voice="snare"' in found["html"]
    _, chosen = ask(tab, "pocket", one="felt", places=[["snare", 960], ["kick", 0]])
    assert [row[:2] for row in rows(chosen["html"])] == [("Kick", "1"), ("Snare", "1")]
    assert "2 chosen hits" in chosen["html"]


def test_the_pocket_compares_with_a_snapshot_and_another_song(tab, client, store):
    kept = client.post(f"/songs/{tab.song_id}/snapshots", json={"name": "before <b>"}).json()["kept"]
    tab.edit(kind="offset", voice="snare", tick=960, offset_ms=14)
    _, found = ask(tab, "pocket", one="felt", other=f"snapshot-{kept}")
    assert "snapshot before &lt;b&gt;" in found["html"]
    assert rows(found["html"])[1][5] == "−3.5"
    with store.transaction() as session:
        other = create_song(session, "Ferry Bell", tempo_bpm=168, hits=HITS).id
    _, found = ask(tab, "pocket", one="felt", other=f"song-{other}")
    assert rows(found["html"])[0][5] == "0"
    _, gone = ask(tab, "pocket", one="felt", other="loop-777")
    assert "side B is gone" in gone["html"]


def beat_of_song(store, tab):
    with store.transaction() as session:
        return load_song(session, tab.song_id).pattern


def test_felt_and_straight_are_equally_loud(tab, store):
    feel(tab, "template_id", groove(store, "slack_rope"))
    feel(tab, "accent_pull", 100)
    feel(tab, "ghost_percent", 180)
    levels = [
        programme_loudness_lufs(soundfile.read(io.BytesIO(saved.content))[0])
        for saved in (
            tab.client.get(f"/songs/{tab.song_id}/pattern.wav?timing={name}") for name in ("felt", "straight")
        )
    ]
    assert levels[0] == pytest.approx(levels[1], abs=0.3)
    played = tab.client.get(f"/songs/{tab.song_id}/straight").json()["straight"]
    written = play_columns(perform(beat_of_song(store, tab), tempo_bpm=96), house_kits()["boathouse"])
    louder = np.array(played["gain"]) / written.gain
    assert louder.std() < 1e-3  # the written dynamics, all of it by one factor
    assert abs(20 * np.log10(louder.mean())) > 0.1


def test_what_is_tried_is_what_setting_it_gives_and_nothing_is_kept(tab):
    before = felt(tab)
    status, tried = ask(tab, "feel/try", revision=1, scope="stack", field="swing_percent", value=62.5, pocket=True)
    assert status == 200
    assert "swing found 62.5 %" in tried["pocket"]
    assert felt(tab) == before
    assert tab.client.get(f"/songs/{tab.song_id}/state").json()["song"]["undo"] is None
    kept = feel(tab, "swing_percent", 62.5)
    for voice, lean in tried["leans"].items():
        names = ("played", "offset", "amounts", "accents", "silent")
        assert lean == {name: kept["data"]["hits"][voice][name] for name in names}
    assert tried["playing"]["felt"] == kept["playing"]["felt"]
    status, again = ask(tab, "feel/try", revision=2, scope="hat_closed", field="push_ms", value=-4)
    assert again["leans"]["hat_closed"]["offset"] == [round(ms - 4, 2) for ms in tried["leans"]["hat_closed"]["offset"]]
    assert again["pocket"] is None


def test_a_try_on_what_another_tab_changed_or_out_of_range_says_so(tab):
    feel(tab, "swing_percent", 60)
    status, answer = ask(tab, "feel/try", revision=1, scope="stack", field="swing_percent", value=62)
    assert status == 409
    assert "changed" in answer["error"]
    status, answer = ask(tab, "feel/try", revision=2, scope="stack", field="swing_percent", value=90)
    assert status == 422
    assert "90" in answer["error"]
    assert "75" in answer["error"]
