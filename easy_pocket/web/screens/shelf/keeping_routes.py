"""What is kept and thrown away: the bin, kits of the shelf, the history of a song, backups."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Annotated

from fastapi import APIRouter, Form, Path
from starlette.background import BackgroundTask
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse

from easy_pocket.core.errors import PocketError
from easy_pocket.home.asked_restore import take_dump, take_in
from easy_pocket.home.dumps import dumped
from easy_pocket.home.folder import LaunchError
from easy_pocket.store.bin import empty_all
from easy_pocket.store.kits.kits import bring_kit_back, throw_kit
from easy_pocket.store.kits.sound_library import remove_sound
from easy_pocket.store.songs.edits.loops import BringLoopBack
from easy_pocket.store.songs.edits.pipeline import SentEdit, make_edit
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.song_history import shorten
from easy_pocket.web.screens.shelf.view import answer_cards, dump_lines
from easy_pocket.web.security import BACKUP_S, BACKUPS, MAX_BACKUP_BYTES, too_slow
from easy_pocket.web.shared.dependencies import OwnSong, RowId, ServerOwner, SongId, Store
from easy_pocket.web.shared.job_routes import begin
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.render import page
from easy_pocket.web.shared.uploads import FileName, TooSlowError, plain_name

router = APIRouter()
Key = Annotated[str, Path(max_length=40)]
DumpName = Annotated[str, Form(max_length=120)]
Keep = Annotated[int, Form(ge=0, le=1_000_000)]
NOT_HERE = "This Easy Pocket was started in another way: stop it, and bring the file back with ./pocket restore FILE."


@router.post("/bin/sounds/{sound_id}/back")
def sound_back(request: Request, store: Store, sound_id: RowId) -> Response:
    with store.transaction() as session:
        remove_sound(session, sound_id, removed=False)
    return answer_cards(request, store)


@router.post("/bin/kits/{key}/back")
def kit_back(request: Request, store: Store, key: Key) -> Response:
    with store.transaction() as session:
        bring_kit_back(session, key)
    return answer_cards(request, store)


@router.post("/bin/songs/{song_id}/loops/{loop_id}/back")
def loop_back(request: Request, store: Store, song_id: SongId, loop_id: RowId) -> Response:
    """An edit of its song: undo takes it away again."""
    make_edit(store, song_id, SentEdit(BringLoopBack(kind="loop_back", loop_id=loop_id)))
    return answer_cards(request, store)


@router.post("/bin/empty")
def empty(request: Request, store: Store) -> Response:
    """All songs, sounds and kits in it are gone for good. (One that another song needs to undo stays.)"""
    with store.transaction() as session:
        empty_all(session)
    return answer_cards(request, store)


@router.post("/kits/{key}/away")
def kit_away(request: Request, store: Store, key: Key) -> Response:
    with store.transaction() as session:
        throw_kit(session, key)
    return answer_cards(request, store)


@router.post("/songs/{song_id}/history", dependencies=[OwnSong])
def shorten_history(request: Request, store: Store, song_id: SongId, keep: Keep) -> Response:
    """Forget the older steps to undo; the song stays as it is."""
    with store.transaction() as session:
        load_song(session, song_id, lock=True)
        shorten(session, song_id, keep)
    return answer_cards(request, store)


@router.get("/backup", dependencies=[ServerOwner])
def backup(store: Store) -> Response:
    """Everything on the shelf in one file, as it is made; one that breaks off is refused when it is brought back."""
    try:
        made = dumped(store.url)
    except LaunchError as error:
        raise PocketError(str(error)) from None
    headers = {
        "Content-Disposition": 'attachment; filename="easy-pocket.tar"', "Content-Encoding": "identity",
        "Content-Length": str(made.size),
    }  # fmt: skip
    return StreamingResponse(made.pieces, media_type="application/x-tar", headers=headers)


@router.post("/backups/now", dependencies=[ServerOwner])
def backup_here(request: Request) -> Response:
    """Keep a backup among the dumps: a job, which the page follows."""
    return JsonResponse({"job": begin(request, "backup", (request.app.state.home,))}, 202)


@router.get("/backups/kept", dependencies=[ServerOwner])
def kept(request: Request) -> Response:
    return page(request, "shelf/_dumps.html", {"dumps": dump_lines(request)})


@router.post(BACKUPS, dependencies=[ServerOwner])
async def bring_backup(request: Request, name: FileName) -> Response:
    """A backup in the place of all that is here, which is set aside. The program starts anew for it."""
    restart = _restart(request)
    try:
        async with asyncio.timeout(BACKUP_S):
            await take_in(request.app.state.home, request.stream(), plain_name(name), MAX_BACKUP_BYTES)
    except TimeoutError:
        raise TooSlowError(too_slow(BACKUP_S)) from None
    except LaunchError as error:
        raise PocketError(str(error)) from None
    return JsonResponse({"anew": True}, background=BackgroundTask(restart))


@router.post("/backups/dump", dependencies=[ServerOwner])
async def bring_dump(request: Request, name: DumpName) -> Response:
    restart = _restart(request)
    try:
        await run_in_threadpool(take_dump, request.app.state.home, name)
    except LaunchError as error:
        raise PocketError(str(error)) from None
    return JsonResponse({"anew": True}, background=BackgroundTask(restart))


def _restart(request: Request) -> Callable[[], None]:
    restart: Callable[[], None] | None = request.app.state.restart
    if restart is None:
        raise PocketError(NOT_HERE)
    return restart
