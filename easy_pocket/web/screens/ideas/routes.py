"""Ideas: asked for, heard in place, pinned, dropped, brought back."""

from __future__ import annotations

import json
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.errors import PocketError
from easy_pocket.core.ideas.change import Idea
from easy_pocket.core.ideas.idea_context import window
from easy_pocket.core.ideas.variation_kinds import step_of
from easy_pocket.jobs.work import read_fill
from easy_pocket.store.history.idea_choices import ChosenIdea, forget_choices, keep_choice
from easy_pocket.store.ideas.log import (
    change_from_doc,
    change_to_doc,
    forget_old_ideas,
    idea_context_of,
    log_idea,
    logged_ideas,
    set_idea_state,
    with_idea,
)
from easy_pocket.store.schema.tables import IdeaRow
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.screens.ideas.answers import answer, brought, learned_words
from easy_pocket.web.screens.ideas.cards import fill_cards, idea_doc
from easy_pocket.web.screens.ideas.requests import Ask, ChoicesAsk, HearAsk, LogAsk, StateAsk
from easy_pocket.web.screens.ideas.shapes import IdeaData, IdeasAnswer
from easy_pocket.web.screens.ideas.view import IdeasView, log_rows
from easy_pocket.web.shared.dependencies import Reads, RowId, Song, SongId, Store, song_page
from easy_pocket.web.shared.job_routes import workers
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import playing
from easy_pocket.web.shared.render import render
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.uploads import FileName, plain_name, read_upload

router = APIRouter()
MOST_BACK = {"pinned": 24}  # cards at once; of other states six
KEPT = {"pinned": True, "taken": True, "dropped": False, "passed": None}  # None: says nothing


@router.get("/songs/{song_id}/ideas")
def ideas(request: Request, song: Song, reader: Reads) -> Response:
    return song_page(request, "ideas/ideas.html", song, ideas=IdeasView(song, reader))


@router.post("/songs/{song_id}/ideas")
def ask(song: Song, reader: Reads, sent: Ask) -> Response:
    return JsonResponse(answer(reader, song, sent))


@router.post("/songs/{song_id}/ideas/hear")
def analyze_loop(song: Song, sent: HearAsk) -> Response:
    """What the stack plays with an idea, or with what is kept of it; nothing is changed."""
    changed = with_idea(song, [change.to_core() for change in sent.changes], sent.length_ticks)
    return JsonResponse(playing(changed, timings=("felt",)))


@router.post("/songs/{song_id}/ideas/upload")
async def upload(
    request: Request,
    store: Store,
    song_id: SongId,
    at: At,
    name: FileName,
    end_tick: Annotated[int | None, Query(ge=0, le=2_000_000)] = None,
    beats: Annotated[float | None, Query(ge=0, le=10_000, allow_inf_nan=False)] = None,
) -> Response:
    """A fill out of a MIDI file: its last beats."""
    known, data = plain_name(name), await read_upload(request)
    pattern = await workers(request).run(read_fill, data, known)

    def bring() -> IdeasAnswer:
        song = read_song(store.reader, song_id, at)
        begin, end = window(idea_context_of(song), beats, end_tick)
        return brought(song, pattern, begin, end, known)

    return JsonResponse(await run_in_threadpool(bring))


@router.get("/songs/{song_id}/ideas/log")
def log(song: Song, reader: Reads) -> Response:
    return JsonResponse({"log": log_rows(reader, song)})


@router.post("/songs/{song_id}/ideas/log")
def remember(store: Store, song: Song, sent: LogAsk) -> Response:
    with store.transaction() as session:
        for idea in sent.ideas:
            doc = {
                **idea.model_dump(exclude={"changes", "traits"}),
                "changes": [change_to_doc(change.to_core()) for change in idea.changes],
            }
            log_idea(session, song, idea.kind, sent.state, doc)
            keep_choice(session, song.id, ChosenIdea(idea.kind, idea.key, tuple(idea.traits)), KEPT[sent.state])
        forget_old_ideas(session, song)
    kind = sent.ideas[0].kind
    return JsonResponse({"log": log_rows(store.reader, song), "learned": learned_words(store.reader, song.id, kind)})


@router.post("/songs/{song_id}/ideas/choices")
def forget(store: Store, song: Song, sent: ChoicesAsk) -> Response:
    """Nothing is learned from what was kept and dropped so far, or all of it again."""
    with store.transaction() as session:
        forget_choices(session, song.id, forgotten=sent.forgotten)
    return JsonResponse({"learned": learned_words(store.reader, song.id, sent.kind)})


@router.post("/songs/{song_id}/ideas/log/{idea_id}")
def set_state(store: Store, song: Song, idea_id: RowId, sent: StateAsk) -> Response:
    with store.transaction() as session:
        set_idea_state(session, song, idea_id, sent.state)
    return JsonResponse({"log": log_rows(store.reader, song)})


@router.get("/songs/{song_id}/ideas/log/back")
def bring_back(
    song: Song,
    reader: Reads,
    state: Literal["pinned", "taken", "dropped"] = "dropped",
    idea_id: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
) -> Response:
    """Ideas out of the log as cards again: the ones dropped last, those pinned, or a certain one."""
    rows = logged_ideas(reader, song, state if idea_id is None else None)
    if idea_id is not None:
        rows = [row for row in rows if row.id == idea_id]
    if not rows:
        raise PocketError("There are no such ideas in the log: ask for six more instead.")
    return JsonResponse(_again(song, rows[: MOST_BACK.get(state, 6)]))


def _again(song: LoadedSong, rows: list[IdeaRow]) -> IdeasAnswer:
    scene = idea_context_of(song)
    told: list[IdeaData] = []
    cards = []
    for row in rows:
        doc = json.loads(row.doc)
        changes = tuple(change_from_doc(change) for change in doc["changes"])
        idea = Idea(row.kind, song.pattern, changes, doc["words"], tuple(doc["tags"]), doc["seed"], doc["length_ticks"])
        ticks = [hit.tick for change in changes for hit in (*change.gone, *change.come) if hit.tick]
        pulse = scene.metre.pulse_ticks
        begin = min(ticks, default=0) // pulse * pulse
        end = min((max(ticks, default=pulse) // pulse + 1) * pulse, max(doc["length_ticks"], 1))
        cards.append(render("ideas/_idea_card.html", card=fill_cards([idea], begin, end, step_of(scene))[0], number=0))
        told.append({**idea_doc(idea, begin, end), "key": doc["key"], "id": row.id, "state": row.state})
    of = list(range(len(told)))
    return {"revision": song.revision, "ideas": told, "cards": cards, "of": of, "words": ""}
