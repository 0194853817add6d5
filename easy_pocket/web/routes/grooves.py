"""Grooves: the shelf, trying one in the beat, files in and out."""

from __future__ import annotations

from dataclasses import replace
from pathlib import PurePath
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.groove_midi import dump_groove_midi, load_groove_midi
from easy_pocket.core.formats.groove_table import dump_groove_csv, load_groove_csv
from easy_pocket.core.formats.template_file import dump_template, load_template
from easy_pocket.core.template import GrooveTemplate
from easy_pocket.store.feels import with_groove
from easy_pocket.store.grooves import find_groove, groove_rows, make_groove
from easy_pocket.store.looking import SeenDatabase
from easy_pocket.store.songs import load_song
from easy_pocket.web.answer import Answer
from easy_pocket.web.edit_requests import View
from easy_pocket.web.render import render
from easy_pocket.web.routes.common import database, download, song_page
from easy_pocket.web.uploads import plain_name, read_upload
from easy_pocket.web.views.groove_view import GrooveView, groove_cards
from easy_pocket.web.views.playing import playing
from easy_pocket.web.views.song_state import header_state

router = APIRouter()
MEDIA = {"json": "application/json", "csv": "text/csv", "mid": "audio/midi"}


@router.get("/songs/{song_id}/grooves")
def show(request: Request, song_id: int, groove: int = 0) -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        view = GrooveView(session, song, View(screen="grooves", groove=max(groove, 0)))
        return song_page(request, "grooves.html", session, song, grooves=view)


@router.get("/songs/{song_id}/grooves/list")
def listed(request: Request, song_id: int, chosen: int = 0) -> Response:
    """The shelf as a list to choose from, anywhere."""
    with database(request).transaction() as session:
        load_song(session, song_id)
        return Response(render("_groove_list.html", cards=groove_cards(groove_rows(session)), chosen=chosen))


@router.get("/songs/{song_id}/grooves/{groove_id}/playing")
def playing_with(request: Request, song_id: int, groove_id: int, scope: str = "stack") -> Response:
    """The stack as it would play with this groove on a scope; 0 is no groove."""
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        template = find_groove(session, groove_id)[1] if groove_id else None
        return Answer(playing(with_groove(song, scope, template), timings=("felt",)))


@router.get("/songs/{song_id}/grooves/{groove_id}/file")
def save_file(request: Request, song_id: int, groove_id: int, kind: Literal["json", "csv", "mid"]) -> Response:
    with database(request).transaction() as session:
        load_song(session, song_id)
        _, groove = find_groove(session, groove_id)
    data = {
        "json": lambda: dump_template(groove).encode(),
        "csv": lambda: dump_groove_csv(groove).encode(),
        "mid": lambda: dump_groove_midi(groove),
    }[kind]()
    return download(data, groove.name, f".{kind}", MEDIA[kind])


@router.post("/songs/{song_id}/grooves/upload")
async def upload(request: Request, song_id: int, name: Annotated[str, Query(max_length=200)]) -> Response:
    data = await read_upload(request)
    return await run_in_threadpool(_bring_in, database(request), song_id, plain_name(name), data)


def _bring_in(store: SeenDatabase, song_id: int, name: str, data: bytes) -> Response:
    groove = read_groove(data, name)
    with store.transaction() as session:
        song = make_groove(session, song_id, None, replace(groove, name=groove.name.strip() or PurePath(name).stem))
        return Answer({"made": song.just_made, "song": header_state(session, song)})


def read_groove(data: bytes, name: str) -> GrooveTemplate:
    """A groove in one of its three formats, told by the file's ending. Raises BadValueError or MidiRefusedError."""
    ending = PurePath(name).suffix.lower()
    if ending == ".json":
        return load_template(data, name)
    if ending == ".csv":
        return load_groove_csv(data, name)
    if ending in (".mid", ".midi"):
        return load_groove_midi(data, name)
    raise BadValueError(f"{name} is no groove: bring in a .json, .csv or .mid file, or take a groove from a loop.")
