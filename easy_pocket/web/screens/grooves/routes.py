"""Grooves: the shelf, trying one in the beat, files in and out."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.registry import written
from easy_pocket.jobs.work import read_groove
from easy_pocket.store.grooves.shelf import find_groove, groove_rows
from easy_pocket.store.songs.comparable_grooves import comparable, find_comparable
from easy_pocket.store.songs.edits.grooves import BringInGroove
from easy_pocket.store.songs.feels import with_groove
from easy_pocket.web.screens.grooves.groove_map_view import groove_map_doc
from easy_pocket.web.screens.grooves.view import GrooveView, groove_cards
from easy_pocket.web.shared.dependencies import Reads, RowId, Song, SongId, Store, download, edit_from_file, song_page
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.job_routes import workers
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import playing
from easy_pocket.web.shared.render import render
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.song_state import header_state
from easy_pocket.web.shared.uploads import FileEditId, FileName, plain_name, read_upload

router = APIRouter()
GrooveKey = Annotated[str, Path(max_length=16, pattern=r"^((loop|take)-)?\d{1,10}$")]
GrooveKeyAsked = Annotated[str, Query(max_length=16, pattern=r"^(((loop|take)-)?\d{1,10})?$")]
MaybeId = Annotated[int, Query(ge=0, le=2**31 - 1)]


@router.get("/songs/{song_id}/grooves")
def show(request: Request, song: Song, reader: Reads, groove: MaybeId = 0) -> Response:
    return song_page(
        request, "grooves/grooves.html", song, grooves=GrooveView(song, View(screen="grooves", groove=groove), reader)
    )


@router.get("/songs/{song_id}/grooves/list")
def listed(song: Song, reader: Reads, chosen: MaybeId = 0) -> Response:
    """The shelf as a list to choose from, anywhere."""
    cards = groove_cards(groove_rows(reader))
    return Response(render("grooves/_groove_list.html", cards=cards, chosen=chosen), media_type="text/html")


@router.get("/songs/{song_id}/grooves/map")
def mapped(song: Song, reader: Reads, to: GrooveKeyAsked = "") -> Response:
    """Where the grooves of the shelf, of the song's loops and of its takes lie beside each other, and how like `to`."""
    return JsonResponse(groove_map_doc(comparable(reader, song), to))


@router.get("/songs/{song_id}/grooves/{groove_key}/playing")
def playing_with(
    song: Song,
    reader: Reads,
    groove_key: GrooveKey,
    scope: Annotated[str, Query(max_length=30)] = "stack",
) -> Response:
    """The stack as it would play with this groove on a scope; 0 is no groove."""
    template = find_comparable(reader, song, groove_key) if groove_key != "0" else None
    return JsonResponse(playing(with_groove(song, scope, template), timings=("felt",)))


@router.get("/songs/{song_id}/grooves/{groove_id}/groove.{name}")
def save_file(song: Song, reader: Reads, groove_id: RowId, name: Annotated[str, Path(max_length=20)]) -> Response:
    """In the format of this name."""
    as_format = next((one for one in written("groove") if one.name == name), None)
    if as_format is None:
        raise HTTPException(404)
    _, groove = find_groove(reader, groove_id)
    return download(as_format.written(groove).data, groove.name, as_format.ending, as_format.media_type)


@router.post("/songs/{song_id}/grooves/upload")
async def upload(
    request: Request, store: Store, song_id: SongId, at: At, name: FileName, edit_id: FileEditId = ""
) -> Response:
    known, data = plain_name(name), await read_upload(request)
    groove = await workers(request).run(read_groove, data, known)

    def bring_in() -> Response:
        made = edit_from_file(store, song_id, BringInGroove(groove=groove), at, edit_id=edit_id)
        return JsonResponse({"made": made.changed.made, "song": header_state(made.song, made.undo, made.redo)})

    return await run_in_threadpool(bring_in)
