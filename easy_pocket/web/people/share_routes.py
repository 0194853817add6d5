"""Sharing a song: links made and ended by whose song it is, taken up by whoever has one."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Path
from starlette.requests import Request
from starlette.responses import RedirectResponse, Response

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.pocket_file import write_song_file
from easy_pocket.store.database import Database
from easy_pocket.store.people.links import (
    LinkKind,
    OpenLink,
    end_link,
    guest,
    let_in,
    links_of,
    make_link,
    members_of,
    open_link,
    take_member_out,
)
from easy_pocket.store.people.sign_ins import begin
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.pocket_files import song_contents, song_from_contents
from easy_pocket.web.people.routes import let_browser_in
from easy_pocket.web.people.view import device_name, own_address
from easy_pocket.web.serving import Serving
from easy_pocket.web.shared.dependencies import OwnSong, RowId, SongId, Store, download, viewer_of
from easy_pocket.web.shared.render import page

router = APIRouter()
Secret = Annotated[str, Path(max_length=120)]
Kind = Annotated[LinkKind, Form()]
Name = Annotated[str, Form(max_length=200)]


def _everything(request: Request) -> Database:
    found: Database = request.app.state.database
    return found


def linked(request: Request, secret: str) -> OpenLink:
    return open_link(_everything(request).reader, secret)


def _shared(request: Request, store: Database, song_id: int, **more: object) -> Response:
    serving: Serving = request.app.state.serving
    values = {
        "song_id": song_id, "links": links_of(store.reader, song_id), "members": members_of(store.reader, song_id),
        "accounts": viewer_of(request) is not None, "elsewhere": serving.elsewhere, "made": None, **more,
    }  # fmt: skip
    return page(request, "people/_share.html", values)


@router.get("/songs/{song_id}/share", dependencies=[OwnSong])
def share(request: Request, store: Store, song_id: SongId) -> Response:
    return _shared(request, store, song_id)


@router.post("/songs/{song_id}/links", dependencies=[OwnSong])
def new_link(request: Request, store: Store, song_id: SongId, kind: Kind) -> Response:
    """A link, shown this once."""
    with store.transaction() as session:
        load_song(session, song_id)  # it is on the shelf
        _, secret = make_link(session, song_id, kind)
    return _shared(request, store, song_id, made={"kind": kind, "address": f"{own_address(request)}/link/{secret}"})


@router.post("/songs/{song_id}/links/{link_id}/end", dependencies=[OwnSong])
def no_more(request: Request, store: Store, song_id: SongId, link_id: RowId) -> Response:
    with store.transaction() as session:
        end_link(session, song_id, link_id)
    return _shared(request, store, song_id)


@router.post("/songs/{song_id}/members/{person_id}/out", dependencies=[OwnSong])
def member_out(request: Request, store: Store, song_id: SongId, person_id: RowId) -> Response:
    with store.transaction() as session:
        take_member_out(session, song_id, person_id)
    return _shared(request, store, song_id)


@router.post("/songs/{song_id}/leave")
def leave(request: Request, store: Store, song_id: SongId) -> Response:
    """Write in it no more; it goes from one's shelf."""
    viewer = viewer_of(request)
    if viewer is not None:
        with store.transaction() as session:
            take_member_out(session, song_id, viewer.person)
    return Response(status_code=204, headers={"HX-Redirect": "/"})


@router.get("/link/{secret}")
def follow_link(request: Request, secret: Secret) -> Response:
    link = linked(request, secret)
    if link.kind == "listen":
        return RedirectResponse(f"/listen/{secret}", 303)
    return page(request, "people/link.html", {"link": link, "secret": secret, "error": "", "known": _known(request)})


def _known(request: Request) -> bool:
    viewer = viewer_of(request)
    return viewer is None or bool(viewer.person)


@router.post("/link/{secret}/write")
def write_along(request: Request, secret: Secret, name: Name = "") -> Response:
    """With an account, or as a guest under a name."""
    link, database = linked(request, secret), _everything(request)
    if link.kind != "write":
        raise BadValueError("This link is not one to write by: ask for another.")
    viewer = viewer_of(request)
    address = f"/songs/{link.song_id}/bench"
    if viewer is not None and viewer.person:
        with database.transaction() as session:
            let_in(session, link, viewer.person)
        return RedirectResponse(address, 303)
    try:
        with database.transaction() as session:
            row = guest(session, link, name)
            known = begin(session, row.id, device_name(request))
    except BadValueError as error:
        values = {"link": link, "secret": secret, "error": str(error), "known": False}
        return page(request, "people/link.html", values, 422)
    return let_browser_in(request, known, RedirectResponse(address, 303))


@router.post("/link/{secret}/copy")
def copy_it(request: Request, store: Store, secret: Secret) -> Response:
    """Onto one's own shelf; without an account as a file."""
    link = linked(request, secret)
    if link.kind != "copy":
        raise BadValueError("This link is not one to copy by: ask for another.")
    with _everything(request).transaction() as session:
        contents = song_contents(session, link.song_id, history=False)
    if not _known(request):
        return download(write_song_file(contents), link.song, ".pocket", "application/zip")
    with store.transaction() as session:
        song = song_from_contents(session, contents, f"{link.song}.pocket")
    return RedirectResponse(f"/songs/{song.id}/bench", 303)
