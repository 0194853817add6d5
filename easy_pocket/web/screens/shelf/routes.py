"""The Shelf: songs, what a new one begins with, the bin."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Path, Query
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import RedirectResponse, Response

from easy_pocket.core.formats.audio_file import claimed_seconds
from easy_pocket.core.formats.midi import TracksAskedError
from easy_pocket.core.formats.midi_drums import Channels, Tracks
from easy_pocket.core.formats.midi_notes import note_choices, unknown_notes, with_notes
from easy_pocket.core.formats.pocket_file import write_song_file
from easy_pocket.core.pattern.timebase import check_tempo, parse_metre
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.home.asked_restore import told
from easy_pocket.jobs.kinds import KINDS
from easy_pocket.jobs.work import analyze_file, read_parts, read_song
from easy_pocket.store.bin import empty_things
from easy_pocket.store.songs.begin import song_from_line
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.edits.pipeline import SentEdit, make_edit
from easy_pocket.store.songs.edits.song import SetName
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.midi_import import song_from_midi
from easy_pocket.store.songs.phrases import find_phrase, lines
from easy_pocket.store.songs.pocket_files import song_contents, song_from_contents
from easy_pocket.store.songs.shelf import delete_song, empty_bin, restore_song
from easy_pocket.store.tokens import tokens
from easy_pocket.web.screens.bench.phrases_view import line_doc
from easy_pocket.web.screens.loops.routes import LONG_S
from easy_pocket.web.screens.shelf.view import answer_cards, shelf_values
from easy_pocket.web.security import MAX_SONG_FILE_BYTES, SONG_FILES
from easy_pocket.web.shared.dependencies import OwnSong, SongId, Store, download
from easy_pocket.web.shared.job_routes import begin, workers
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.playing import playing
from easy_pocket.web.shared.render import page
from easy_pocket.web.shared.uploads import FileName, plain_name, read_upload

router = APIRouter()
Text = Annotated[str, Form(max_length=400)]
Tempo = Annotated[float, Form(ge=-1e9, le=1e9, allow_inf_nan=False)]
AskedTempo = Annotated[float, Query(ge=-1e9, le=1e9, allow_inf_nan=False)]
LineKey = Annotated[str, Path(max_length=80)]
NoteChoices = Annotated[str, Query(max_length=4000)]  # "22:hat_closed,26:hat_open"


@router.get("/")
def show(request: Request, store: Store) -> Response:
    with store.transaction() as session:
        empty_bin(session)
        empty_things(session)
    reader = store.reader
    offered = [line_doc(line) for line in lines(reader)]
    offered.sort(key=lambda line: line["group"] != "break")  # whole beats first
    values = {
        "lines": offered,
        "tokens": tokens(reader),
        **shelf_values(request, reader),
        "told": told(request.app.state.home),
    }
    return page(request, "shelf/shelf.html", values)


def _opened(request: Request, song_id: int, screen: str = "bench") -> Response:
    address = f"/songs/{song_id}/{screen}"
    if request.headers.get("hx-request"):
        return Response(status_code=204, headers={"HX-Redirect": address})
    return RedirectResponse(address, 303)


@router.post("/songs")
def create(request: Request, store: Store, tempo_bpm: Tempo = 100.0, name: Text = "", metre: Text = "4/4") -> Response:
    with store.transaction() as session:
        song = create_song(session, name.strip() or "New song", tempo_bpm=tempo_bpm, metre=parse_metre(metre))
    return _opened(request, song.id)


@router.post("/songs/from-line")
def create_from_line(request: Request, store: Store, line: Text, tempo_bpm: Tempo = 100.0) -> Response:
    with store.transaction() as session:
        song = song_from_line(session, find_phrase(session, line), tempo_bpm)
    return _opened(request, song.id)


@router.get("/shelf/lines/{key}/playing")
def line_playing(store: Store, key: LineKey, tempo_bpm: AskedTempo = 100.0) -> Response:
    """A line as the song sounds that begins with it."""
    with store.transaction() as session:
        trial = session.begin_nested()  # made to be heard only
        song = load_song(session, song_from_line(session, find_phrase(session, key), check_tempo(tempo_bpm)).id).values
        trial.rollback()
    return JsonResponse(playing(song, timings=("felt",)))


@router.post("/songs/from-midi/upload")
async def create_from_midi(
    request: Request,
    store: Store,
    name: FileName,
    notes: NoteChoices = "",
    channels: Channels | None = None,
    tracks: Tracks | None = None,
) -> Response:
    """A song of a MIDI file; what can be meant in two ways is asked first: tracks of a type 2 file, notes of other
    channels, and which notes that are no voice of ours play what."""
    known, data = plain_name(name), await read_upload(request)
    try:
        read = await workers(request).run(read_parts, data, known, False, channels or "drums", tracks)
    except TracksAskedError as asking:
        return JsonResponse({"asked_tracks": str(asking)})
    asked = unknown_notes(read)
    chosen = note_choices(notes)
    others = read.left_out if channels is None else 0
    if others or any(one.note not in chosen for one in asked):
        notes_asked = [{"note": one.note, "count": one.count, "nearest": one.nearest} for one in asked]
        voices = [[role, voice.name] for role, voice in ROLES.items()]
        return JsonResponse({"asked": notes_asked, "others": others, "voices": voices})

    def bring_in() -> Response:
        with store.transaction() as session:
            song = song_from_midi(session, with_notes(read, chosen), known)
        return JsonResponse({"address": f"/songs/{song.id}/bench", "remarks": list(read.remarks)})

    return await run_in_threadpool(bring_in)


@router.post("/songs/from-loop/upload")
async def create_from_loop(request: Request, store: Store, name: FileName) -> Response:
    """A song at the tempo and in the metre of an audio loop, with the loop in it. None is made of what cannot be
    heard."""
    known, data = plain_name(name), await read_upload(request)
    seconds = await run_in_threadpool(claimed_seconds, data)

    asked = {"name": known.rsplit(".", 1)[0].replace("-", " ").strip() or "New song"}
    if seconds is not None and seconds > LONG_S:
        return JsonResponse({"job": await run_in_threadpool(begin, request, "song_of_loop", (data, known), asked)}, 202)
    heard = await workers(request).run(analyze_file, data, known)
    return JsonResponse(await run_in_threadpool(KINDS["song_of_loop"].keep, store, "", heard, asked))


@router.post(SONG_FILES)
async def create_from_song_file(request: Request, store: Store, name: FileName) -> Response:
    """A song that was saved as a file, as a new one."""
    known, data = plain_name(name), await read_upload(request, MAX_SONG_FILE_BYTES)

    contents = await workers(request).run(read_song, data, known)

    def open_it() -> Response:
        with store.transaction() as session:
            song = song_from_contents(session, contents, known)
        return JsonResponse({"address": f"/songs/{song.id}/bench"})

    return await run_in_threadpool(open_it)


@router.get("/songs/{song_id}/song.pocket")
def as_file(store: Store, song_id: SongId, history: bool = False) -> Response:
    """The song with everything it needs, to be opened elsewhere. history: with its steps to undo."""
    with store.transaction() as session:
        contents = song_contents(session, song_id, history=history)
    return download(write_song_file(contents), contents.doc["song"]["name"], ".pocket", "application/zip")


@router.post("/songs/{song_id}/rename")
def rename(request: Request, store: Store, song_id: SongId, name: Text) -> Response:
    make_edit(store, song_id, SentEdit(SetName(kind="name", name=name)))
    return answer_cards(request, store)


@router.post("/songs/{song_id}/duplicate")
def duplicate(request: Request, store: Store, song_id: SongId) -> Response:
    with store.transaction() as session:
        duplicate_song(session, song_id)
    return answer_cards(request, store)


@router.post("/songs/{song_id}/delete", dependencies=[OwnSong])
def delete(request: Request, store: Store, song_id: SongId) -> Response:
    with store.transaction() as session:
        delete_song(session, song_id)
    return answer_cards(request, store)


@router.post("/songs/{song_id}/restore", dependencies=[OwnSong])
def restore(request: Request, store: Store, song_id: SongId) -> Response:
    with store.transaction() as session:
        restore_song(session, song_id)
    return answer_cards(request, store)
