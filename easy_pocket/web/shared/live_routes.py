"""A page follows its song: told at once when somebody else changes it."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator

from fastapi import APIRouter
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse

from easy_pocket.web.shared.dependencies import SongId
from easy_pocket.web.shared.song_watch import MOST_FOLLOWERS, SongWatch

router = APIRouter()


@router.get("/songs/{song_id}/live")
async def live(request: Request, song_id: SongId) -> Response:
    watch: SongWatch = request.app.state.watch
    if watch.count >= MOST_FOLLOWERS:
        raise HTTPException(503, f"{MOST_FOLLOWERS} pages follow songs already.")
    return StreamingResponse(_told(request, watch, song_id), media_type="text/event-stream")


async def _told(request: Request, watch: SongWatch, song_id: int) -> AsyncIterator[str]:
    async for change in watch.follow(song_id):
        if await request.is_disconnected():
            return
        if change is None:
            yield ": still here\n\n"
        elif change.gone:
            yield "event: gone\ndata: {}\n\n"
        else:
            told = {"revision": change.revision, "words": change.words, "tab": change.tab}
            yield f"id: {change.revision}\nevent: changed\ndata: {json.dumps(told)}\n\n"
