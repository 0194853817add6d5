"""The song's bars against the guide that lies under them: cut out in place, compared with all parts, taken back."""

import numpy as np
import pytest

from easy_pocket.core.errors import PocketError
from easy_pocket.store.loops.loops import analysis_from_doc, get_loop
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.selection import Selection
from tests.drums import ROCK, beat, rendered, wav_bytes
from tests.editing import do, step

LATE_MS = 12.0
RATE = 44_100


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        return create_song(session, "Slack Water", tempo_bpm=104, hits=beat(ROCK).hits).id


@pytest.fixture
def guided(store, client, song_id):
    """A song over a guide that plays the same beat, but for a first half second, and all of it 12 ms late."""
    audio, _ = rendered(beat(ROCK), 104.0)
    lead = np.zeros((round((0.5 + LATE_MS / 1000) * RATE), audio.samples.shape[1]), dtype=np.float32)
    data = wav_bytes(np.concatenate([lead, audio.samples, audio.samples]))
    answer = client.post(f"/songs/{song_id}/guide/upload?name=rough.wav", content=data)
    assert answer.status_code == 200, answer.text
    do(store, song_id, "guide_set", start_s=0.5)
    return song_id


def test_what_lies_under_the_section_is_a_loop_that_shows_how_late_the_guide_is(store, client, guided):
    made = do(store, guided, "guide_keep_bars")
    song = read_song(store.reader, guided)
    row = get_loop(store.reader, guided, made.changed.made)
    heard = analysis_from_doc(row.found)
    bars = song.sections[0].bars
    assert row.name == f"rough, bars 1-{bars}.wav"
    assert heard.reading.bars == bars
    assert heard.reading.tempo_bpm == pytest.approx(104, abs=0.01)
    compared = client.post(
        f"/songs/{guided}/loops/{row.id}/against",
        json={"voices": [], "strength_percent": 100, "step_ticks": 240, "of": "all"},
    ).json()
    assert compared["pairs"] == compared["hits"] > 10
    kick = next(one for one in compared["rows"] if one["name"] == "Kick")
    assert kick["mean"] == pytest.approx(-LATE_MS, abs=1.5)  # the song is early, seen from the guide
    assert made.words == f"keep rough, bars 1-{bars}.wav"
    step(store, guided, "undo")
    with pytest.raises(PocketError):
        get_loop(store.reader, guided, row.id)


def test_a_later_section_is_compared_with_what_lies_under_it(store, guided):
    second = do(store, guided, "section_add").song.sections[-1].id
    made = do(store, guided, "guide_keep_bars", selection=Selection(section_id=second))
    row = get_loop(store.reader, guided, made.changed.made)
    song = read_song(store.reader, guided)
    first = song.sections[0].bars + 1
    assert row.name == f"rough, bars {first}-{first + song.sections[1].bars - 1}.wav"
    assert len(analysis_from_doc(row.found).onsets) > 10


def test_the_songs_tempo_holds_also_over_a_guide_of_another_one(store, client, guided):
    do(store, guided, "tempo", tempo_bpm=96)
    made = do(store, guided, "guide_keep_bars")
    heard = analysis_from_doc(get_loop(store.reader, guided, made.changed.made).found)
    assert heard.reading.tempo_bpm == pytest.approx(96, abs=0.01)
    do(store, guided, "loop_correct", loop_id=made.changed.made, change={"kind": "as_heard"})
    again = analysis_from_doc(get_loop(store.reader, guided, made.changed.made).found)
    assert again.reading.tempo_bpm == pytest.approx(96, abs=0.01)  # it was cut so


def test_where_the_guide_does_not_reach_it_says_so_and_keeps_nothing(store, client, guided):
    do(store, guided, "guide_set", start_s=8.0)
    with pytest.raises(PocketError, match=r"does not lie under all of these bars, only 8\.0 to"):
        do(store, guided, "guide_keep_bars")
    do(store, guided, "guide_away")
    with pytest.raises(PocketError, match="has no guide"):
        do(store, guided, "guide_keep_bars")
    assert "rough, bar" not in client.get(f"/songs/{guided}/loops").text
