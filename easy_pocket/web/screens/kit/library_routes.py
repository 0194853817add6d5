"""The library of sounds: find, bring in, name, favour, take out."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.sound_files import ImportedSounds
from easy_pocket.core.sound.character import Character
from easy_pocket.core.sound.library import Query as Wanted
from easy_pocket.core.sound.library import free_bands, search
from easy_pocket.core.sound.sound import sampled
from easy_pocket.jobs.work import read_sounds
from easy_pocket.store.database import Database
from easy_pocket.store.kits.samples import save_samples
from easy_pocket.store.kits.sound_library import (
    NewSound,
    keep_measured,
    remove_sound,
    rename_sound,
    set_favourite,
    sound_index,
    sounds_by_id,
)
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import Name, Strict, Voice
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.selection import Selection
from easy_pocket.web.screens.kit.library_view import other_layers_energy, sound_doc
from easy_pocket.web.screens.kit.shapes import SoundRow
from easy_pocket.web.shared.dependencies import Reads, RowId, Song, SongId, Store
from easy_pocket.web.shared.job_routes import workers
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.uploads import FileName, plain_name, read_upload

router = APIRouter()
Side = Annotated[int, Query(ge=-1, le=1)]


@router.get("/songs/{song_id}/library")
def find(
    song: Song,
    reader: Reads,
    role: Annotated[str, Query(max_length=30)] = "",
    source: Annotated[str, Query(max_length=10)] = "",
    words: Annotated[str, Query(max_length=100)] = "",
    favourite: bool = False,
    recent: bool = False,
    bright: Side = 0,
    long: Side = 0,
    noisy: Side = 0,
    like: Annotated[int | None, Query(ge=0, le=2**31 - 1)] = None,
    fits: bool = False,
    voice: Annotated[str, Query(max_length=30)] = "",
    layer: Annotated[int, Query(ge=-1, le=4)] = 0,
    alternate: Annotated[int, Query(ge=0, le=4)] = 0,
    offset: Annotated[int, Query(ge=0, le=100_000)] = 0,
    limit: Annotated[int, Query(ge=1, le=200)] = 60,
) -> Response:
    """A stretch of what matches, best first."""
    free = None
    if fits and voice in song.kit.roles:
        free = free_bands(other_layers_energy(song.kit.voice(voice).alternate(alternate), layer, song.samples))
    wanted = Wanted(role or None, source or None, words, favourite, recent, bright, long, noisy, like, free)
    index = sound_index(reader)
    places = search(index, wanted)
    rows = sounds_by_id(reader, index.ids[places[offset : offset + limit]].tolist())
    return JsonResponse({"total": len(places), "offset": offset, "sounds": [sound_doc(row, song.kit) for row in rows]})


@router.post("/songs/{song_id}/library/upload")
async def upload(request: Request, store: Store, song_id: SongId, at: At, name: FileName) -> Response:
    known, data = plain_name(name), await read_upload(request)
    found = await workers(request).run(read_sounds, data, known)
    return await run_in_threadpool(_keep, store, song_id, at, *found)


def _keep(
    store: Database,
    song_id: int,
    at: Selection,
    ready: list[ImportedSounds],
    characters: list[Character],
    refused: list[str],
) -> Response:
    """Sounds that were read and measured."""
    audio = {one.audio: one.frames for one in ready}
    new = [NewSound(one.name, one.role, "yours", sampled(one.audio)) for one in ready]
    measures = list(zip(new, characters, strict=True))
    kit = read_song(store.reader, song_id, at).kit
    with store.transaction() as session:
        save_samples(session, audio)
        kept = keep_measured(session, measures)
    docs: list[SoundRow] = [
        {**sound_doc(row, kit), "new": fresh, "certainty": round(one.certainty, 2)}
        for one, (row, fresh) in zip(ready, kept, strict=True)
    ]
    return JsonResponse({"sounds": docs, "refused": refused})


class Change(Strict):
    """One thing about a sound: exactly one of them is set."""

    favourite: bool | None = None
    removed: bool | None = None
    name: Name | None = None
    role: Voice | None = None


@router.post("/library/{sound_id}")
def change(store: Store, sound_id: RowId, sent: Change) -> Response:
    with store.transaction() as session:
        if sent.favourite is not None:
            row = set_favourite(session, sound_id, sent.favourite)
        elif sent.removed is not None:
            row = remove_sound(session, sound_id, sent.removed)
        else:
            row = rename_sound(session, sound_id, sent.name and check_name(sent.name), sent.role)
    return JsonResponse(sound_doc(row, None))
