"""The library of sounds: find, bring in, name, favour, take out."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.sound.bring_in import bring_in_sounds
from easy_pocket.core.sound.library import Query as Wanted
from easy_pocket.core.sound.library import free_bands, search
from easy_pocket.core.sound.sound import sampled
from easy_pocket.store.looking import SeenDatabase
from easy_pocket.store.samples import sample_source, save_samples
from easy_pocket.store.songs import check_name, load_song
from easy_pocket.store.sounds import (
    NewSound,
    add_sounds,
    remove_sound,
    rename_sound,
    set_favourite,
    sound_index,
    sounds_by_id,
)
from easy_pocket.web.answer import Answer
from easy_pocket.web.request_types import Name, Strict, Voice
from easy_pocket.web.routes.common import database
from easy_pocket.web.uploads import plain_name, read_upload
from easy_pocket.web.views.library_view import other_layers_energy, sound_doc

router = APIRouter()
Side = Annotated[int, Query(ge=-1, le=1)]


@router.get("/songs/{song_id}/library")
def find(
    request: Request,
    song_id: int,
    role: Annotated[str, Query(max_length=30)] = "",
    source: Annotated[str, Query(max_length=10)] = "",
    words: Annotated[str, Query(max_length=100)] = "",
    favourite: bool = False,
    recent: bool = False,
    bright: Side = 0,
    long: Side = 0,
    noisy: Side = 0,
    like: int | None = None,
    fits: bool = False,
    voice: Annotated[str, Query(max_length=30)] = "",
    layer: int = 0,
    alternate: Annotated[int, Query(ge=0, le=4)] = 0,
    offset: Annotated[int, Query(ge=0, le=100_000)] = 0,
    limit: Annotated[int, Query(ge=1, le=200)] = 60,
) -> Response:
    """A stretch of what matches, best first."""
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        free = None
        if fits and voice in song.kit.roles:
            free = free_bands(
                other_layers_energy(song.kit.voice(voice).alternate(alternate), layer, sample_source(session))
            )
        wanted = Wanted(role or None, source or None, words, favourite, recent, bright, long, noisy, like, free)
        index = sound_index(session)
        places = search(index, wanted)
        rows = sounds_by_id(session, index.ids[places[offset : offset + limit]].tolist())
        return Answer({"total": len(places), "offset": offset, "sounds": [sound_doc(row, song.kit) for row in rows]})


@router.post("/songs/{song_id}/library/upload")
async def upload(request: Request, song_id: int, name: Annotated[str, Query(max_length=200)]) -> Response:
    data = await read_upload(request)
    return await run_in_threadpool(_bring_in, database(request), song_id, plain_name(name), data)


def _bring_in(store: SeenDatabase, song_id: int, name: str, data: bytes) -> Response:
    ready, refused = bring_in_sounds(data, name)
    with store.transaction() as session:
        kit = load_song(session, song_id).kit
        save_samples(session, {one.audio: one.frames for one in ready})
        new = [NewSound(one.name, one.role, "yours", sampled(one.audio)) for one in ready]
        kept = add_sounds(session, new, sample_source(session))
        docs: list[dict[str, Any]] = [
            {**sound_doc(row, kit), "new": fresh, "certainty": round(one.certainty, 2)}
            for one, (row, fresh) in zip(ready, kept, strict=True)
        ]
    return Answer({"sounds": docs, "refused": refused})


class Change(Strict):
    """One thing about a sound: exactly one of them is set."""

    favourite: bool | None = None
    removed: bool | None = None
    name: Name | None = None
    role: Voice | None = None


@router.post("/library/{sound_id}")
def change(request: Request, sound_id: int, sent: Change) -> Response:
    with database(request).transaction() as session:
        if sent.favourite is not None:
            row = set_favourite(session, sound_id, sent.favourite)
        elif sent.removed is not None:
            row = remove_sound(session, sound_id, sent.removed)
        else:
            row = rename_sound(session, sound_id, sent.name and check_name(sent.name), sent.role)
        return Answer(sound_doc(row, None))
