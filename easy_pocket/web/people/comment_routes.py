"""Comments of a song."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.store.people.comments import add_comment, comments_of, tick_comment
from easy_pocket.web.shared.dependencies import RowId, Song, Store, viewer_of
from easy_pocket.web.shared.render import page

router = APIRouter()
Number = Annotated[int, Form(ge=0, le=2**31 - 1)]
Voice = Annotated[str, Form(max_length=30)]
Words = Annotated[str, Form(max_length=4000)]


def _answer(request: Request, store: Store, song: Song) -> Response:
    first_bar, firsts = 1, {}
    for section in song.sections:
        firsts[section.id] = first_bar
        first_bar += section.bars * section.repeats
    viewer = viewer_of(request)
    mine = viewer.person if viewer else 1
    rows = [
        {
            "id": row.id, "words": row.words, "done": row.done, "bar": row.bar, "section": row.section_id,
            "author": "you" if row.person_id == mine else row.author or "somebody",
            "voice": row.voice, "voice_name": voice_name(row.voice).lower() if row.voice else "",
            "song_bar": firsts[row.section_id] + row.bar - 1,
            "section_name": next(one.name for one in song.sections if one.id == row.section_id),
            "part": next((part.id for part in song.parts if row.voice in part.voices), 0),
            "when": row.made_at,
        }
        for row in comments_of(store.reader, song.id)
        if row.section_id in firsts
    ]  # fmt: skip
    voices = sorted({voice for part in song.parts for voice in part.voices})
    values = {"song": song, "comments": rows, "voices": [(one, voice_name(one).lower()) for one in voices]}
    return page(request, "people/_comments.html", values)


@router.get("/songs/{song_id}/comments")
def comments(request: Request, store: Store, song: Song) -> Response:
    return _answer(request, store, song)


@router.post("/songs/{song_id}/comments")
def say(
    request: Request, store: Store, song: Song, section: Number, bar: Number, words: Words, voice: Voice = ""
) -> Response:
    with store.transaction() as session:
        add_comment(session, song.id, section, bar, voice, words)
    return _answer(request, store, song)


@router.post("/songs/{song_id}/comments/{comment_id}")
def tick(
    request: Request, store: Store, song: Song, comment_id: RowId, done: Annotated[bool, Form()] = False
) -> Response:
    with store.transaction() as session:
        tick_comment(session, song.id, comment_id, done)
    return _answer(request, store, song)
