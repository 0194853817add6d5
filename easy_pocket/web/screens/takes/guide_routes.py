"""The guide of a song: brought in from a file."""

from __future__ import annotations

from fastapi import APIRouter
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.listen.guide import guide_beat, guide_picture
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.store.loops.loops import stored
from easy_pocket.store.songs.edits.guide import BringGuide
from easy_pocket.store.songs.guide import Guide
from easy_pocket.store.songs.load import read_song
from easy_pocket.web.shared.dependencies import SongId, Store, edit_from_file
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.json_response import JsonResponse
from easy_pocket.web.shared.selection import At
from easy_pocket.web.shared.song_state import result_state
from easy_pocket.web.shared.uploads import FileName, plain_name, read_upload

router = APIRouter()


@router.post("/songs/{song_id}/guide/upload")
async def bring(request: Request, store: Store, song_id: SongId, at: At, name: FileName) -> Response:
    """A guide from a file; where its bar one is, is found, and can be corrected."""
    known, data = plain_name(name), await read_upload(request)

    def made() -> Response:
        metre = read_song(store.reader, song_id, at).metre
        result = edit_from_file(store, song_id, listened_to(data, known, metre), at)
        return JsonResponse(result_state(result, View(screen="takes"), store.reader))

    return await run_in_threadpool(made)


def listened_to(data: bytes, name: str, metre: Metre) -> BringGuide:
    """A file, read and listened to. Raises AudioRefusedError for one that is no audio, too long or silent."""
    audio = read_audio(data, name)
    beat, kept = guide_beat(audio, metre), stored(audio)
    guide = Guide(
        kept.digest,
        name,
        audio.duration_s,
        start_s=round(min(beat.bar_one_s, audio.duration_s), 4),
        tempo_bpm=round(beat.tempo_bpm or 0.0, 3),
        words=beat.words,
        picture=guide_picture(audio),
        lines_s=beat.lines_s,
    )
    return BringGuide(audio=kept, guide=guide)
