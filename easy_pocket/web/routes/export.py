"""Taking the music away: MIDI and WAV. What is exported is read first, and mixed when nothing is held any more."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from starlette.responses import Response

from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.midi import write_midi
from easy_pocket.web.routes.common import Song, download
from easy_pocket.web.views.mixed import pattern_audio

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
def wav(song: Song, timing: Timing = "felt", bits: Literal["16", "24", "32"] = "24") -> Response:
    audio = pattern_audio(song, timing)
    return download(write_audio(audio, "WAV", int(bits)), song.row.name, f" {timing}.wav", "audio/wav")
