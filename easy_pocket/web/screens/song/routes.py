"""The Song screen, what the whole song plays, parts brought from MIDI files."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.jobs.work import read_parts
from easy_pocket.store.history.undo_log import StaleRevisionError
from easy_pocket.store.songs.edits.midi import BringInParts
from easy_pocket.web.screens.song.playing import song_playing
from easy_pocket.web.screens.song.view import SongView
from easy_pocket.web.shared.dependencies import (
    Reads,
    Song,
    SongId,
    Store,
    both_sides,
    edit_from_file,
    song_page,
)
from easy_pocket.web.shared.job_routes import workers
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.song_state import header_state
from easy_pocket.web.shared.uploads import FileEditId, FileName, plain_name, read_upload

router = APIRouter()
Timing = Literal["felt", "straight"]


@router.get("/songs/{song_id}/song")
def song_screen(request: Request, song: Song, reader: Reads) -> Response:
    return song_page(request, "song/song.html", song, view=SongView(song, reader))


@router.get("/songs/{song_id}/song/playing")
def whole_song(song: Song, timing: Timing = "felt") -> Response:
    """All the song plays, for a page that plays it through."""
    return JsonResponse(song_playing(song, timing))


@router.post("/songs/{song_id}/song/upload")
async def parts_of_midi(
    request: Request,
    store: Store,
    song_id: SongId,
    at: At,
    revision: Annotated[int, Query(ge=0, le=2**31 - 1)],
    name: FileName,
    kit_key: Annotated[str, Query(max_length=40)],
    by: Literal["track", "voice"] = "track",
    edit_id: FileEditId = "",
) -> Response:
    """A part for each track of the file, or each of its voices."""
    known, data = plain_name(name), await read_upload(request)
    read = await workers(request).run(read_parts, data, known, by == "voice")

    def bring_in() -> Response:
        parts = BringInParts(read=read, file=known, kit_key=kit_key)
        try:
            made = edit_from_file(store, song_id, parts, at, revision=revision, edit_id=edit_id)
        except StaleRevisionError as error:
            return JsonResponse(both_sides(error), 409)
        return JsonResponse({"song": header_state(made.song, made.undo, made.redo), "words": made.words})

    return await run_in_threadpool(bring_in)
