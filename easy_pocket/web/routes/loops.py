"""Loops: bring audio in, see and correct what is heard, take its groove."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import PurePath
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.audio import Audio
from easy_pocket.core.feel import FeelScopes
from easy_pocket.core.formats.audio_file import read_audio, write_audio
from easy_pocket.core.formats.slice_kit import slice_archive, slice_files
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.listen.hear import hear
from easy_pocket.core.listen.prepared import Progress, quietly
from easy_pocket.core.listen.slices import at_tempo, cut_slices
from easy_pocket.core.put_line import on_kit
from easy_pocket.core.voices import ROLES
from easy_pocket.store.changes import StaleRevisionError
from easy_pocket.store.feels import set_feel
from easy_pocket.store.looking import SeenDatabase
from easy_pocket.store.loop_uses import heard_beat, song_of_slices
from easy_pocket.store.loops import (
    bring_in,
    found_from_doc,
    get_loop,
    load_audio,
    loops_of,
    overrule,
    overrules_from_doc,
    remove_loop,
)
from easy_pocket.store.songs import check_name, load_song
from easy_pocket.store.templates import save_template
from easy_pocket.web.answer import Answer
from easy_pocket.web.loop_requests import SitInRequest
from easy_pocket.web.render import render
from easy_pocket.web.routes.common import database, download, song_page
from easy_pocket.web.routes.jobs import jobs
from easy_pocket.web.uploads import plain_name, read_upload
from easy_pocket.web.views.loop_changes import LoopChange, changed_overrules
from easy_pocket.web.views.loop_map import LoopMap
from easy_pocket.web.views.loop_uses import against_doc, groups_doc
from easy_pocket.web.views.loop_view import LoopView
from easy_pocket.web.views.playing import playing
from easy_pocket.web.views.song_state import header_state
from easy_pocket.web.views.under_view import UnderView

router = APIRouter()
LONG_S = 40.0  # what is longer is listened to beside the page


@router.get("/songs/{song_id}/loops")
@router.get("/songs/{song_id}/loops/{loop_id}")
def show(request: Request, song_id: int, loop_id: int | None = None) -> Response:
    with database(request).transaction() as session:
        song, rows = load_song(session, song_id), loops_of(session, song_id)
        row = next((row for row in rows if row.id == loop_id), rows[-1] if rows else None)
        found = LoopView(row, load_audio(session, row.audio_hash, row.name)) if row else None
        names = {voice.role: voice.title for voice in song.kit.voices}
        voice_names = {voice: names.get(voice, ROLES[voice].name) for voice in song.part.voices}
        values: dict[str, Any] = {"loops": rows, "found": found, "voice_names": voice_names}
        values["kit_voices"] = list(names.items())
        values["under"] = UnderView(song, row.id, found.reading.bars) if row and found else None
        return song_page(request, "loops.html", session, song, **values)


@router.post("/songs/{song_id}/loops/upload")
async def upload(request: Request, song_id: int, name: Annotated[str, Query(max_length=200)]) -> Response:
    """A short file is answered when it was heard; a long one with the work that listens to it."""
    data = await read_upload(request)
    audio = await run_in_threadpool(read_audio, data, plain_name(name))
    store = database(request)
    if audio.duration_s > LONG_S:
        return Answer({"job": jobs(request).start(lambda job: _bring_in(store, song_id, audio, job.told))}, 202)
    return Answer(await run_in_threadpool(_bring_in, store, song_id, audio))


def _bring_in(store: SeenDatabase, song_id: int, audio: Audio, told: Progress = quietly) -> dict[str, Any]:
    heard = hear(audio, told=told)
    told(0.95, "keeping it")
    with store.transaction() as session:
        row = bring_in(session, song_id, audio, heard)
        session.flush()
        song = header_state(session, load_song(session, song_id))
        return {"address": f"/songs/{song_id}/loops/{row.id}", "song": song}


class OverruleRequest(BaseModel):
    model_config = ConfigDict(extra="forbid")
    revision: int
    change: LoopChange
    gesture: Annotated[str, Field(max_length=40)] | None = None


@router.post("/songs/{song_id}/loops/{loop_id}/overrule")
def overrule_loop(request: Request, song_id: int, loop_id: int, sent: OverruleRequest) -> Response:
    def change(session: Session) -> None:
        row = get_loop(session, song_id, loop_id)
        now, heard = overrules_from_doc(row.overruled), found_from_doc(row.found)
        after, words = changed_overrules(now, heard, sent.change, lambda: load_audio(session, row.audio_hash, row.name))
        overrule(session, song_id, loop_id, sent.revision, after, words, sent.gesture)

    return _changed(request, song_id, change)


@router.get("/songs/{song_id}/loops/{loop_id}/groups")
def groups(request: Request, song_id: int, loop_id: int) -> Response:
    """The loop's hits sorted by sound."""
    with database(request).transaction() as session:
        return Answer(groups_doc(session, get_loop(session, song_id, loop_id)))


@router.get("/songs/{song_id}/loops/{loop_id}/beat")
def beat_playing(request: Request, song_id: int, loop_id: int) -> Response:
    """The loop's hits on the song's kit, at the loop's tempo and as they were played."""
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        beat = heard_beat(session, get_loop(session, song_id, loop_id))
        pattern = replace(beat.pattern, hits=on_kit(beat.pattern.hits, song.kit.roles))
        heard = replace(song, pattern=pattern, feel=FeelScopes(), performances={}, mix={})
        return Answer(playing(heard, beat.tempo_bpm, timings=("felt",)))


