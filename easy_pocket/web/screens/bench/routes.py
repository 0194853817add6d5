"""The Bench: write and feel. Every edit of every screen comes in here."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.store.database import Database
from easy_pocket.store.history.undo_log import StaleRevisionError
from easy_pocket.store.songs.edits.pipeline import SentEdit, SentStep, make_edit, take_steps
from easy_pocket.store.songs.edits.prepared import require_long
from easy_pocket.store.songs.load import read_song
from easy_pocket.web.screens.bench.view import BenchView
from easy_pocket.web.shared.dependencies import Reads, Song, SongId, Store, song_page, stale
from easy_pocket.web.shared.edit_requests import AskedView, EditRequest, PrepareRequest, StepRequest, View
from easy_pocket.web.shared.job_routes import begin
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import passes, playing
from easy_pocket.web.shared.request_log import about
from easy_pocket.web.shared.song_state import result_state, song_state

router = APIRouter()
Tempo = Annotated[float, Query(ge=-1e9, le=1e9, allow_inf_nan=False)]


@router.get("/songs/{song_id}/bench")
def bench(request: Request, song: Song, reader: Reads) -> Response:
    return song_page(request, "bench/bench.html", song, bench=BenchView(song, View(), reader))


@router.get("/songs/{song_id}/state")
def state(song: Song, reader: Reads, view: Annotated[AskedView, Query()]) -> Response:
    """The song as it is now, for a page that looks elsewhere or has fallen behind."""
    return JsonResponse(song_state(song, view, reader))


@router.get("/songs/{song_id}/straight")
def straight_passes(song: Song) -> Response:
    """What the loop plays on the grid, for a page that is about to hear it."""
    first, *more = passes(song, straight=True)
    return JsonResponse({"revision": song.revision, "straight": first, "straight_more": more})


@router.get("/songs/{song_id}/playing")
def playing_at(song: Song, tempo_bpm: Tempo) -> Response:
    """The stack at another tempo, to be heard beside a loop."""
    return JsonResponse(playing(song, tempo_bpm))


@router.post("/songs/{song_id}/edits")
def edit(request: Request, store: Store, song_id: SongId, sent: EditRequest) -> Response:
    """Make an edit; nothing is drawn or performed before it is committed."""
    about(request, kind=sent.edit.kind, edit_id=sent.edit_id)
    selection = sent.looking_at.selection
    try:
        made = make_edit(
            store, song_id, SentEdit(sent.edit, sent.revision, selection, sent.edit_id or "", sent.gesture)
        )
    except StaleRevisionError as error:
        return stale(error, song_state(read_song(store.reader, song_id, selection), sent.view, store.reader))
    request.app.state.watch.nudge()
    about(request, revision=made.song.revision, repeated=made.repeated)
    return JsonResponse(result_state(made, sent.view, store.reader))


@router.post("/songs/{song_id}/prepare")
def prepare(request: Request, song: Song, sent: PrepareRequest) -> Response:
    """Have what takes long of an edit done by a job. The edit is sent after it, and finds it."""
    require_long(sent.edit)
    return JsonResponse({"job": begin(request, "prepare", (song.id, sent.looking_at.selection, sent.edit))}, 202)


@router.post("/songs/{song_id}/undo")
def undo(request: Request, store: Store, song_id: SongId, sent: StepRequest) -> Response:
    return _step(request, store, song_id, "undo", sent)


@router.post("/songs/{song_id}/redo")
def redo(request: Request, store: Store, song_id: SongId, sent: StepRequest) -> Response:
    return _step(request, store, song_id, "redo", sent)


def _step(request: Request, store: Database, song_id: int, direction: str, sent: StepRequest) -> Response:
    about(request, kind=direction, edit_id=sent.edit_id)
    selection = sent.looking_at.selection
    wanted = SentStep(direction, sent.steps, sent.revision, selection, sent.edit_id or "")
    try:
        made = take_steps(store, song_id, wanted)
    except StaleRevisionError as error:
        return stale(error, song_state(read_song(store.reader, song_id, selection), sent.view, store.reader))
    request.app.state.watch.nudge()
    about(request, revision=made.song.revision, repeated=made.repeated)
    return JsonResponse({**result_state(made, sent.view, store.reader), "words": made.words})
