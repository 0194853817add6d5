"""A page follows its song: told at once when somebody else changes it."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse

from easy_pocket.web.shared.dependencies import SongId
from easy_pocket.web.shared.song_watch import MOST_FOLLOWERS, SongWatch, told_as_events

router = APIRouter()


@router.get("/songs/{song_id}/live")
async def live(request: Request, song_id: SongId) -> Response:
    watch: SongWatch = request.app.state.watch
    if watch.count >= MOST_FOLLOWERS:
        raise HTTPException(503, f"{MOST_FOLLOWERS} pages follow songs already.")
    told = told_as_events(request, watch, song_id, "revision", "words", "tab")
    return StreamingResponse(told, media_type="text/event-stream")
