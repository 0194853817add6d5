"""Who follows songs is told when one changes, whoever changed it and in whichever process: the revisions of all songs
that are followed are asked for together."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import time
from collections.abc import AsyncIterator, Collection
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request

from easy_pocket.store.database import Reader
from easy_pocket.store.schema.tables import EditRow, SongRow
from easy_pocket.store.songs.edits.pipeline import tab_of

log = logging.getLogger(__name__)
LOOK_S, ALIVE_S = 0.4, 15.0
LONGEST_S = 3600.0  # then a follower comes again by itself
MOST_FOLLOWERS = 256


@dataclass(frozen=True)
class Change:
    """The newest edit of a song; tab: of the page that made it. gone: the song is off the shelf."""

    revision: int
    words: str = ""
    tab: str = ""
    gone: bool = False


class SongWatch:
    """Of one process."""

    def __init__(self, reader: Reader) -> None:
        self.reader = reader
        self._followers: dict[int, set[asyncio.Queue[Change]]] = {}
        self._seen: dict[int, int] = {}
        self._looking: asyncio.Task[None] | None = None
        self._now: asyncio.Event | None = None
        self._loop: asyncio.AbstractEventLoop | None = None

    @property
    def count(self) -> int:
        return sum(map(len, self._followers.values()))

    def nudge(self) -> None:
        """Something changed just now: look at once. From any thread."""
        if self._loop is not None and self._now is not None and not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self._now.set)

    async def follow(self, song_id: int) -> AsyncIterator[Change | None]:
        """The newest edit, then each that follows; None when nothing happened for a while."""
        told: asyncio.Queue[Change] = asyncio.Queue()
        first = (await run_in_threadpool(_newest, self.reader, [song_id])).get(song_id)
        if first is None:
            yield Change(0, gone=True)
            return
        self._followers.setdefault(song_id, set()).add(told)
        self._seen.setdefault(song_id, first.revision)
        self._begin()
        try:
            yield first
            until, newest = time.monotonic() + LONGEST_S, first.revision
            while time.monotonic() < until:
                try:
                    change = await asyncio.wait_for(told.get(), ALIVE_S)
                except TimeoutError:
                    yield None
                    continue
                if change.gone or change.revision > newest:
                    newest = change.revision
                    yield change
                if change.gone:
                    return
        finally:
            mine = self._followers.get(song_id, set())
            mine.discard(told)
            if not mine:
                self._followers.pop(song_id, None)
                self._seen.pop(song_id, None)

    def _begin(self) -> None:
        loop = asyncio.get_running_loop()
        if self._looking is None or self._looking.done() or self._loop is not loop:
            self._loop, self._now = loop, asyncio.Event()
            self._looking = loop.create_task(self._look(self._now))

    async def _look(self, now: asyncio.Event) -> None:
        while self._followers:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(now.wait(), LOOK_S)
            now.clear()
            asked = list(self._followers)
            try:
                found = await run_in_threadpool(_newest, self.reader, asked, dict(self._seen))
            except SQLAlchemyError:
                log.warning("songs that are followed could not be looked at", exc_info=True)
                continue
            for song_id in asked:
                change = found.get(song_id, Change(0, gone=True))
                if not change.gone and change.revision == self._seen.get(song_id):
                    continue
                self._seen[song_id] = change.revision
                for told in self._followers.get(song_id, ()):
                    told.put_nowait(change)


async def told_as_events(request: Request, watch: SongWatch, song_id: int, *fields: str) -> AsyncIterator[str]:
    """Server-sent events: `changed` with these fields of the newest edit, `gone` at the end."""
    async for change in watch.follow(song_id):
        if await request.is_disconnected():
            return
        if change is None:
            yield ": still here\n\n"
        elif change.gone:
            yield "event: gone\ndata: {}\n\n"
        else:
            told = {name: getattr(change, name) for name in fields}
            yield f"id: {change.revision}\nevent: changed\ndata: {json.dumps(told)}\n\n"


def _newest(reader: Reader, songs: Collection[int], seen: dict[int, int] | None = None) -> dict[int, Change]:
    """The newest change of each song that is on the shelf; words only where it was not seen."""
    asked = select(SongRow.id, SongRow.revision).where(SongRow.id.in_(songs), SongRow.deleted_at.is_(None))
    found = {}
    for song_id, revision in reader.execute(asked):
        if (seen or {}).get(song_id) == revision:
            found[song_id] = Change(revision)
            continue
        row = reader.execute(
            select(EditRow.words, EditRow.edit_id).where(EditRow.song_id == song_id, EditRow.revision == revision)
        ).first()
        found[song_id] = Change(revision, row.words, tab_of(row.edit_id or "")) if row else Change(revision)
    return found
