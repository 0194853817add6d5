"""Songs that are followed: who follows is told of every change, by whom it was made, and when the song is gone."""

from __future__ import annotations

import asyncio
import time
from typing import Any

import pytest

from easy_pocket.demo.tidewater import three_piers
from easy_pocket.store.songs.shelf import delete_song
from easy_pocket.web.shared.song_watch import LOOK_S, Change, SongWatch
from tests.editing import do, step

AT_ONCE_S = 5.0


@pytest.fixture
def songs(store: Any) -> list[int]:
    with store.transaction() as session:
        return [three_piers(session).id for _ in range(2)]


async def next_of(following: Any) -> Change:
    while True:
        found = await asyncio.wait_for(anext(following), AT_ONCE_S)
        if found is not None:
            return found


def test_each_follower_is_told_what_changed_and_by_which_tab(store: Any, songs: list[int]) -> None:
    async def followed() -> None:
        watch = SongWatch(store)
        one, two, other = (watch.follow(song) for song in (songs[0], songs[0], songs[1]))
        first = await next_of(one)
        assert await next_of(two) == first
        await next_of(other)
        assert watch.count == 3
        await asyncio.to_thread(do, store, songs[0], "tempo", tempo_bpm=91, edit_id="tab-of-mine-7")
        for following in (one, two):
            told = await next_of(following)
            assert (told.revision, told.words, told.tab) == (first.revision + 1, "tempo 91", "tab-of-mine")
        await two.aclose()
        await asyncio.to_thread(step, store, songs[0], "undo")
        assert (await next_of(one)).words == "tempo 91"
        await asyncio.to_thread(do, store, songs[1], "tempo", tempo_bpm=88)
        assert (await next_of(other)).words == "tempo 88"  # and nothing of the first song before
        await one.aclose()
        await other.aclose()
        assert watch.count == 0

    asyncio.run(followed())


def test_a_nudge_is_quicker_than_the_next_look(store: Any, songs: list[int], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("easy_pocket.web.shared.song_watch.LOOK_S", 60.0)

    async def followed() -> None:
        watch = SongWatch(store)
        following = watch.follow(songs[0])
        await next_of(following)
        began = time.monotonic()
        await asyncio.to_thread(do, store, songs[0], "tempo", tempo_bpm=91)
        watch.nudge()
        assert (await next_of(following)).words == "tempo 91"
        assert time.monotonic() - began < AT_ONCE_S
        await following.aclose()

    assert LOOK_S < 1
    asyncio.run(followed())


def test_a_song_that_goes_off_the_shelf_ends_its_followers(store: Any, songs: list[int]) -> None:
    def delete() -> None:
        with store.transaction() as session:
            delete_song(session, songs[0])

    async def followed() -> None:
        watch = SongWatch(store)
        following = watch.follow(songs[0])
        await next_of(following)
        await asyncio.to_thread(delete)
        assert (await next_of(following)).gone
        with pytest.raises(StopAsyncIteration):
            await asyncio.wait_for(anext(following), AT_ONCE_S)
        assert watch.count == 0
        assert (await next_of(watch.follow(songs[0]))).gone

    asyncio.run(followed())
