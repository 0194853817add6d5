"""The Stage screen, and what is measured of its sound."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.stage.graph_plan import unit_alone_plan
from easy_pocket.core.stage.stage import unit_from_doc
from easy_pocket.store.songs.edits.stage_places import UnitDoc
from easy_pocket.web.screens.stage.measured import measured_song
from easy_pocket.web.screens.stage.view import StageView
from easy_pocket.web.shared.dependencies import Song, SongId, song_page
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.job_routes import workers
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.selection import At

router = APIRouter()


@router.get("/songs/{song_id}/stage")
def show(request: Request, song: Song) -> Response:
    return song_page(request, "stage/stage.html", song, stage=StageView(song, View(screen="stage")))


@router.post("/stage/unit")
async def unit_alone(sent: UnitDoc) -> Response:
    """How a unit with these settings sounds, for the page's graph: heard before the edit is made, and kept nowhere.
    It is worked out at once, in a few ms, and waits for no thread."""
    return JsonResponse({"unit": unit_alone_plan(unit_from_doc(sent.model_dump()))})


@router.get("/songs/{song_id}/stage/measured")
async def heard(request: Request, song_id: SongId, at: At) -> Response:
    """What the loop that plays measures: loudness of each place, the whole before and after, the ceiling. A worker does
    it: what is edited meanwhile does not wait for it."""
    return JsonResponse(await workers(request).run(measured_song, song_id, at))
