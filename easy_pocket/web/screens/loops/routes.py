"""Loops: bring audio in, see and correct what is heard, take its groove."""

from __future__ import annotations

import uuid
from dataclasses import astuple, replace
from pathlib import PurePath
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import Field
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.formats.audio_file import claimed_seconds, write_audio
from easy_pocket.core.formats.slice_kit import slice_archive, slice_files
from easy_pocket.core.listen.other_tempo import at_tempo
from easy_pocket.core.listen.slices import cut_slices
from easy_pocket.core.pattern.insert_phrase import on_kit
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.jobs.kinds import KINDS
from easy_pocket.jobs.work import analyze_file
from easy_pocket.store.loops.listening import look_out
from easy_pocket.store.loops.loops import analysis_from_doc, get_loop, load_audio, load_facts, named_loops
from easy_pocket.store.songs.edits.fields import Strict
from easy_pocket.store.songs.edits.loops import SitInRequest, sit_in_of
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.loop_uses import loop_beat, song_of_slices
from easy_pocket.web.screens.loops.layered_view import LayeredLoopView
from easy_pocket.web.screens.loops.loop_map import LoopMap
from easy_pocket.web.screens.loops.uses_view import against_doc, groups_doc
from easy_pocket.web.screens.loops.view import LoopView
from easy_pocket.web.shared.dependencies import (
    Reads,
    RowId,
    Song,
    SongId,
    Store,
    download,
    reader_of,
    song_page,
)
from easy_pocket.web.shared.job_routes import begin, workers
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import playing
from easy_pocket.web.shared.render import render
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.uploads import FileEditId, FileName, plain_name, read_upload

router = APIRouter()
LONG_S = 40.0  # what is longer is listened to beside the page
By = Literal["hits", "grid"]
Slots = Annotated[int, Query(ge=1, le=96)]
Bar = Annotated[int, Query(ge=1, le=64)]


@router.get("/songs/{song_id}/loops")
def show_newest(request: Request, song: Song) -> Response:
    return _page(request, song, None)


@router.get("/songs/{song_id}/loops/{loop_id}")
def show(request: Request, song: Song, loop_id: RowId) -> Response:
    return _page(request, song, loop_id)


def _page(request: Request, song: LoadedSong, loop_id: int | None) -> Response:
    reader = reader_of(request)
    loops = named_loops(reader, song.id)
    shown = next((one for one in loops if one.id == loop_id), loops[-1] if loops else None)
    row = get_loop(reader, song.id, shown.id) if shown else None
    found = LoopView(row, load_facts(reader, row.audio_hash, row.name)) if row else None
    if row and found:
        look_out(row.audio_hash, found.duration_s)
    names = {voice.role: voice.title for voice in song.kit.voices}
    voice_names = {voice: names.get(voice, ROLES[voice].name) for voice in song.part.voices}
    values: dict[str, object] = {"loops": loops, "found": found, "voice_names": voice_names}
    values["kit_voices"] = list(names.items())
    values["parts"] = [(part.id, part.name) for part in song.parts]
    values["layered"] = LayeredLoopView(reader, song, row.id, found.reading.bars) if row and found else None
    return song_page(request, "loops/loops.html", song, **values)


@router.post("/songs/{song_id}/loops/upload")
async def upload(
    request: Request, store: Store, song_id: SongId, at: At, name: FileName, edit_id: FileEditId = ""
) -> Response:
    """A short file is answered when it was heard; a long one with the work that listens to it."""
    known, data = plain_name(name), await read_upload(request)
    seconds = await run_in_threadpool(claimed_seconds, data)

    asked = {"song_id": song_id, "at": astuple(at), "edit_id": edit_id}
    if seconds is not None and seconds > LONG_S:
        return JsonResponse({"job": await run_in_threadpool(begin, request, "loop", (data, known), asked)}, 202)
    heard = await workers(request).run(analyze_file, data, known)
    return JsonResponse(await run_in_threadpool(KINDS["loop"].keep, store, uuid.uuid4().hex, heard, asked))


@router.get("/songs/{song_id}/loops/{loop_id}/groups")
def groups(store: Store, song_id: SongId, loop_id: RowId) -> Response:
    """The loop's hits sorted by sound."""
    return JsonResponse(groups_doc(store.reader, get_loop(store.reader, song_id, loop_id)))


