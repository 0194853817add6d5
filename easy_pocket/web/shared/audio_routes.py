"""Sounds and loops as audio for the player, named by content so that the browser keeps them."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Path
from starlette.responses import Response

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError, NotThereError
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.listen.waveform import as_int16, peaks
from easy_pocket.core.song.clicks import click_sound
from easy_pocket.core.sound.backwards import backwards
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.rooms import impulse_response, settings_of_key
from easy_pocket.core.stage.stage import checked_settings
from easy_pocket.core.stage.unit_fields import ROOM_FIELDS
from easy_pocket.core.text import whole_number
from easy_pocket.store.kits.kits import find_voice
from easy_pocket.store.kits.samples import sample_source
from easy_pocket.store.loops.layered_loop_audio import check_told, layered_loop_audio
from easy_pocket.store.loops.loops import get_loop, load_audio
from easy_pocket.store.made.made import made
from easy_pocket.store.songs.guide import guide_audio, is_guide
from easy_pocket.web.shared.dependencies import RowId, SongId, Store

router = APIRouter()
LASTING = {"Cache-Control": "private, max-age=31536000, immutable"}
GONE = "There is no such sound: its kit was changed; reload the page."
SoundKey = Annotated[str, Path(max_length=120)]
LayerKey = Annotated[str, Path(max_length=40)]


@router.get("/audio/sounds/{key}.wav")
def sound(store: Store, key: SoundKey) -> Response:
    forwards, turned, backs = key.partition("-r")
    back, _, fade = backs.partition("f")
    base, _, number = forwards.rpartition("-")
    voice = find_voice(store.reader, base)
    if voice is None:
        raise NotThereError(GONE)
    stretch, frames, fade_frames = (whole_number(text) for text in (number, back, fade or "0"))
    if stretch is None or stretch > voice.hardest or (turned and (frames is None or fade_frames is None)):
        raise BadValueError("There is no such sound.")
    hardness = stretch

    def rendered() -> bytes:
        audio = voice_audio(voice, hardness, sample_source(store.reader))
        if turned:
            audio = backwards(audio, frames or 0, fade_frames or 0)
        return write_audio(Audio(audio, RATE_HZ), "WAV", 32)

    # Whoever was told of it may have it: what it holds is the same for all.
    name = f"sound/{voice.audio_base}/{hardness}/{frames if turned else ''}/{fade_frames if turned else ''}"
    return Response(made.once(name, rendered), media_type="audio/wav", headers=LASTING)


def _wav(audio: Audio, bits: int, headers: dict[str, str] | None = None) -> Response:
    return Response(write_audio(audio, "WAV", bits), media_type="audio/wav", headers=headers)


@router.get("/audio/rooms/{key}.wav")
def room(key: SoundKey) -> Response:
    """The impulse response of a room, named by its settings."""
    settings = checked_settings(ROOM_FIELDS, settings_of_key(key), "of the room")
    return _wav(Audio(impulse_response(settings).T, RATE_HZ), 32, LASTING)


@router.get("/audio/clicks/{kind}.wav")
def click(kind: Literal["bar", "beat", "between"]) -> Response:
    """One of the three sounds of the click."""
    return _wav(Audio(click_sound(kind), RATE_HZ), 32, LASTING)


@router.get("/audio/layers/{key}.wav")
def under(store: Store, key: LayerKey) -> Response:
    """What a loop plays under the stack in one pass."""
    if is_guide(key):
        return _wav(Audio(guide_audio(store.reader, key), RATE_HZ), 16, LASTING)
    check_told(key)

    def rendered() -> bytes:
        return write_audio(Audio(layered_loop_audio(store.reader, key), RATE_HZ), "WAV", 32)

    return Response(made.once(f"layer/{key}.wav", rendered), media_type="audio/wav", headers=LASTING)


@router.get("/audio/layers/{key}.bin")
def layer_peaks(store: Store, key: LayerKey) -> Response:
    """Its peaks as signed bytes, lowest and highest of each stretch of 1,024 samples."""
    audio = layered_loop_audio(store.reader, key)
    return Response(
        peaks(as_int16(audio.mean(axis=1)), 1024).tobytes(), media_type="application/octet-stream", headers=LASTING
    )


@router.get("/songs/{song_id}/loops/{loop_id}/audio.wav")
def loop_audio(store: Store, song_id: SongId, loop_id: RowId) -> Response:
    row = get_loop(store.reader, song_id, loop_id)
    return _wav(load_audio(store.reader, row.audio_hash, row.name), 16)
