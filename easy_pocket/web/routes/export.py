"""Taking the music away: MIDI and WAV."""

from __future__ import annotations

import re
from typing import Literal

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.midi import write_midi
from easy_pocket.core.perform import Performance, perform
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.store.songs import LoadedSong, load_song
from easy_pocket.web.routes.common import database

router = APIRouter()
Timing = Literal["felt", "straight"]


def _performance(song: LoadedSong, timing: Timing) -> Performance:
    return perform(song.pattern, song.feel, tempo_bpm=song.row.tempo_bpm, straight=timing == "straight")


def _download(data: bytes, song: LoadedSong, ending: str, media_type: str) -> Response:
    plain = re.sub(r"[^A-Za-z0-9 _-]+", "", song.row.name).strip() or "song"
    headers = {"Content-Disposition": f'attachment; filename="{plain}{ending}"'}
    return Response(data, media_type=media_type, headers=headers)


@router.get("/songs/{song_id}/export.mid")
def midi(request: Request, song_id: int, timing: Timing = "felt", file_type: Literal["0", "1"] = "1") -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
    section = song.sections[0].name
    written = write_midi(
        _performance(song, timing), name=song.row.name, marker=section, loop=True, file_type=int(file_type)
    )
    return _download(written.data, song, f" {timing}.mid", "audio/midi")


@router.get("/songs/{song_id}/export.wav")
def wav(request: Request, song_id: int, timing: Timing = "felt", bits: Literal["16", "24", "32"] = "24") -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
    performance = _performance(song, timing)
    audio = mixdown(play_events(performance, song.kit, song.mix), song.kit, performance.length_ms / 1000)
    return _download(write_audio(audio, "WAV", int(bits)), song, f" {timing}.wav", "audio/wav")
