"""Who follows songs is told when one changes, whoever changed it and in whichever process: the revisions of all songs
that are followed are asked for together."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import time
from collections.abc import AsyncIterator, Collection
from dataclasses import asdict, dataclass

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request

from easy_pocket.core.text import initials
from easy_pocket.store.database import Database, Reader
from easy_pocket.store.people.comments import open_comments
from easy_pocket.store.people.presence import Present, go, present, still_there
from easy_pocket.store.schema.people_tables import PersonRow
from easy_pocket.store.schema.tables import EditRow, SongRow
from easy_pocket.store.songs.edits.pipeline import tab_of

log = logging.getLogger(__name__)
LOOK_S, ALIVE_S = 0.4, 15.0
PRESENCE_S, HEARTBEAT_S = 0.8, 6.0  # how often it is asked who is there, and told that ours still are
LONGEST_S = 3600.0  # then a follower comes again by itself
MOST_FOLLOWERS = 256


@dataclass(frozen=True)
class Change:
    """The newest edit of a song; tab: of the page that made it; who: that made it, where there are accounts. gone: the
    song is off the shelf."""

    revision: int
    words: str = ""
    tab: str = ""
    who: str = ""
    gone: bool = False


@dataclass(frozen=True)
class Here:
    """Who is in a song now, and how many of its comments are open."""

    people: tuple[Present, ...]
    comments: int


Told = Change | Here


class SongWatch:
    """Of one process."""

    def __init__(self, database: Database) -> None:
        self.database, self.reader = database, database.reader
        self._followers: dict[int, set[asyncio.Queue[Told]]] = {}
        self._seen: dict[int, int] = {}
        self._tabs: dict[str, int] = {}  # pages of people that follow here, to their songs
        self._present: dict[int, Here] = {}
        self._asked_at = self._heard_at = 0.0
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

    async def follow(self, song_id: int, tab: str = "") -> AsyncIterator[Told | None]:
        """The newest edit, then each that follows, and who is there; None when nothing happened for a while. tab: of
        the page of somebody with an account, that is there as long as it follows."""
        told: asyncio.Queue[Told] = asyncio.Queue()
        first = (await run_in_threadpool(_newest, self.reader, [song_id])).get(song_id)
        if first is None:
            yield Change(0, gone=True)
            return
        self._followers.setdefault(song_id, set()).add(told)
        self._seen.setdefault(song_id, first.revision)
        if tab:
            self._tabs[tab] = song_id
        if song_id in self._present:
            told.put_nowait(self._present[song_id])
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
                if isinstance(change, Here):
                    yield change
                    continue
                if change.gone or change.revision > newest:
                    newest = change.revision
                    yield change
                if change.gone:
                    return
        finally:
            if tab and self._tabs.pop(tab, None) is not None:
                asyncio.get_running_loop().run_in_executor(None, _gone, self.database, song_id, tab)
            mine = self._followers.get(song_id, set())
            mine.discard(told)
            if not mine:
                self._followers.pop(song_id, None)
                self._seen.pop(song_id, None)
                self._present.pop(song_id, None)

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
            await self._look_who(asked)
            for song_id in asked:
                change = found.get(song_id, Change(0, gone=True))
                if not change.gone and change.revision == self._seen.get(song_id):
                    continue
                self._seen[song_id] = change.revision
                for told in self._followers.get(song_id, ()):
                    told.put_nowait(change)

    async def _look_who(self, asked: list[int]) -> None:
        """Who is in the songs that are followed; only where people have accounts is anybody."""
        moment = time.monotonic()
        if moment - self._asked_at < PRESENCE_S:
            return
        self._asked_at = moment
        try:
            if self._tabs and moment - self._heard_at > HEARTBEAT_S:
                self._heard_at = moment
                await run_in_threadpool(still_there, self.database, list(self._tabs))
            if not self._tabs:
                return
            found = await run_in_threadpool(who_is_here, self.reader, asked)
        except SQLAlchemyError:
            log.warning("who is there could not be looked at", exc_info=True)
            return
        for song_id, here in found.items():
            if self._present.get(song_id) == here or song_id not in self._followers:
                continue
            self._present[song_id] = here
            for told in self._followers[song_id]:
                told.put_nowait(here)


def who_is_here(reader: Reader, songs: list[int]) -> dict[int, Here]:
    people, comments = present(reader, songs), open_comments(reader, songs)
    return {song: Here(tuple(people[song]), comments.get(song, 0)) for song in songs}


def _gone(database: Database, song_id: int, tab: str) -> None:
    with contextlib.suppress(SQLAlchemyError):
        go(database, song_id, tab)


def as_event(here: Here) -> str:
    people = [{**asdict(one), "stitch": one.stitch, "initials": initials(one.name)} for one in here.people]
    return f"event: here\ndata: {json.dumps({'people': people, 'comments': here.comments})}\n\n"


async def told_as_events(
    request: Request, watch: SongWatch, song_id: int, *fields: str, tab: str = ""
) -> AsyncIterator[str]:
    """Server-sent events: `changed` with these fields of the newest edit, `here` with who is there, `gone` at the
    end."""
    async for change in watch.follow(song_id, tab):
        if await request.is_disconnected():
            return
        if change is None:
            yield ": still here\n\n"
        elif isinstance(change, Here):
            yield as_event(change)
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
            select(EditRow.words, EditRow.edit_id, PersonRow.name, PersonRow.password, PersonRow.role)
            .outerjoin(PersonRow, PersonRow.id == EditRow.person_id)
            .where(EditRow.song_id == song_id, EditRow.revision == revision)
        ).first()
        if row is None:
            found[song_id] = Change(revision)
            continue
        named = row.name and (row.password or row.role == "guest")
        who = row.name if named else ""  # while there are no accounts everybody is nobody
        found[song_id] = Change(revision, row.words, tab_of(row.edit_id or ""), who)
    return found
