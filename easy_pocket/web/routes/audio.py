"""Sounds and loops as audio for the player, named by content so that the browser keeps them."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.listen.picture import as_int16, peaks
from easy_pocket.core.sound.backwards import backwards
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.core.sound.models import RATE_HZ
from easy_pocket.store.kits import find_voice
from easy_pocket.store.loops import get_loop, load_audio
from easy_pocket.store.samples import sample_source
from easy_pocket.store.under import play_under
from easy_pocket.web.routes.common import database

router = APIRouter()
LASTING = {"Cache-Control": "private, max-age=31536000, immutable"}


@router.get("/audio/sounds/{key}.wav")
def sound(request: Request, key: str) -> Response:
    forwards, turned, backs = key.partition("-r")
    back, _, fade = backs.partition("f")
    base, _, number = forwards.rpartition("-")
    with database(request).transaction() as session:
        voice = find_voice(session, base)
        if voice is None:
            raise BadValueError("There is no such sound: its kit was changed; reload the page.")
        if not number.isdecimal() or int(number[:4]) > voice.hardest:
            raise BadValueError("There is no such sound.")
        if turned and not ((back + fade).isdecimal() and back and max(len(back), len(fade)) < 9):
            raise BadValueError("There is no such sound.")
        audio = voice_audio(voice, int(number), sample_source(session))
    if turned:
        audio = backwards(audio, int(back), int(fade or 0))
    data = write_audio(Audio(audio, RATE_HZ), "WAV", 32)
    return Response(data, media_type="audio/wav", headers=LASTING)


@router.get("/audio/under/{key}.wav")
def under(request: Request, key: Annotated[str, Path(max_length=40)]) -> Response:
    """What a loop plays under the stack in one pass."""
    with database(request).transaction() as session:
        audio = play_under(session, key)
    return Response(write_audio(Audio(audio, RATE_HZ), "WAV", 32), media_type="audio/wav", headers=LASTING)


@router.get("/audio/under/{key}.bin")
def under_peaks(request: Request, key: Annotated[str, Path(max_length=40)]) -> Response:
    """Its peaks as signed bytes, lowest and highest of each stretch of 1,024 samples."""
    with database(request).transaction() as session:
        audio = play_under(session, key)
    return Response(
        peaks(as_int16(audio.mean(axis=1)), 1024).tobytes(), media_type="application/octet-stream", headers=LASTING
    )


@router.get("/songs/{song_id}/loops/{loop_id}/audio.wav")
def loop_audio(request: Request, song_id: int, loop_id: int) -> Response:
    with database(request).transaction() as session:
        row = get_loop(session, song_id, loop_id)
        audio = load_audio(session, row.audio_hash, row.name)
    return Response(write_audio(audio, "WAV", 16), media_type="audio/wav")
