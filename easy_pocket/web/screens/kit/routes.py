"""The Kit screen: the voices' sounds, heard before they are chosen, and kits in and out."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.kit_edit import AddAlternate, AddVoice, PutSound
from easy_pocket.core.sound.kit_loudness import matched_gain_db
from easy_pocket.jobs.work import read_kit
from easy_pocket.store.database import Reader
from easy_pocket.store.history.undo_log import StaleRevisionError
from easy_pocket.store.kits.kits import kit_names, load_kit
from easy_pocket.store.kits.sound_library import get_sound, sound_of
from easy_pocket.store.songs.edits.kits import BringInKit
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.kit.library_view import role_choices
from easy_pocket.web.screens.kit.view import KitView
from easy_pocket.web.shared.dependencies import Reads, Song, SongId, Store, edit_from_file, song_page, stale
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.job_routes import workers
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import playing, strike
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.song_state import result_state, song_state
from easy_pocket.web.shared.uploads import FileEditId, FileName, plain_name, read_upload

router = APIRouter()
Role = Annotated[str, Query(max_length=30)]


@router.get("/songs/{song_id}/kit")
def kit(request: Request, song: Song, reader: Reads, voice: Role = "") -> Response:
    view = View(screen="kit", voice=voice if voice in song.kit.roles else "")
    return song_page(request, "kit/kit.html", song, kit=KitView(song, view, reader), roles=role_choices())


@router.get("/songs/{song_id}/kit/try")
def try_sound(
    song: Song,
    reader: Reads,
    voice: Role,
    layer: Annotated[int, Query(ge=-1, le=4)] = 0,
    alternate: Annotated[int, Query(ge=0, le=5)] = 0,
    sound_id: Annotated[int, Query(ge=0, le=2**31 - 1)] = 0,
    in_beat: bool = False,
) -> Response:
    """A sound as it would be on this layer, without keeping it: one hard hit, and the beat if that is wanted."""
    tried = _with_sound(reader, song, voice, layer, alternate, sound_id) if sound_id else song.kit
    heard = replace(song, kit=tried)
    hit = strike(tried.voice(voice).alternate(alternate), song.mix.get(voice))
    return JsonResponse({"hit": hit, "playing": playing(heard) if in_beat else None})


def _with_sound(reader: Reader, song: LoadedSong, role: str, layer: int, alternate: int, sound_id: int) -> Kit:
    row = get_sound(reader, sound_id)
    sound = sound_of(row)
    if role not in song.kit.roles:
        return AddVoice(role, sound, row.name).applied(song.kit)
    if alternate > len(song.kit.voice(role).alternates):
        return AddAlternate(role, sound, row.name).applied(song.kit)
    return PutSound(role, max(layer, 0), sound, row.name, alternate).applied(song.kit)


@router.get("/songs/{song_id}/kit/beside")
def other_parts_at(song: Song, reader: Reads, kit_key: Annotated[str, Query(max_length=40)] = "") -> Response:
    """The same beat on another kit (none chosen: the first other one), as loud as on its own."""
    first = next((key for key in kit_names(reader) if key != song.kit.key), song.kit.key)
    other = load_kit(reader, kit_key or first)
    gain_db = matched_gain_db(song.performance(), song.kit, other, song.mix, song.samples)
    facts = playing(replace(song, kit=other), gain_db=gain_db)
    return JsonResponse({"name": other.name, "gain_db": gain_db, "playing": facts})


@router.post("/songs/{song_id}/kit/upload")
async def import_kit(
    request: Request,
    store: Store,
    song_id: SongId,
    at: At,
    revision: Annotated[int, Query(ge=0, le=2**31 - 1)],
    name: FileName,
    edit_id: FileEditId = "",
) -> Response:
    known, data = plain_name(name), await read_upload(request)
    read = await workers(request).run(read_kit, data, known)
    view = View(screen="kit")

    def bring_in() -> Response:
        try:
            made = edit_from_file(store, song_id, BringInKit(read=read), at, revision=revision, edit_id=edit_id)
        except StaleRevisionError as error:
            return stale(error, song_state(read_song(store.reader, song_id, at), view, store.reader))
        told = result_state(made, view, store.reader)
        return JsonResponse({**told, "remarks": read.remarks, "name": read.kit.name})

    return await run_in_threadpool(bring_in)
