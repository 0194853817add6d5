"""A loop under the stack over HTTP: put there, set, heard, mixed down, copied with the song, and undone."""

import io

import numpy as np
import pytest
import soundfile

from easy_pocket.core.listen.layered_loop import LayerSettings, render_layered_loop
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.store.grooves.templates import save_house_grooves
from easy_pocket.store.loops.loops import add_loop, analysis_from_doc, get_loop, load_audio, stored
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.load import load_song
from tests.drums import ROCK, beat, rendered
from tests.web.test_bench import Tab


@pytest.fixture
def tab(client, store):
    audio, _ = rendered(beat(ROCK), 112.0)
    with store.transaction() as session:
        song = create_song(session, "Gangway", tempo_bpm=104, hits=beat(ROCK).hits)
        loop = add_loop(session, song.id, audio.name, stored(audio), analyze_loop(audio))
        tab = Tab(client, song.id)
        tab.loop_id = loop.id
        return tab


def put(tab):
    status, answer = tab.edit(kind="layered_loop", loop_id=tab.loop_id, there=True)
    assert status == 200, answer
    return answer


def setting(tab, field, value):
    return tab.edit(kind="layered_loop_set", loop_id=tab.loop_id, field=field, value=value)


def sounds(tab, answer):
    (key,) = answer["playing"]["layered_loops"]
    data = tab.client.get(f"/audio/layers/{key}.wav")
    assert data.status_code == 200
    return soundfile.read(io.BytesIO(data.content), dtype="float32")[0]


def mixed(tab):
    data = tab.client.get(f"/songs/{tab.song_id}/pattern.wav?bits=32").content
    return soundfile.read(io.BytesIO(data), dtype="float32")[0]


def test_what_is_heard_is_what_the_core_makes_of_it(tab, store):
    put(tab)
    setting(tab, "to", "stack")
    setting(tab, "duck_voice", "kick")
    _, answer = setting(tab, "low_cut_hz", 120)
    with store.transaction() as session:
        song = load_song(session, tab.song_id)
        (one,) = song.values.layered_loops
        heard, audio = analysis_from_doc(one.found), load_audio(session, one.audio_hash, "x")
        settings = LayerSettings(to="stack", duck_voice="kick", low_cut_hz=120.0)
        wanted = render_layered_loop(audio, heard.onsets, heard.reading, settings, song.values.performance())
    np.testing.assert_array_equal(sounds(tab, answer), wanted)


def test_it_is_in_the_mix_and_gone_when_muted_or_undone(tab):
    alone = mixed(tab)
    answer = put(tab)
    with_loop = mixed(tab)
    np.testing.assert_allclose(with_loop - alone, sounds(tab, answer) * 10 ** (-3 / 20), atol=2e-6)
    _, answer = setting(tab, "muted", True)
    assert answer["playing"]["layered_loops"] == []
    np.testing.assert_array_equal(mixed(tab), alone)
    _, answer = tab.post("undo")
    np.testing.assert_array_equal(mixed(tab), with_loop)
    tab.post("undo")
    np.testing.assert_array_equal(mixed(tab), alone)
    assert tab.client.get(f"/songs/{tab.song_id}/state").json()["song"]["redo"].endswith("under the stack")


def test_what_it_goes_to_decides_whether_an_edit_changes_its_sound(tab):
    before = put(tab)["playing"]["layered_loops"]
    _, answer = tab.edit(kind="offset", voice="kick", tick=0, offset_ms=20)
    assert answer["playing"]["layered_loops"] == before  # as it is by itself it does not hear the stack
    _, ducked = setting(tab, "duck_voice", "kick,snare")
    _, answer = tab.edit(kind="offset", voice="kick", tick=0, offset_ms=-20)
    assert answer["playing"]["layered_loops"] != ducked["playing"]["layered_loops"]
    _, faster = tab.edit(kind="tempo", tempo_bpm=120)
    assert len(sounds(tab, faster)) == round(8 * 60 / 120 * 44_100)


def test_one_groove_is_chosen_at_once_and_shown(tab, store):
    put(tab)
    with store.transaction() as session:
        save_house_grooves(session)
    status, _ = setting(tab, "to", "groove")
    assert status == 200
    panel = tab.client.get(f"/songs/{tab.song_id}/loops/{tab.loop_id}/layer").text
    assert 'data-layer="template_id"' in panel
    assert "selected" in panel.split('data-layer="template_id"')[1].split("</select>")[0]


@pytest.mark.parametrize(
    ("field", "value", "words"),
    [
        ("level_db", 99, "level is 99"),
        ("cycle_ticks", 5, "too short"),
        ("how", 3, "does not fit"),
        ("duck_voice", "anchor", "anchor"),
        ("template_id", 999_999, "gone"),
        ("to_bar", -1, "last bar"),
    ],
)
def test_what_does_not_fit_is_refused_and_nothing_changes(tab, field, value, words):
    before = put(tab)["playing"]["layered_loops"]
    status, answer = setting(tab, field, value)
    assert status == 422
    assert words in answer["error"]
    assert tab.client.get(f"/songs/{tab.song_id}/state").json()["playing"]["layered_loops"] == before


def test_twice_under_or_a_setting_of_none_is_refused_in_words(tab):
    status, answer = setting(tab, "level_db", -3)
    assert (status, "put it there first" in answer["error"]) == (422, True)
    put(tab)
    status, answer = tab.edit(kind="layered_loop", loop_id=tab.loop_id, there=True)
    assert (status, "already" in answer["error"]) == (422, True)


def test_a_removed_loop_is_silent_and_a_copied_song_has_its_own(tab, store):
    answer = put(tab)
    was = sounds(tab, answer)
    with store.transaction() as session:
        copy = duplicate_song(session, tab.song_id)
        session.flush()
        (one,) = load_song(session, copy.id).values.layered_loops
        assert get_loop(session, copy.id, one.id).id == one.id
    assert tab.edit(kind="loop_take", loop_id=tab.loop_id)[0] == 200
    assert tab.client.get(f"/songs/{tab.song_id}/state").json()["playing"]["layered_loops"] == []
    other = Tab(tab.client, copy.id)
    np.testing.assert_array_equal(sounds(other, tab.client.get(f"/songs/{copy.id}/state").json()), was)


def test_a_key_nobody_was_told_is_refused_in_words(client):
    answer = client.get("/audio/layers/0123456789abcdef01234567.wav")
    assert answer.status_code == 404
    assert "reload" in answer.text
