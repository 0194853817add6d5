"""The Stage screen, and what is measured of its sound."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.web.screens.stage.measured import measured
from easy_pocket.web.screens.stage.view import StageView
from easy_pocket.web.shared.dependencies import Reads, Song, song_page
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.json_response import JsonResponse

router = APIRouter()


@router.get("/songs/{song_id}/stage")
def show(request: Request, song: Song) -> Response:
    return song_page(request, "stage/stage.html", song, stage=StageView(song, View(screen="stage")))


@router.get("/songs/{song_id}/stage/measured")
def heard(song: Song, reader: Reads) -> Response:
    """What the loop that plays measures: loudness of each place, the whole before and after, the ceiling."""
    return JsonResponse(measured(reader, song))
