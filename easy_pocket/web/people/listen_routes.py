"""A song to be listened to by a link, without an account: its plan, and all it plays."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Annotated, Literal

from fastapi import APIRouter, Path
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.store.database import Database
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.viewer import VIEWER_NOW
from easy_pocket.web.people.door import as_listener
from easy_pocket.web.people.share_routes import Secret, linked
from easy_pocket.web.people.song_picture import plan_picture
from easy_pocket.web.screens.song.playing import song_playing
from easy_pocket.web.shared import audio_routes
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.render import page

router = APIRouter()
Key = Annotated[str, Path(max_length=120)]
Timing = Literal["felt", "straight"]


@contextmanager
def _listening(request: Request, secret: str) -> Iterator[tuple[Database, int]]:
    """The database as a listener sees it, and the song; what is told meanwhile is told to this link only."""
    link = linked(request, secret)
    viewer = as_listener(link.id, link.song_id, link.owner_id)
    everything: Database = request.app.state.database
    token = VIEWER_NOW.set(viewer)
    try:
        yield everything.seen_by(viewer), link.song_id
    finally:
        VIEWER_NOW.reset(token)


@router.get("/listen/{secret}")
def listen(request: Request, secret: Secret) -> Response:
    with _listening(request, secret) as (store, song_id):
        song = read_song(store.old_reader, song_id)
        return page(
            request, "people/listen.html",
            {"song": song, "secret": secret, "picture": plan_picture(song), "link": linked(request, secret)},
        )  # fmt: skip


@router.get("/listen/{secret}/playing")
def playing(request: Request, secret: Secret, timing: Timing = "felt") -> Response:
    with _listening(request, secret) as (store, song_id):
        return JsonResponse(song_playing(read_song(store.old_reader, song_id), timing))


def _audio(request: Request, secret: str, made: Callable[[Database], Response]) -> Response:
    with _listening(request, secret) as (store, _):
        return made(store)


@router.get("/listen/{secret}/audio/sounds/{key}.wav")
def sound(request: Request, secret: Secret, key: Key) -> Response:
    return _audio(request, secret, lambda store: audio_routes.sound(store, key))


@router.get("/listen/{secret}/audio/layers/{key}.wav")
def layer(request: Request, secret: Secret, key: Key) -> Response:
    return _audio(request, secret, lambda store: audio_routes.under(store, key))


@router.get("/listen/{secret}/audio/rooms/{key}.wav")
def room(request: Request, secret: Secret, key: Key) -> Response:
    return _audio(request, secret, lambda _: audio_routes.room(key))
