"""Song files over the wire, and files of more than a megabyte that songs begin with."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pytest

from easy_pocket.demo.tidewater import three_piers
from easy_pocket.store.history.undo_log import NothingToUndoError
from easy_pocket.store.kits.kits import add_kit, kit_from_row, kit_names
from easy_pocket.store.schema.tables import KitRow, SongRow
from easy_pocket.store.songs.load import read_song
from tests.drums import ROCK, beat, rendered, wav_bytes
from tests.editing import do, step


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


def test_the_history_of_a_song_goes_along_or_is_shortened(store, client):
    with store.transaction() as session:
        song_id = three_piers(session).id
    for tempo in (90, 91, 92):
        do(store, song_id, "tempo", tempo_bpm=tempo)
    saved = client.get(f"/songs/{song_id}/song.pocket?history=true")
    answer = client.post("/songs/from-song/upload?name=piers.pocket", content=saved.content)
    other = int(answer.json()["address"].split("/")[2])
    assert step(store, other, "undo") == "tempo 92"
    cards = client.post(f"/songs/{song_id}/history", data={"keep": "1"})
    assert "1 step to undo" in cards.text
    assert step(store, song_id, "undo") == "tempo 92"
    with pytest.raises(NothingToUndoError):
        step(store, song_id, "undo")


BY_HTMX = {"HX-Request": "true"}


def kit_words(page, name):
    return re.search(rf"<b>{name}</b><small>([^<]+)</small></div>(.*?)</div>", page, re.S)


def test_a_kit_is_thrown_away_when_no_song_plays_on_it_and_brought_back(store, client):
    with store.transaction() as session:
        song_id = three_piers(session).id
    do(store, song_id, "kit_new", name="Wet Sand", source="new")
    key = read_song(store.reader, song_id).parts[0].kit_key
    assert "Three Piers" in kit_words(client.get("/").text, "Wet Sand")[1]
    refused = client.post(f"/kits/{key}/away", headers={"Accept": "application/json"})
    assert refused.status_code == 422
    assert refused.json()["error"] == "1 song plays on Wet Sand: put it on another kit first."
    step(store, song_id, "undo")
    listed = kit_words(client.get("/").text, "Wet Sand")
    assert listed[1].endswith("in no song")
    assert "throw away" in listed[2]
    gone = client.post(f"/kits/{key}/away", headers=BY_HTMX).text
    assert "kit, gone in 30 days" in gone
    assert "Wet Sand" not in kit_names(store.reader).values()
    client.post(f"/bin/kits/{key}/back")
    assert kit_names(store.reader)[key] == "Wet Sand"
    client.post(f"/kits/{key}/away")
    client.post("/bin/empty")
    step(store, song_id, "redo")  # a step of the song needs it: it was kept
    assert kit_names(store.reader)[key] == "Wet Sand"
    assert client.post("/kits/boathouse/away", headers={"Accept": "application/json"}).status_code == 422


def test_the_bin_is_emptied_at_once(store, client):
    with store.transaction() as session:
        keep, go = three_piers(session).id, three_piers(session).id
        kit = add_kit(session, replace(kit_from_row(session.get_one(KitRow, "boathouse")), name="Old Rope")).key
    client.post(f"/kits/{kit}/away")
    page = client.post(f"/songs/{go}/delete", headers=BY_HTMX).text
    assert "data-empty-bin" in page
    assert "data-empty-bin" not in client.post("/bin/empty", headers=BY_HTMX).text
    with store.transaction() as session:
        assert session.get(SongRow, go) is None
        assert session.get(SongRow, keep) is not None
        assert session.get(KitRow, kit) is None


def test_a_backup_cannot_be_brought_back_where_nobody_can_start_anew(client):
    answer = client.post("/backups/upload?name=x.gz", content=b"x", headers={"Accept": "application/json"})
    assert answer.status_code == 422
    assert "./pocket restore FILE" in answer.json()["error"]
