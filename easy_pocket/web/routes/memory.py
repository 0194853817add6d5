"""What the Bench remembers: the undo list, snapshots to compare with, and the shelf of short lines."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter
from pydantic import Field
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.compare import differences, differences_in_words
from easy_pocket.core.pattern import Pattern
from easy_pocket.core.put_line import on_kit
from easy_pocket.store.changes import change_list
from easy_pocket.store.lines import find_line, keep_line, lines, put_away_line
from easy_pocket.store.snapshots import find_snapshot, keep_snapshot, put_away_snapshot, snapshot_pattern, snapshots
from easy_pocket.store.songs import LoadedSong, load_song
from easy_pocket.web.answer import Answer
from easy_pocket.web.chosen_requests import Paste
from easy_pocket.web.request_types import Strict
from easy_pocket.web.routes.common import database
from easy_pocket.web.views.lines_view import line_doc
from easy_pocket.web.views.playing import playing

router = APIRouter()
Name = Annotated[str, Field(max_length=400)]
MOST_WORDS = 300


class Named(Strict):
    name: Name


class Removed(Strict):
    removed: bool


class KeptLine(Strict):
    name: Name
    length_ticks: int
    hits: Paste


@router.get("/songs/{song_id}/changes")
def changes(request: Request, song_id: int) -> Response:
    """The undo list in words, the newest first."""
    with database(request).transaction() as session:
        return Answer({"changes": change_list(session, load_song(session, song_id).row.id)})


def _listed(session: Any, song: LoadedSong) -> dict[str, Any]:
    return {"snapshots": [{"id": row.id, "name": row.name} for row in snapshots(session, song)]}


@router.get("/songs/{song_id}/snapshots")
def listed(request: Request, song_id: int) -> Response:
    with database(request).transaction() as session:
        return Answer(_listed(session, load_song(session, song_id)))


@router.post("/songs/{song_id}/snapshots")
def keep(request: Request, song_id: int, sent: Named) -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        row = keep_snapshot(session, song, sent.name)
        return Answer({"kept": row.id, **_listed(session, song)})


@router.post("/songs/{song_id}/snapshots/{snapshot_id}")
def put_away(request: Request, song_id: int, snapshot_id: int, sent: Removed) -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        put_away_snapshot(session, song, snapshot_id, sent.removed)
        session.flush()
        return Answer(_listed(session, song))


def _pattern(session: Any, song: LoadedSong, which: int) -> Pattern:
    """0 is the pattern as it is now."""
    return snapshot_pattern(song, find_snapshot(session, song, which)) if which else song.pattern


@router.get("/songs/{song_id}/compare")
def compare(request: Request, song_id: int, one: int = 0, other: int = 0) -> Response:
    """Both as they play, and what differs, place by place and in words."""
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        patterns = [_pattern(session, song, which) for which in (one, other)]
        heard = [playing(replace(song, pattern=pattern, performances={}), timings=("felt",)) for pattern in patterns]
        found = differences(*patterns)
        marks = [{"kind": one.kind, "voice": one.voice, "tick": one.tick} for one in found]
        words = differences_in_words(*patterns)
    return Answer(
        {"one": heard[0], "other": heard[1], "marks": marks, "words": words[:MOST_WORDS], "count": len(words)}
    )


@router.get("/songs/{song_id}/lines")
def shelf_of_lines(request: Request, song_id: int) -> Response:
    with database(request).transaction() as session:
        load_song(session, song_id)
        return Answer({"lines": [line_doc(line) for line in lines(session)]})


@router.get("/songs/{song_id}/lines/{key}/playing")
def line_playing(request: Request, song_id: int, key: str) -> Response:
    """A line on the song's kit, at its tempo and with its feel."""
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        line = find_line(session, key)
        hits = on_kit(line.hits, song.kit.roles)
        pattern = Pattern(line.length_ticks, hits, song.metre)
        return Answer(playing(replace(song, pattern=pattern, performances={}, mix={}), timings=("felt",)))


@router.post("/songs/{song_id}/lines")
def keep_chosen(request: Request, song_id: int, sent: KeptLine) -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        kept = keep_line(session, sent.name, sent.hits.to_core().hits, sent.length_ticks, song.metre)
        return Answer({"kept": kept.key, "lines": [line_doc(line) for line in lines(session)]})


@router.post("/songs/{song_id}/lines/{key}")
def put_line_away(request: Request, song_id: int, key: str, sent: Removed) -> Response:
    with database(request).transaction() as session:
        load_song(session, song_id)
        put_away_line(session, key, sent.removed)
        session.flush()
        return Answer({"lines": [line_doc(line) for line in lines(session)]})
