"""Songs, for programs: listed, read, made, edited, taken back, exported, and followed as they change."""

from __future__ import annotations

from collections.abc import AsyncIterator
from dataclasses import fields
from typing import Annotated, Any

from fastapi import APIRouter, Header, Path, Query, Request
from pydantic import TypeAdapter, ValidationError
from sqlalchemy import select
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.responses import Response, StreamingResponse

from easy_pocket.core.formats.ledger_json import ledger_doc
from easy_pocket.core.formats.registry import Format, Of, written
from easy_pocket.core.formats.song_midi import ReadPart, ReadSection, ReadSong
from easy_pocket.core.pattern.timebase import parse_metre
from easy_pocket.jobs.work import export
from easy_pocket.store.database import Database, Reader
from easy_pocket.store.history.undo_log import MissingSongError, undo_words
from easy_pocket.store.schema.tables import SongRow
from easy_pocket.store.songs.edits.pipeline import EditResult, SentEdit, SentStep, make_edit, take_steps
from easy_pocket.store.songs.exports import export_file
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.midi_import import song_from_midi
from easy_pocket.store.songs.selection import Selection
from easy_pocket.store.songs.shelf import delete_song
from easy_pocket.store.songs.song_facts import facts_of, song_facts
from easy_pocket.web.api.access import Writes
from easy_pocket.web.api.models import (
    Beat,
    Ledger,
    Made,
    NewSong,
    PartModel,
    PatternModel,
    SentEditModel,
    SongModel,
    SongPage,
    WholeSong,
)
from easy_pocket.web.shared.dependencies import OwnSong, Reads, SongId, Store, download
from easy_pocket.web.shared.job_routes import begin, workers
from easy_pocket.web.shared.song_watch import told_as_events

router = APIRouter(tags=["songs"])
PartId = Annotated[int, Path(ge=1, le=2**31 - 1)]
MOST_STREAMS = 32


@router.get("/songs")
def list_songs(
    reader: Reads, limit: Annotated[int, Query(ge=1, le=200)] = 50, after: Annotated[int, Query(ge=0)] = 0
) -> SongPage:
    """Songs by number, so many at a time."""
    found = [one for one in sorted(song_facts(reader), key=lambda one: one["id"]) if one["id"] > after]
    shown = found[:limit]
    more = f"/api/v1/songs?limit={limit}&after={shown[-1]['id']}" if len(found) > limit else None
    return SongPage(items=[SongModel.model_validate(one) for one in shown], next=more)