@router.get("/songs/{song_id}/loops/{loop_id}/under")
def under_panel(request: Request, song_id: int, loop_id: int) -> Response:
    """How it plays under the stack."""
    with database(request).transaction() as session:
        bars = found_from_doc(get_loop(session, song_id, loop_id).found).reading.bars
        view = UnderView(load_song(session, song_id), loop_id, bars)
    return Response(render("_loop_under.html", under=view), media_type="text/html")


@router.post("/songs/{song_id}/loops/{loop_id}/against")
def against(request: Request, song_id: int, loop_id: int, sent: SitInRequest) -> Response:
    """The stack against the loop, and what sitting in would do; nothing is changed."""
    with database(request).transaction() as session:
        return Answer(against_doc(session, load_song(session, song_id), loop_id, sent.to_core()))


@router.get("/songs/{song_id}/loops/{loop_id}/slices.zip")
def slices_zip(
    request: Request,
    song_id: int,
    loop_id: int,
    by: Literal["hits", "grid"] = "hits",
    slots: Annotated[int, Query(ge=1, le=96)] = 1,
) -> Response:
    """Slices as WAV, with an SFZ and the MIDI that replays them."""
    with database(request).transaction() as session:
        row = get_loop(session, song_id, loop_id)
        heard, sound = found_from_doc(row.found), load_audio(session, row.audio_hash, row.name)
    name = PurePath(row.name).stem[:60] or "loop"
    return download(slice_archive(slice_files(sound, heard, name, by, slots)), name, " slices.zip", "application/zip")


class SlicesRequest(BaseModel):
    model_config = ConfigDict(extra="forbid")
    by: Literal["hits", "grid"] = "hits"
    slots: Annotated[int, Field(ge=1, le=96)] = 1


@router.post("/songs/{song_id}/loops/{loop_id}/slices-song")
def slices_song(request: Request, song_id: int, loop_id: int, sent: SlicesRequest) -> Response:
    """The slices as a kit with the pattern that replays them, in a song of their own."""
    with database(request).transaction() as session:
        song = song_of_slices(session, song_id, loop_id, sent.by, sent.slots)
        session.flush()
        return Answer({"address": f"/songs/{song.id}/bench", "name": song.name})


@router.get("/songs/{song_id}/loops/{loop_id}/retimed.wav")
def retimed_wav(
    request: Request, song_id: int, loop_id: int, tempo_bpm: Annotated[float, Query(allow_inf_nan=False)]
) -> Response:
    """The loop at another tempo, its slices set anew."""
    with database(request).transaction() as session:
        row = get_loop(session, song_id, loop_id)
        heard, sound = found_from_doc(row.found), load_audio(session, row.audio_hash, row.name)
    cuts = cut_slices(heard.onsets, heard.reading)
    moved = at_tempo(sound, cuts, heard.reading, tempo_bpm)
    name = PurePath(row.name).stem[:60] or "loop"
    return download(write_audio(moved, "WAV", 24), name, f" {tempo_bpm:g} bpm.wav", "audio/wav")


Bar = Annotated[int, Field(ge=1, le=64)]
PerBeat = Annotated[int, Field(ge=1, le=12)]


@router.get("/songs/{song_id}/loops/{loop_id}/map")
def bar_map(
    request: Request,
    song_id: int,
    loop_id: int,
    lane: Literal["all", "low", "mid", "high"] = "all",
    bars: Annotated[int, Query(ge=1, le=8)] = 1,
    from_bar: Annotated[list[Bar], Query(max_length=64)] = [],  # noqa: B006 - read, never changed
    per_beat: PerBeat | None = None,
) -> Response:
    """The bar map as the groove would be with these settings."""
    with database(request).transaction() as session:
        heard = found_from_doc(get_loop(session, song_id, loop_id).found)
    return Response(
        render("_loop_map.html", map=LoopMap(heard, lane, bars, from_bar, per_beat)), media_type="text/html"
    )


class TemplateRequest(BaseModel):
    model_config = ConfigDict(extra="forbid")
    revision: int
    name: Annotated[str, Field(max_length=400)]
    bars: Literal[1, 2, 4, 8] = 1
    from_bars: Annotated[list[Bar], Field(max_length=64)] = Field(default_factory=list)
    per_beat: PerBeat | None = None
    put_on: bool = False


@router.post("/songs/{song_id}/loops/{loop_id}/template")
def make_template(request: Request, song_id: int, loop_id: int, sent: TemplateRequest) -> Response:
    def change(session: Session) -> None:
        row = get_loop(session, song_id, loop_id)
        heard = found_from_doc(row.found)
        groove = extract_template(
            heard.onsets,
            heard.reading,
            check_name(sent.name),
            row.name,
            sent.bars,
            from_bars=sent.from_bars,
            per_beat=sent.per_beat,
        )
        template_id = save_template(session, groove)
        if sent.put_on:
            set_feel(session, song_id, sent.revision, "part", "template_id", template_id)

    return _changed(request, song_id, change)


class RemoveRequest(BaseModel):
    model_config = ConfigDict(extra="forbid")
    revision: int


@router.post("/songs/{song_id}/loops/{loop_id}/remove")
def remove(request: Request, song_id: int, loop_id: int, sent: RemoveRequest) -> Response:
    def change(session: Session) -> None:
        remove_loop(session, song_id, loop_id, sent.revision)

    return _changed(request, song_id, change)


def _changed(request: Request, song_id: int, change: Callable[[Session], None]) -> Response:
    """Make a change in one transaction; answer with the song's header, also when it came too late."""
    words, status = "", 200
    try:
        with database(request).transaction() as session:
            change(session)
    except StaleRevisionError:
        words = "This song was changed in another tab. You see its newest state; your last change was not made."
        status = 409
    with database(request).transaction() as session:
        song = header_state(session, load_song(session, song_id))
    return Answer({"song": song, **({"error": words} if words else {})}, status)
