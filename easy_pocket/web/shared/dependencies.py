"""What the routes share: the database, the song a request is about, a page around a screen, making an edit."""

from __future__ import annotations

import re
from typing import Annotated, Any

from fastapi import Depends, Path
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.store.database import Database, Reader
from easy_pocket.store.history.undo_log import StaleRevisionError
from easy_pocket.store.songs.edits.pipeline import EditResult, SentEdit, make_edit
from easy_pocket.store.songs.edits.registry import Edit
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.selection import Selection
from easy_pocket.store.viewer import Viewer
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import playing
from easy_pocket.web.shared.render import page
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.shapes import BothSides, State
from easy_pocket.web.shared.song_state import header_of

SongId = Annotated[int, Path(ge=1, le=2**31 - 1)]
RowId = Annotated[int, Path(ge=1, le=2**31 - 1)]


def viewer_of(request: Request) -> Viewer | None:
    found: Viewer | None = request.scope.get("state", {}).get("viewer")
    return found


def signed_in(request: Request) -> Viewer:
    """Raises HTTPException 404 where nobody is: without accounts there is no account."""
    viewer = viewer_of(request)
    if viewer is None or not viewer.person:
        raise HTTPException(404)
    return viewer


def _only_the_owner(request: Request) -> None:
    viewer = viewer_of(request)
    if viewer is not None and viewer.role != "owner":
        raise HTTPException(404)


ServerOwner = Depends(_only_the_owner)  # others do not know that it is there


def _only_whose_song_it_is(request: Request) -> None:
    viewer = viewer_of(request)
    if viewer is not None and viewer.song_owner != viewer.person:
        raise HTTPException(404)


OwnSong = Depends(_only_whose_song_it_is)


def database_of(request: Request) -> Database:
    """As who asks may see it."""
    found: Database = request.app.state.database
    return found.seen_by(viewer_of(request))


Store = Annotated[Database, Depends(database_of)]


def reader_of(request: Request) -> Reader:
    return database_of(request).reader


Reads = Annotated[Reader, Depends(reader_of)]


def song_of(store: Store, song_id: SongId, at: At) -> LoadedSong:
    return read_song(store.reader, song_id, at)


Song = Annotated[LoadedSong, Depends(song_of)]  # the song a request is about, read; nothing is held


def download(data: bytes, name: str, ending: str, media_type: str) -> Response:
    """A file to keep, named after what it is with plain letters only."""
    plain = re.sub(r"[^A-Za-z0-9 _-]+", "", name).strip() or "easy pocket"
    headers = {"Content-Disposition": f'attachment; filename="{plain}{ending}"'}
    return Response(data, media_type=media_type, headers=headers)


def song_page(request: Request, template: str, song: LoadedSong, **values: Any) -> Response:
    """A screen of a song, with header, ribbon and what the player is to play."""
    header = header_of(song, reader_of(request))
    return page(
        request, template, {"song": song, "header": header, "playing": playing(song, timings=("felt",)), **values}
    )


def edit_from_file(
    store: Database, song_id: int, edit: Edit, selection: Selection, *, revision: int | None = None, edit_id: str = ""
) -> EditResult:
    """An edit that came with a file, made on the song as it is."""
    return make_edit(store, song_id, SentEdit(edit, revision, selection, edit_id))


def both_sides(error: StaleRevisionError) -> BothSides:
    """What an edit that meets another one is told: what was wanted, and what stands there now."""
    theirs = list(dict.fromkeys(error.theirs))
    changed = "; ".join(theirs[:3]) + (f" and {len(theirs) - 3} more" if len(theirs) > 3 else "")
    words = f"Another tab changed the same thing meanwhile: {changed}. You see its newest state; yours was not made"
    return {"error": f"{words}{f': {error.mine}' if error.mine else ''}.", "theirs": theirs, "mine": error.mine}


def stale(error: StaleRevisionError, now: State) -> Response:
    """Refused, with the song as it is now: the page shows it and offers the edit again."""
    return JsonResponse({**both_sides(error), "now": now}, 409)
