"""The Shelf: songs."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form
from starlette.requests import Request
from starlette.responses import RedirectResponse, Response

from easy_pocket.core.timebase import parse_metre
from easy_pocket.store.duplicate import duplicate_song
from easy_pocket.store.edits import set_name
from easy_pocket.store.songs import create_song, delete_song, restore_song, shelf
from easy_pocket.web.render import page
from easy_pocket.web.routes.common import database
from easy_pocket.web.views.shelf_view import shelf_cards

router = APIRouter()
Text = Annotated[str, Form(max_length=400)]


def _cards(request: Request, deleted: tuple[int, str] | None = None, template: str = "_cards.html") -> Response:
    with database(request).transaction() as session:
        cards = shelf_cards(shelf(session))
    return page(request, template, {"cards": cards, "deleted": deleted})


@router.get("/")
def show(request: Request) -> Response:
    return _cards(request, template="shelf.html")


@router.post("/songs")
def create(request: Request, name: Text, tempo_bpm: Annotated[float, Form()] = 100.0, metre: Text = "4/4") -> Response:
    with database(request).transaction() as session:
        song = create_song(session, name, tempo_bpm=tempo_bpm, metre=parse_metre(metre))
        address = f"/songs/{song.id}/bench"
    if request.headers.get("hx-request"):
        return Response(status_code=204, headers={"HX-Redirect": address})
    return RedirectResponse(address, 303)


@router.post("/songs/{song_id}/rename")
def rename(request: Request, song_id: int, name: Text) -> Response:
    with database(request).transaction() as session:
        set_name(session, song_id, None, name)
    return _cards(request)


@router.post("/songs/{song_id}/duplicate")
def duplicate(request: Request, song_id: int) -> Response:
    with database(request).transaction() as session:
        duplicate_song(session, song_id)
    return _cards(request)


@router.post("/songs/{song_id}/delete")
def delete(request: Request, song_id: int) -> Response:
    with database(request).transaction() as session:
        name = delete_song(session, song_id).name
    return _cards(request, (song_id, name))


@router.post("/songs/{song_id}/restore")
def restore(request: Request, song_id: int) -> Response:
    with database(request).transaction() as session:
        restore_song(session, song_id)
    return _cards(request)