@router.post("/songs", status_code=201, dependencies=[Writes])
def make_song(store: Store, sent: NewSong) -> WholeSong:
    """A song of one part that plays beats one after another, a section each."""
    sections, hits, tick = [], [], 0
    for beat in sent.beats:
        metre = parse_metre(beat.metre)
        bars = -(-beat.length_ticks // metre.bar_ticks)
        sections.append(ReadSection(beat.name or "Verse", bars, beat.tempo_bpm, metre))
        hits += [
            one.model_copy(update={"tick": one.tick + tick}).hit for one in beat.hits if one.tick < beat.length_ticks
        ]
        tick += bars * metre.bar_ticks
    read = ReadSong((ReadPart("Drums", tuple(hits)),), tuple(sections))
    with store.transaction() as session:
        number = song_from_midi(session, read, sent.name, kit_key=sent.kit).id
    return whole_song(store.reader, number)


@router.get("/songs/{song_id}")
def one_song(
    reader: Reads, response: Response, song_id: SongId, if_none_match: Annotated[str | None, Header()] = None
) -> WholeSong:
    """A song with its parts and patterns. Its ETag changes with each edit."""
    row = reader.scalar(select(SongRow).where(SongRow.id == song_id, SongRow.deleted_at.is_(None)))
    if row is None:
        raise MissingSongError(f"There is no song {song_id} on the shelf.")
    tag = f'"{row.id}-{row.revision}"'
    if if_none_match and tag in if_none_match:
        raise HTTPException(304, headers={"ETag": tag})
    response.headers["ETag"] = tag
    return whole_song(reader, song_id)


@router.delete("/songs/{song_id}", status_code=204, dependencies=[Writes, OwnSong])
def bin_song(store: Store, song_id: SongId) -> None:
    """Into the bin, where it can be brought back for 30 days."""
    with store.transaction() as session:
        delete_song(session, song_id)


def whole_song(reader: Reader, song_id: int) -> WholeSong:
    song = read_song(reader, song_id)
    undo, redo = undo_words(reader, song_id)
    return WholeSong(
        **facts_of(reader, song_id), revision=song.revision, undo=undo, redo=redo,
        tracks=[
            PartModel(
                id=part.id, name=part.name, kit=part.kit_key, voices=list(part.voices),
                patterns=[
                    PatternModel(id=one.id, name=one.name, length_ticks=one.length_ticks) for one in part.patterns
                ],
            )
            for part in song.parts
        ],
    )  # fmt: skip


def _looked_at(reader: Reader, song_id: int, part: int, pattern: int) -> LoadedSong:
    """The song with that pattern selected; raises HTTPException 404 where it has none."""
    song = read_song(reader, song_id, Selection(part, pattern, 0))
    if song.part.id != part or song.pattern_id != pattern:
        raise HTTPException(404, f"The song has no part {part} with a pattern {pattern}.")
    return song


@router.get("/songs/{song_id}/parts/{part}/patterns/{pattern}")
def hits(reader: Reads, song_id: SongId, part: PartId, pattern: PartId) -> Beat:
    """The hits of a pattern as they are written."""
    song = _looked_at(reader, song_id, part, pattern)
    return Beat.of(song.pattern, song.tempo_bpm)


@router.get("/songs/{song_id}/parts/{part}/patterns/{pattern}/played")
def played(reader: Reads, song_id: SongId, part: PartId, pattern: PartId, straight: bool = False) -> Ledger:
    """Its hits as they are played, with what moved each."""
    song = _looked_at(reader, song_id, part, pattern)
    return Ledger.model_validate(ledger_doc(song.performance(straight=straight)))


def _made(result: EditResult) -> Made:
    return Made(
        revision=result.song.revision, words=result.words, undo=result.undo, redo=result.redo,
        made=result.changed.made or result.changed.added, repeated=result.repeated,
    )  # fmt: skip


@router.post("/songs/{song_id}/edits", dependencies=[Writes])
def edit(store: Store, song_id: SongId, sent: SentEditModel) -> Made:
    """One change, as the page makes it; `kind` names it."""
    made = SentEdit(sent.edit, sent.revision, sent.looking_at.selection, sent.edit_id or "")
    return _made(make_edit(store, song_id, made))


@router.post("/songs/{song_id}/undo", dependencies=[Writes])
def undo(store: Store, song_id: SongId) -> Made:
    """Take the last edit back."""
    return _step(store, song_id, "undo")


@router.post("/songs/{song_id}/redo", dependencies=[Writes])
def redo(store: Store, song_id: SongId) -> Made:
    """Make what was taken back again."""
    return _step(store, song_id, "redo")


def _step(store: Database, song_id: int, direction: str) -> Made:
    return _made(take_steps(store, song_id, SentStep(direction)))


@router.get("/songs/{song_id}/events")
async def events(request: Request, store: Store, song_id: SongId) -> Response:
    """Server-sent events: `changed` with the revision and the words of the newest edit each time the song changes."""
    streams: set[object] = request.app.state.streams
    await run_in_threadpool(read_song, store.reader, song_id)
    if len(streams) >= MOST_STREAMS:
        raise HTTPException(503, f"{MOST_STREAMS} programs follow songs already: close one of them.")
    key = object()
    streams.add(key)

    async def told() -> AsyncIterator[str]:
        try:
            async for piece in told_as_events(request, request.app.state.watch, song_id, "revision", "words"):
                yield piece
        finally:
            streams.discard(key)

    return StreamingResponse(told(), media_type="text/event-stream")


OF: tuple[Of, ...] = ("song", "pattern")


def _format(of: Of, name: str) -> Format:
    for one in written(of):
        if one.name == name:
            return one
    raise HTTPException(404, f"A {of} is written as {', '.join(one.name for one in written(of))}; not as {name[:20]}.")


OWN_FIELDS = ("part", "pattern", "job")  # of the address itself


def _options(one: Format, asked: dict[str, str]) -> Any:
    known = [field.name for field in fields(one.options)]
    unknown = [name for name in asked if name not in known]
    if unknown:
        words = f"it has {', '.join(known)}" if known else "it has none"
        raise HTTPException(422, f"{one.title} has no option {unknown[0][:30]}; {words}.")
    try:
        return TypeAdapter(one.options).validate_strings(asked)
    except ValidationError as error:
        first = error.errors()[0]
        raise HTTPException(422, f"{'.'.join(map(str, first['loc']))}: {first['msg']}.") from None


@router.get("/songs/{song_id}/export/{of}/{name}", response_class=Response)
async def take_away(
    request: Request,
    reader: Reads,
    song_id: SongId,
    of: Annotated[str, Path(pattern="^(song|pattern|kit)$")],
    name: Annotated[str, Path(max_length=20)],
    part: int = 0,
    pattern: int = 0,
    job: bool = False,
) -> Response:
    """A file: the song, a pattern or a part's kit in any format of the page, with any of its options by their names
    (`bits=16`, `by=voice`, `timing=straight`). With job=true what takes long is followed as a job."""
    kind: Of = "song" if of == "song" else "kit" if of == "kit" else "pattern"
    one, at = _format(kind, name), Selection(part, pattern, 0)
    options = _options(one, {key: value for key, value in request.query_params.items() if key not in OWN_FIELDS})
    if one.slow and job:
        asked = {"label": one.file_label(options), "media_type": one.media_type}
        work = (song_id, at, kind, name, options)
        key = await run_in_threadpool(begin, request, "export", work, asked)
        return Response(f'{{"id": "{key}", "share": 0, "words": "waiting"}}', 202, media_type="application/json")
    if one.slow:
        title, data = await workers(request).run(export, song_id, at, kind, name, options, seconds=300.0)
    else:
        title, data = await run_in_threadpool(export_file, reader, song_id, at, one, options)
    return download(data, title, one.file_label(options), one.media_type)
