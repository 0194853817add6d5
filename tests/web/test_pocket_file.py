"""Song files over the wire, and files of more than a megabyte that songs begin with."""

from __future__ import annotations

import numpy as np

from easy_pocket.demo.tidewater import three_piers
from easy_pocket.store.songs.load import read_song
from tests.drums import ROCK, beat, rendered, wav_bytes


def test_a_song_is_saved_as_a_file_and_opened_as_a_new_one(store, client):
    with store.transaction() as session:
        song_id = three_piers(session).id
    saved = client.get(f"/songs/{song_id}/song.pocket")
    assert saved.headers["content-disposition"] == 'attachment; filename="Three Piers.pocket"'
    answer = client.post("/songs/from-song/upload?name=piers.pocket", content=saved.content)
    number = int(answer.json()["address"].split("/")[2])
    assert number != song_id
    one, other = (read_song(store.reader, key) for key in (song_id, number))
    assert [part.name for part in one.parts] == [part.name for part in other.parts]
    assert one.arrangement.bars == other.arrangement.bars
    assert client.get(f"/songs/{number}/song.pocket").content == saved.content


def test_what_is_no_song_file_is_said_in_words(client):
    address = "/songs/from-song/upload?name=letter.pocket"
    answer = client.post(address, content=b"dear all", headers={"Accept": "application/json"})
    assert answer.status_code == 422
    assert "letter.pocket" in answer.json()["error"]


def test_a_loop_of_more_than_a_megabyte_becomes_a_song(store, client):
    audio, _ = rendered(beat(ROCK), 104.0)
    stereo = np.repeat(np.tile(audio.samples[:, :1], (3, 1)), 2, axis=1)
    data = wav_bytes(stereo)
    assert len(data) > 1_000_000
    answer = client.post("/songs/from-loop/upload?name=long.wav", content=data)
    assert answer.status_code == 200, answer.text
    number = int(answer.json()["address"].split("/")[2])
    assert abs(read_song(store.reader, number).base_tempo_bpm - 104) < 1
