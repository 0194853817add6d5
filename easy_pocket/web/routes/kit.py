"""The Kit screen: the voices' sounds, heard before they are chosen, and kits in and out."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Query
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.sfz import read_sfz, write_one_shots, write_sfz
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.kit_edit import AddAlternate, AddVoice, PutSound, apply_kit_edit
from easy_pocket.core.sound.match import matched_gain_db
from easy_pocket.store.changes import StaleRevisionError, lock_song
from easy_pocket.store.kit_edits import put_kit, songs_with_kit
from easy_pocket.store.kits import load_kit
from easy_pocket.store.looking import SeenDatabase
from easy_pocket.store.samples import sample_source, save_samples
from easy_pocket.store.songs import LoadedSong, load_song
from easy_pocket.store.sounds import get_sound, sound_of
from easy_pocket.web.answer import Answer
from easy_pocket.web.edit_requests import View
from easy_pocket.web.routes.bench import stale
from easy_pocket.web.routes.common import database, download, song_page
from easy_pocket.web.uploads import plain_name, read_upload
from easy_pocket.web.views.kit_view import KitView
from easy_pocket.web.views.library_view import role_choices
from easy_pocket.web.views.playing import playing, strike
from easy_pocket.web.views.song_state import song_state

router = APIRouter()


@router.get("/songs/{song_id}/kit")
def kit(request: Request, song_id: int, voice: Annotated[str, Query(max_length=30)] = "") -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        view = View(screen="kit", voice=voice if voice in song.kit.roles else "")
        shown = KitView(song, view, sample_source(session), songs_with_kit(session, song.kit.key))
        return song_page(request, "kit.html", session, song, kit=shown, roles=role_choices())


@router.get("/songs/{song_id}/kit/try")
def try_sound(
    request: Request,
    song_id: int,
    voice: Annotated[str, Query(max_length=30)],
    layer: int = 0,
    alternate: int = 0,
    sound_id: int = 0,
    in_beat: bool = False,
) -> Response:
    """A sound as it would be on this layer, without keeping it: one hard hit, and the beat if that is wanted."""
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        tried = _with_sound(session, song, voice, layer, alternate, sound_id) if sound_id else song.kit
        heard = replace(song, kit=tried)
        hit = strike(tried.voice(voice).alternate(alternate), song.mix.get(voice))
        return Answer({"hit": hit, "playing": playing(heard) if in_beat else None})


def _with_sound(session: Session, song: LoadedSong, role: str, layer: int, alternate: int, sound_id: int) -> Kit:
    row = get_sound(session, sound_id)
    sound = sound_of(row)
    if role not in song.kit.roles:
        return apply_kit_edit(song.kit, AddVoice(role, sound, row.name))
    if alternate > len(song.kit.voice(role).alternates):
        return apply_kit_edit(song.kit, AddAlternate(role, sound, row.name))
    return apply_kit_edit(song.kit, PutSound(role, max(layer, 0), sound, row.name, alternate))


@router.get("/songs/{song_id}/kit/beside")
def beside(request: Request, song_id: int, kit_key: Annotated[str, Query(max_length=40)] = "") -> Response:
    """The same beat on another kit (none chosen: the first other one), as loud as on its own."""
    with database(request).transaction() as session:
        song, samples = load_song(session, song_id), sample_source(session)
        first = next((key for key in song.kit_names if key != song.kit.key), song.kit.key)
        other = load_kit(session, kit_key or first)
        gain_db = matched_gain_db(song.performance(), song.kit, other, song.mix, samples)
        facts = playing(replace(song, kit=other), gain_db=gain_db)
        return Answer({"name": other.name, "gain_db": gain_db, "playing": facts})


@router.get("/songs/{song_id}/kit.zip")
def export_kit(request: Request, song_id: int) -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        return download(write_sfz(song.kit, sample_source(session)), song.kit.name, ".zip", "application/zip")


@router.get("/songs/{song_id}/kit-sounds.zip")
def export_sounds(request: Request, song_id: int) -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        data = write_one_shots(song.kit, sample_source(session))
        return download(data, f"{song.kit.name} sounds", ".zip", "application/zip")


@router.post("/songs/{song_id}/kit/upload")
async def import_kit(
    request: Request, song_id: int, revision: int, name: Annotated[str, Query(max_length=200)]
) -> Response:
    data = await read_upload(request)
    return await run_in_threadpool(_import_kit, database(request), request, song_id, revision, plain_name(name), data)


def _import_kit(store: SeenDatabase, request: Request, song_id: int, revision: int, name: str, data: bytes) -> Response:
    read = read_sfz(data, name)
    try:
        with store.transaction() as session:
            lock_song(session, song_id, revision)
            save_samples(session, read.audio)
            song = put_kit(session, load_song(session, song_id), read.kit, f"bring in the kit {read.kit.name}")
            answer: dict[str, Any] = song_state(session, song, View(screen="kit"))
            return Answer({**answer, "remarks": read.remarks, "name": read.kit.name})
    except StaleRevisionError:
        return stale(request, song_id, View(screen="kit"))