@router.get("/songs/{song_id}/loops/{loop_id}/beat")
def beat_playing(song: Song, reader: Reads, loop_id: RowId) -> Response:
    """The loop's hits on the song's kit, at the loop's tempo and as they were played."""
    beat = loop_beat(reader, get_loop(reader, song.id, loop_id))
    pattern = replace(beat.pattern, hits=on_kit(beat.pattern.hits, song.kit.roles))
    heard = replace(song, pattern=pattern, feel=FeelScopes(), mix={})
    return JsonResponse(playing(heard, beat.tempo_bpm, timings=("felt",)))


@router.get("/songs/{song_id}/loops/{loop_id}/layer")
def layer_panel(song: Song, reader: Reads, loop_id: RowId) -> Response:
    """The panel of how the loop plays under the stack."""
    bars = analysis_from_doc(get_loop(reader, song.id, loop_id).found).reading.bars
    return Response(
        render("loops/_loop_layered.html", layered=LayeredLoopView(reader, song, loop_id, bars)), media_type="text/html"
    )


class AgainstRequest(SitInRequest):
    """of: what is compared; "" the part one is at, "all" parts, or the number of one."""

    of: Annotated[str, Field(max_length=10, pattern=r"^(all|\d*)$")] = ""


@router.post("/songs/{song_id}/loops/{loop_id}/against")
def against(song: Song, reader: Reads, loop_id: RowId, sent: AgainstRequest) -> Response:
    """The stack against the loop, and what sitting in would do; nothing is changed."""
    return JsonResponse(against_doc(reader, song, loop_id, sit_in_of(sent), sent.of))


@router.get("/songs/{song_id}/loops/{loop_id}/slices.zip")
def slices_zip(store: Store, song_id: SongId, loop_id: RowId, by: By = "hits", slots: Slots = 1) -> Response:
    """Slices as WAV, with an SFZ and the MIDI that replays them."""
    row = get_loop(store.reader, song_id, loop_id)
    heard, sound = analysis_from_doc(row.found), load_audio(store.reader, row.audio_hash, row.name)
    name = PurePath(row.name).stem[:60] or "loop"
    return download(slice_archive(slice_files(sound, heard, name, by, slots)), name, " slices.zip", "application/zip")


class SlicesRequest(Strict):
    by: By = "hits"
    slots: Slots = 1


@router.post("/songs/{song_id}/loops/{loop_id}/slices-song")
def slices_song(store: Store, song_id: SongId, loop_id: RowId, sent: SlicesRequest) -> Response:
    """The slices as a kit with the pattern that replays them, in a song of their own."""
    song = song_of_slices(store, song_id, loop_id, sent.by, sent.slots)
    return JsonResponse({"address": f"/songs/{song.id}/bench", "name": song.name})


@router.get("/songs/{song_id}/loops/{loop_id}/retimed.wav")
def retimed_wav(
    store: Store,
    song_id: SongId,
    loop_id: RowId,
    tempo_bpm: Annotated[float, Query(ge=-1e9, le=1e9, allow_inf_nan=False)],
    how: Literal["slices", "stretch"] = "slices",
    semitones: Annotated[float, Query(ge=-1e9, le=1e9, allow_inf_nan=False)] = 0.0,
) -> Response:
    """The loop at another tempo and pitch, its slices moved or stretched."""
    row = get_loop(store.reader, song_id, loop_id)
    heard, sound = analysis_from_doc(row.found), load_audio(store.reader, row.audio_hash, row.name)
    cuts = cut_slices(heard.onsets, heard.reading)
    moved = at_tempo(sound, cuts, heard.reading, tempo_bpm, how, semitones)
    name = PurePath(row.name).stem[:60] or "loop"
    return download(write_audio(moved, "WAV", 24), name, f" {tempo_bpm:g} bpm.wav", "audio/wav")


@router.get("/songs/{song_id}/loops/{loop_id}/map")
def bar_map(
    store: Store,
    song_id: SongId,
    loop_id: RowId,
    lane: Literal["all", "low", "mid", "high"] = "all",
    bars: Annotated[int, Query(ge=1, le=8)] = 1,
    from_bar: Annotated[list[Bar], Query(max_length=64)] = [],  # noqa: B006 - read, never changed
    per_beat: Annotated[int | None, Query(ge=1, le=12)] = None,
) -> Response:
    """The bar map as the groove would be with these settings."""
    heard = analysis_from_doc(get_loop(store.reader, song_id, loop_id).found)
    shown = LoopMap(heard, lane, bars, from_bar, per_beat)
    return Response(render("loops/_loop_map.html", map=shown), media_type="text/html")
