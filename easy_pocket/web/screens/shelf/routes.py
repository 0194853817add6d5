"""The Shelf: songs."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form
from starlette.requests import Request
from starlette.responses import RedirectResponse, Response

from easy_pocket.core.pattern.timebase import parse_metre
from easy_pocket.store.database import Database
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.edits.pipeline import SentEdit, make_edit
from easy_pocket.store.songs.edits.song import SetName
from easy_pocket.store.songs.shelf import delete_song, restore_song, shelf
from easy_pocket.web.screens.shelf.view import shelf_cards
from easy_pocket.web.shared.dependencies import SongId, Store
from easy_pocket.web.shared.render import page

router = APIRouter()
Text = Annotated[str, Form(max_length=400)]
Tempo = Annotated[float, Form(ge=-1e9, le=1e9, allow_inf_nan=False)]


def _cards(
    request: Request, store: Database, deleted: tuple[int, str] | None = None, template: str = "shelf/_cards.html"
) -> Response:
    return page(request, template, {"cards": shelf_cards(shelf(store.reader)), "deleted": deleted})


@router.get("/")
def show(request: Request, store: Store) -> Response:
    return _cards(request, store, template="shelf/shelf.html")


@router.post("/songs")
def create(request: Request, store: Store, tempo_bpm: Tempo = 100.0, name: Text = "", metre: Text = "4/4") -> Response:
    with store.transaction() as session:
        song = create_song(session, name.strip() or "New song", tempo_bpm=tempo_bpm, metre=parse_metre(metre))
    address = f"/songs/{song.id}/bench"
    if request.headers.get("hx-request"):
        return Response(status_code=204, headers={"HX-Redirect": address})
    return RedirectResponse(address, 303)


@router.post("/songs/{song_id}/rename")
def rename(request: Request, store: Store, song_id: SongId, name: Text) -> Response:
    make_edit(store, song_id, SentEdit(SetName(kind="name", name=name)))
    return _cards(request, store)


@router.post("/songs/{song_id}/duplicate")
def duplicate(request: Request, store: Store, song_id: SongId) -> Response:
    with store.transaction() as session:
        duplicate_song(session, song_id)
    return _cards(request, store)


@router.post("/songs/{song_id}/delete")
def delete(request: Request, store: Store, song_id: SongId) -> Response:
    with store.transaction() as session:
        name = delete_song(session, song_id).name
    return _cards(request, store, (song_id, name))


@router.post("/songs/{song_id}/restore")
def restore(request: Request, store: Store, song_id: SongId) -> Response:
    with store.transaction() as session:
        restore_song(session, song_id)
    return _cards(request, store)
