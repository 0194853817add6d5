"""The column beside the rails: the pocket in full, and what tightening would do."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter
from pydantic import Field
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.store.feels import tightening
from easy_pocket.store.songs import load_song
from easy_pocket.web.answer import Answer
from easy_pocket.web.feel_requests import Places, TightenRequest
from easy_pocket.web.request_types import Strict
from easy_pocket.web.routes.common import database
from easy_pocket.web.views.pocket_compare import pocket_page
from easy_pocket.web.views.tighten_view import tighten_doc

router = APIRouter()


class PocketRequest(Strict):
    """Whose pocket, compared with what (nothing: ""), of which hits (none: all)."""

    one: Annotated[str, Field(max_length=40)] = "felt"
    other: Annotated[str, Field(max_length=40)] = ""
    places: Places = Field(default_factory=list)


@router.post("/songs/{song_id}/pocket")
def pocket(request: Request, song_id: int, sent: PocketRequest) -> Response:
    """The pocket in full; nothing is changed."""
    with database(request).transaction() as session:
        return Answer({"html": pocket_page(session, load_song(session, song_id), sent.one, sent.other, sent.places)})


@router.post("/songs/{song_id}/tighten")
def preview(request: Request, song_id: int, sent: TightenRequest) -> Response:
    """What tightening would do: nothing is changed."""
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        return Answer({"revision": song.row.revision, **tighten_doc(tightening(song, sent.to_core(song)))})
