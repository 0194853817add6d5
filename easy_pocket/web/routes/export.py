"""Taking the music away: MIDI and WAV. Audio is mixed by a worker."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.midi import write_midi
from easy_pocket.jobs.work import pattern_wav
from easy_pocket.jobs.workers import LONG_S
from easy_pocket.web.looking import At
from easy_pocket.web.routes.common import Song, SongId, download
from easy_pocket.web.routes.jobs import workers

router = APIRouter()
Timing = Literal["felt", "straight"]


@router.get("/songs/{song_id}/export.mid")
def midi(song: Song, timing: Timing = "felt", file_type: Literal["0", "1"] = "1") -> Response:
    written = write_midi(
        song.performance(straight=timing == "straight"),
        name=song.row.name,
        marker=song.section.name,
        loop=True,
        file_type=int(file_type),
        note_map={voice.role: voice.midi_note for voice in song.kit.voices},
    )
    return download(written.data, song.row.name, f" {timing}.mid", "audio/midi")


@router.get("/songs/{song_id}/export.wav")
async def wav(
    request: Request, song_id: SongId, at: At, timing: Timing = "felt", bits: Literal["16", "24", "32"] = "24"
) -> Response:
    name, data = await workers(request).run(pattern_wav, song_id, at, timing, int(bits), seconds=LONG_S)
    return download(data, name, f" {timing}.wav", "audio/wav")
