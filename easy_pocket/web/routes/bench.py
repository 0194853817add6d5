"""The Bench: write and feel."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.store.changes import StaleRevisionError, lock_song, redo, undo
from easy_pocket.store.edits import (
    edit_pattern,
    set_grid,
    set_kit,
    set_mix,
    set_name,
    set_tempo,
    set_voice,
    set_voice_grid,
    solo_only,
)
from easy_pocket.store.lines import put_line
from easy_pocket.store.snapshots import take_snapshot_back
from easy_pocket.store.songs import LoadedSong, load_song
from easy_pocket.web.answer import Answer
from easy_pocket.web.edit_requests import (
    EditRequest,
    PatternEdit,
    PutLine,
    SetGrid,
    SetKit,
    SetMix,
    SetName,
    SetTempo,
    SetVoice,
    SetVoiceGrid,
    SoloOnly,
    StepRequest,
    TakeSnapshotBack,
    View,
)
from easy_pocket.web.feel_requests import FeelChange
from easy_pocket.web.groove_requests import GrooveChange
from easy_pocket.web.idea_requests import PutIdeaEdit
from easy_pocket.web.kit_requests import KitChange
from easy_pocket.web.loop_requests import LoopUse
from easy_pocket.web.part_requests import PartChange
from easy_pocket.web.routes.common import database, song_page
from easy_pocket.web.section_requests import SectionChange
from easy_pocket.web.views.bench_view import BenchView
from easy_pocket.web.views.playing import passes, playing
from easy_pocket.web.views.song_state import song_state

router = APIRouter()


@router.get("/songs/{song_id}/bench")
def bench(request: Request, song_id: int) -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        return song_page(request, "bench.html", session, song, bench=BenchView(song, View()))


@router.get("/songs/{song_id}/state")
def state(request: Request, song_id: int, view: Annotated[View, Query()]) -> Response:
    """The song as it is now, for a page that looks elsewhere or has fallen behind."""
    with database(request).transaction() as session:
        return Answer(song_state(session, load_song(session, song_id), view))


@router.get("/songs/{song_id}/straight")
def straight_passes(request: Request, song_id: int) -> Response:
    """What the loop plays on the grid, for a page that is about to hear it."""
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        first, *more = passes(song, straight=True)
        return Answer({"revision": song.row.revision, "straight": first, "straight_more": more})


@router.get("/songs/{song_id}/playing")
def playing_at(request: Request, song_id: int, tempo_bpm: float) -> Response:
    """The stack at another tempo, to be heard beside a loop."""
    with database(request).transaction() as session:
        return Answer(playing(load_song(session, song_id), tempo_bpm))


@router.post("/songs/{song_id}/edits")
def edit(request: Request, song_id: int, sent: EditRequest) -> Response:
    try:
        with database(request).transaction() as session:
            song = _apply(session, song_id, sent)
            return Answer(song_state(session, song, sent.view, song.just_changed))
    except StaleRevisionError:
        return stale(request, song_id, sent.view)


def _apply(session: Any, song_id: int, sent: EditRequest) -> LoadedSong:
    at = (session, song_id, sent.revision)
    match sent.edit:
        case SetTempo(tempo_bpm=tempo_bpm):
            return set_tempo(*at, tempo_bpm, sent.gesture)
        case SetMix(voice=voice, field=field, value=value):
            return set_mix(*at, voice, field, value, sent.gesture)
        case SoloOnly(voices=voices):
            return solo_only(*at, tuple(voices))
        case SetVoice(voice=voice, there=there):
            return set_voice(*at, voice, there)
        case SetKit(kit_key=kit_key):
            return set_kit(*at, kit_key)
        case SetName(name=name):
            return set_name(*at, name)
        case SetGrid(grid=grid):
            return set_grid(*at, grid)
        case SetVoiceGrid(voice=voice, grid=grid):
            return set_voice_grid(*at, voice, grid)
        case PutLine(key=key, start_tick=start_tick):
            return put_line(*at, key, start_tick)
        case TakeSnapshotBack(snapshot_id=snapshot_id):
            return take_snapshot_back(*at, snapshot_id)
        case change if isinstance(
            change, KitChange | FeelChange | GrooveChange | LoopUse | PutIdeaEdit | SectionChange | PartChange
        ):
            return change.apply(at, sent.gesture)
        case change:
            assert isinstance(change, PatternEdit)
            return edit_pattern(*at, change.to_core(), sent.gesture)


@router.post("/songs/{song_id}/undo")
def undo_step(request: Request, song_id: int, sent: StepRequest) -> Response:
    return _step(request, song_id, sent, undo)


@router.post("/songs/{song_id}/redo")
def redo_step(request: Request, song_id: int, sent: StepRequest) -> Response:
    return _step(request, song_id, sent, redo)


def _step(request: Request, song_id: int, sent: StepRequest, step: Any) -> Response:
    try:
        with database(request).transaction() as session:
            row = lock_song(session, song_id, sent.revision)
            for _ in range(sent.steps):
                words = step(session, row)
                session.flush()
            return Answer({**song_state(session, load_song(session, song_id), sent.view), "words": words})
    except StaleRevisionError:
        return stale(request, song_id, sent.view)


def stale(request: Request, song_id: int, view: View) -> Response:
    """Refused, with the song as it is now: the page shows it and offers the edit again."""
    words = "This song was changed in another tab. You see its newest state; your last edit was not made."
    with database(request).transaction() as session:
        now = song_state(session, load_song(session, song_id), view)
    return Answer({"error": words, "now": now}, 409)
