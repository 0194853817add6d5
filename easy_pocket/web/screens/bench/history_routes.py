"""What the Bench remembers: the undo list, snapshots to compare with, and the shelf of short lines."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Path, Query
from pydantic import Field
from starlette.responses import Response

from easy_pocket.core.pattern.differences import describe_differences, differences
from easy_pocket.core.pattern.insert_phrase import on_kit
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.store.database import Reader
from easy_pocket.store.history.undo_log import change_list
from easy_pocket.store.songs.edits.fields import Name, Strict, Tick
from easy_pocket.store.songs.edits.pattern import SentHits
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.phrases import find_phrase, remove_phrase, store_phrase
from easy_pocket.store.songs.snapshots import (
    find_snapshot,
    remove_snapshot,
    snapshot_pattern,
    snapshots,
    store_snapshot,
)
from easy_pocket.web.screens.bench.phrases_view import offered
from easy_pocket.web.screens.bench.shapes import Snapshots
from easy_pocket.web.shared.dependencies import Reads, RowId, Song, Store
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import playing

router = APIRouter()
MOST_WORDS = 300
LineKey = Annotated[str, Path(max_length=80)]
Which = Annotated[int, Query(ge=0, le=2**31 - 1)]


class Named(Strict):
    name: Name


class Removed(Strict):
    removed: bool


class KeptLine(Strict):
    name: Name
    length_ticks: Annotated[int, Field(ge=-4_000_000, le=4_000_000)]
    hits: SentHits
    tick: Tick = 0


@router.get("/songs/{song_id}/changes")
def changes(song: Song, reader: Reads) -> Response:
    """The undo list in words, the newest first."""
    return JsonResponse({"changes": change_list(reader, song.id)})


def _listed(reader: Reader, song: LoadedSong) -> Snapshots:
    return {"snapshots": [{"id": row.id, "name": row.name} for row in snapshots(reader, song)]}


@router.get("/songs/{song_id}/snapshots")
def listed(song: Song, reader: Reads) -> Response:
    return JsonResponse(_listed(reader, song))


@router.post("/songs/{song_id}/snapshots")
def keep(store: Store, song: Song, sent: Named) -> Response:
    with store.transaction() as session:
        row = store_snapshot(session, song, sent.name)
    return JsonResponse({"kept": row.id, **_listed(store.reader, song)})


@router.post("/songs/{song_id}/snapshots/{snapshot_id}")
def put_away(store: Store, song: Song, snapshot_id: RowId, sent: Removed) -> Response:
    with store.transaction() as session:
        remove_snapshot(session, song, snapshot_id, sent.removed)
    return JsonResponse(_listed(store.reader, song))


def _pattern(reader: Reader, song: LoadedSong, which: int) -> Pattern:
    """0 is the pattern as it is now."""
    return snapshot_pattern(song, find_snapshot(reader, song, which)) if which else song.pattern


@router.get("/songs/{song_id}/compare")
def compare(song: Song, reader: Reads, one: Which = 0, other: Which = 0) -> Response:
    """Both as they play, and what differs, place by place and in words."""
    patterns = [_pattern(reader, song, which) for which in (one, other)]
    heard = [playing(replace(song, pattern=pattern), timings=("felt",)) for pattern in patterns]
    found = differences(*patterns)
    marks = [{"kind": one.kind, "voice": one.voice, "tick": one.tick} for one in found]
    words = describe_differences(*patterns)
    return JsonResponse(
        {"one": heard[0], "other": heard[1], "marks": marks, "words": words[:MOST_WORDS], "count": len(words)}
    )


@router.get("/songs/{song_id}/lines")
def shelf_of_lines(song: Song, reader: Reads) -> Response:
    return JsonResponse({"lines": offered(reader, song)})


@router.get("/songs/{song_id}/lines/{key}/playing")
def line_playing(song: Song, reader: Reads, key: LineKey) -> Response:
    """A line on the song's kit, at its tempo and with its feel."""
    line = find_phrase(reader, key)
    hits = on_kit(line.hits, song.kit.roles)
    pattern = Pattern(line.length_ticks, hits, song.metre)
    return JsonResponse(playing(replace(song, pattern=pattern, mix={}), timings=("felt",)))


@router.post("/songs/{song_id}/lines")
def keep_chosen(store: Store, song: Song, sent: KeptLine) -> Response:
    with store.transaction() as session:
        kept = store_phrase(session, sent.name, sent.hits, sent.length_ticks, song.metre)
    return JsonResponse({"kept": kept.key, "lines": offered(store.reader, song)})


@router.post("/songs/{song_id}/lines/{key}")
def put_line_away(store: Store, song: Song, key: LineKey, sent: Removed) -> Response:
    with store.transaction() as session:
        remove_phrase(session, key, sent.removed)
    return JsonResponse({"lines": offered(store.reader, song)})
