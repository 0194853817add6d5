"""Taking the music away: MIDI and WAV."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.midi import write_midi
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.store.songs import load_song
from easy_pocket.store.under import render_under
from easy_pocket.web.routes.common import database, download
from easy_pocket.web.views.playing import straight_gain

router = APIRouter()
Timing = Literal["felt", "straight"]


@router.get("/songs/{song_id}/export.mid")
def midi(request: Request, song_id: int, timing: Timing = "felt", file_type: Literal["0", "1"] = "1") -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
    section = song.section.name
    written = write_midi(
        song.performance(straight=timing == "straight"),
        name=song.row.name,
        marker=section,
        loop=True,
        file_type=int(file_type),
        note_map={voice.role: voice.midi_note for voice in song.kit.voices},
    )
    return download(written.data, song.row.name, f" {timing}.mid", "audio/midi")


@router.get("/songs/{song_id}/export.wav")
def wav(request: Request, song_id: int, timing: Timing = "felt", bits: Literal["16", "24", "32"] = "24") -> Response:
    with database(request).transaction() as session:
        song = load_song(session, song_id)
        performance = song.performance(straight=timing == "straight")
        louder = straight_gain(song) if timing == "straight" else 1.0
        events = [replace(one, gain=one.gain * louder) for one in play_events(performance, song.kit, song.mix)]
        under = [render_under(session, one, song.performance()) for one in song.under]
        audio = mixdown(events, song.kit, performance.length_ms / 1000, samples=song.samples, under=under)
    return download(write_audio(audio, "WAV", int(bits)), song.row.name, f" {timing}.wav", "audio/wav")
