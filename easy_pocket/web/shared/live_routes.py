"""A page follows its song: told at once when somebody else changes it, and who else is there."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import APIRouter, Query
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse

from easy_pocket.store.people.presence import come
from easy_pocket.web.shared.dependencies import SongId, Store, viewer_of
from easy_pocket.web.shared.song_watch import MOST_FOLLOWERS, SongWatch, as_event, told_as_events, who_is_here

router = APIRouter()
Tab = Annotated[str, Query(pattern=r"^[A-Za-z0-9_-]{0,60}$")]
Screen = Annotated[str, Query(pattern=r"^[a-z]{1,20}$")]
At = Annotated[str, Query(max_length=60, pattern=r"^[0-9.]*$")]


@router.get("/songs/{song_id}/live")
async def live(
    request: Request, store: Store, song_id: SongId, tab: Tab = "", screen: Screen = "bench", at: At = ""
) -> Response:
    watch: SongWatch = request.app.state.watch
    if watch.count >= MOST_FOLLOWERS:
        raise HTTPException(503, f"{MOST_FOLLOWERS} pages follow songs already.")
    viewer = viewer_of(request)
    known = tab if viewer is not None and viewer.person else ""
    if viewer is not None and known:
        await run_in_threadpool(come, store, song_id, tab, viewer.person, screen, at)

    async def told() -> AsyncIterator[str]:
        """With who is there as the first thing, so that a page shows it at once."""
        yield as_event((await run_in_threadpool(who_is_here, watch.reader, [song_id]))[song_id])
        async for piece in told_as_events(request, watch, song_id, "revision", "words", "tab", "who", tab=known):
            yield piece

    return StreamingResponse(told(), media_type="text/event-stream")


@router.post("/songs/{song_id}/here")
def here(request: Request, store: Store, song_id: SongId, tab: Tab, screen: Screen, at: At = "") -> Response:
    """A page looks somewhere else."""
    viewer = viewer_of(request)
    if viewer is not None and viewer.person and tab:
        come(store, song_id, tab, viewer.person, screen, at)
    return Response(status_code=204)
