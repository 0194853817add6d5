"""The Song screen, what the whole song plays, parts brought from MIDI files, and the song taken away."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.store.changes import StaleRevisionError
from easy_pocket.store.looking import SeenDatabase
from easy_pocket.store.midi_parts import parts_from_midi
from easy_pocket.store.song_files import song_as_audio, song_as_midi
from easy_pocket.store.songs import load_song
from easy_pocket.web.answer import Answer
from easy_pocket.web.routes.common import database, download, song_page
from easy_pocket.web.uploads import plain_name, read_upload
from easy_pocket.web.views.song_playing import song_playing
from easy_pocket.web.views.song_state import header_state
from easy_pocket.web.views.song_view import SongView

router = APIRouter()


@router.get("/songs/{song_id}/song")
def song_screen(request: Request, song_id: int) -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        return song_page(request, "arrangement.html", session, song, view=SongView(session, song))


@router.get("/songs/{song_id}/song/playing")
def whole_song(request: Request, song_id: int, timing: Literal["felt", "straight"] = "felt") -> Response:
    """All the song plays, for a page that plays it through."""
    with database(request).transaction() as session:
        return Answer(song_playing(load_song(session, song_id), timing))


@router.post("/songs/{song_id}/song/upload")
async def parts_of_midi(
    request: Request,
    song_id: int,
    revision: int,
    name: Annotated[str, Query(max_length=200)],
    kit_key: Annotated[str, Query(max_length=40)],
    by: Literal["track", "voice"] = "track",
) -> Response:
    """A part for each track of the file, or each of its voices."""
    data = await read_upload(request)
    return await run_in_threadpool(_bring_in, database(request), song_id, revision, data, plain_name(name), by, kit_key)


def _bring_in(
    store: SeenDatabase, song_id: int, revision: int, data: bytes, name: str, by: str, kit_key: str
) -> Response:
    try:
        with store.transaction() as session:
            song = parts_from_midi(session, song_id, revision, data, name, by_voice=by == "voice", kit_key=kit_key)
            return Answer({"song": header_state(session, song), "words": song.just_done})
    except StaleRevisionError:
        return Answer({"error": "The song was changed in another tab: look at it as it is now, then try again."}, 409)


@router.get("/songs/{song_id}/song.mid")
def song_midi(
    request: Request, song_id: int, by: Literal["part", "voice"] = "part", timing: Literal["felt", "straight"] = "felt"
) -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
    return download(song_as_midi(song, by, timing).data, song.row.name, " song.mid", "audio/midi")


@router.get("/songs/{song_id}/song.wav")
def song_wav(request: Request, song_id: int, bits: Literal["16", "24", "32"] = "24") -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        audio = song_as_audio(session, song)
    return download(write_audio(audio, "WAV", int(bits)), song.row.name, " song.wav", "audio/wav")
