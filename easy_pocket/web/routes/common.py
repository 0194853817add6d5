"""What the routes share: the database, and a page around a screen."""

from __future__ import annotations

import re
from typing import Any

from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.store.looking import SeenDatabase
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.looking import looking_of
from easy_pocket.web.render import page
from easy_pocket.web.views.playing import playing
from easy_pocket.web.views.song_state import header_state


def database(request: Request) -> SeenDatabase:
    return SeenDatabase(request.app.state.database, looking_of(request))


def download(data: bytes, name: str, ending: str, media_type: str) -> Response:
    """A file to keep, named after what it is with plain letters only."""
    plain = re.sub(r"[^A-Za-z0-9 _-]+", "", name).strip() or "easy pocket"
    headers = {"Content-Disposition": f'attachment; filename="{plain}{ending}"'}
    return Response(data, media_type=media_type, headers=headers)


def song_page(request: Request, template: str, session: Any, song: LoadedSong, **values: Any) -> Response:
    """A screen of a song, with header, ribbon and what the player is to play."""
    shared = {"song": song, "header": header_state(session, song), "playing": playing(song, timings=("felt",))}
    return page(request, template, {**shared, **values})
