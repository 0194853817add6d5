"""What is done by itself: dumps of which seven are kept, audio that goes only when nothing refers to it, sizes told."""

from __future__ import annotations

import os
from datetime import UTC, datetime, timedelta
from pathlib import Path
from threading import Event, Thread
from typing import Any

import numpy as np
import pytest
from sqlalchemy import select

from easy_pocket.core.audio import Audio
from easy_pocket.core.formats.pocket_file import read_song_file
from easy_pocket.demo.tidewater import three_piers
from easy_pocket.home.dumps import KEPT, KEPT_DAILY, daily_dumps, dumps_in, make_dump
from easy_pocket.home.upkeep import SETTING, dump_is_due, keep_up
from easy_pocket.store.kits.samples import save_samples
from easy_pocket.store.loops.loops import save_audio, stored
from easy_pocket.store.schema.tables import AudioRow, LoopRow, SongRow
from easy_pocket.store.songs.pocket_files import song_from_contents
from easy_pocket.store.songs.shelf import delete_song
from easy_pocket.store.upkeep import audio_keys, clean_audio, sizes, unused_audio

SONG_FILE = Path(__file__).parent / "store/song_files/version-1.pocket"


@pytest.fixture
def song(store: Any) -> int:
    """One with a loop of its own."""
    with store.transaction() as session:
        return int(song_from_contents(session, read_song_file(SONG_FILE.read_bytes(), "x"), "x").id)


def noise(seed: int) -> Audio:
    return Audio(np.random.default_rng(seed).normal(0, 0.1, (4410, 1)).astype(np.float32), 44_100, "noise")


def brought_in(store: Any, seed: int) -> str:
    with store.transaction() as session:
        return save_audio(session, stored(noise(seed)))


def test_audio_goes_when_nothing_refers_to_it_for_two_rounds(store: Any, song: int, tmp_path: Path) -> None:
    left = brought_in(store, 1)
    used = audio_keys(store.reader) - unused_audio(store)
    first = keep_up(store, tmp_path, set())
    assert left in first
    assert left in audio_keys(store.reader)  # it may be on its way in
    keep_up(store, tmp_path, {left})
    assert left not in audio_keys(store.reader)
    assert used <= audio_keys(store.reader)


def test_what_a_loop_or_any_text_names_stays(store: Any, song: int, tmp_path: Path) -> None:
    loops = store.reader.scalars(select(LoopRow.audio_hash).where(LoopRow.song_id == song)).all()
    named = brought_in(store, 2)
    with store.transaction() as session:
        delete_song(session, song)  # in the bin it is whole
        line = session.scalars(select(SongRow)).one()
        line.feel = {"note": f"a sound, {named}"}
    assert loops
    assert not ({*loops, named} & unused_audio(store))
    assert clean_audio(store, {*loops, named}) == 0
    assert {*loops, named} <= audio_keys(store.reader)
    with store.transaction() as session:
        session.query(SongRow).delete()
    assert clean_audio(store, {named}) == 1


def test_audio_that_is_brought_in_again_meanwhile_stays(store: Any) -> None:
    """Who finds it there holds it until it is referred to: cleaning waits, and then leaves it."""
    key = brought_in(store, 3)
    done = Event()

    def cleaning() -> None:
        clean_audio(store, {key})
        done.set()

    thread = Thread(target=cleaning)
    with store.transaction() as session:
        save_audio(session, stored(noise(3)))
        thread.start()
        song = three_piers(session)
        session.add(LoopRow(song_id=song.id, name="x", audio_hash=key, found={}, overruled={}, removed=False))
        session.flush()
        assert not done.is_set()
    thread.join(20)
    assert done.is_set()
    assert key in audio_keys(store.reader)


def test_recordings_of_kits_are_held_as_well(store: Any) -> None:
    key = "ab" * 32
    with store.transaction() as session:
        save_samples(session, {key: np.zeros((100, 1), dtype=np.float32)})
        save_samples(session, {key: np.zeros((100, 1), dtype=np.float32)})
        assert session.get(AudioRow, key) is not None
    assert clean_audio(store, {key}) == 1


def test_a_dump_is_made_once_a_day_when_something_changed(
    store: Any, song: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv(SETTING, "off")
    keep_up(store, tmp_path, set())
    assert dumps_in(tmp_path) == []
    monkeypatch.delenv(SETTING)
    keep_up(store, tmp_path, set())
    (only,) = daily_dumps(tmp_path)
    keep_up(store, tmp_path, set())
    assert daily_dumps(tmp_path) == [only]
    tomorrow = datetime.now(UTC) + timedelta(days=1)
    assert not dump_is_due(store, tmp_path, tomorrow)  # nothing was changed
    yesterday = (datetime.now(UTC) - timedelta(days=1)).timestamp()
    os.utime(only, (yesterday, yesterday))
    assert dump_is_due(store, tmp_path)
    with store.transaction() as session:
        session.query(SongRow).delete()
    assert not dump_is_due(store, tmp_path)  # an empty shelf is no reason


def test_seven_daily_dumps_are_kept_and_three_others(store: Any, tmp_path: Path) -> None:
    folder = tmp_path / "dumps"
    folder.mkdir()
    for number in range(9):
        for label in ("daily", "before-0012"):
            one = folder / f"2026-11-{10 + number}-000000-{label}.shelf.tar"
            one.write_bytes(b"")
            os.utime(one, (1e9 + number, 1e9 + number))
    newest = make_dump(tmp_path, store.url, "daily")
    assert len(daily_dumps(tmp_path)) == KEPT_DAILY
    assert len(dumps_in(tmp_path)) == KEPT_DAILY + KEPT
    assert newest in daily_dumps(tmp_path)


def test_sizes_are_told_to_whoever_runs_it_and_on_the_shelf(store: Any, song: int, client: Any) -> None:
    found = sizes(store.reader)
    assert found.audio > 0
    assert found.all == found.songs + found.audio + found.history
    kept = client.get("/ready").json()["kept"]
    assert set(kept) == {"songs", "audio", "history"}
    assert kept["audio"] == pytest.approx(found.audio / 1e6, abs=1)
    assert "All that is kept here: " in client.get("/").text
