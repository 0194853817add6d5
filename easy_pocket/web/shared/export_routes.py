"""Taking the music away: MIDI and WAV. Audio is mixed by a worker."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Query
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.formats.midi import write_midi
from easy_pocket.core.sound.events import audible
from easy_pocket.core.sound.headroom import MOST_OFF_DB
from easy_pocket.jobs.work import Fit, pattern_wav
from easy_pocket.jobs.workers import LONG_S
from easy_pocket.web.shared.dependencies import Song, SongId, download
from easy_pocket.web.shared.job_routes import workers
from easy_pocket.web.shared.selection import At

router = APIRouter()
Timing = Literal["felt", "straight"]


def fit_of(
    bits: Literal["16", "24", "32"] = "24",
    take_off_db: Annotated[float, Query(ge=0, le=MOST_OFF_DB, allow_inf_nan=False)] = 0.0,
    as_it_is: bool = False,
) -> Fit:
    """What an address says of how a mix is made to fit."""
    return Fit(int(bits), take_off_db, as_it_is)


@router.get("/songs/{song_id}/export.mid")
def midi(song: Song, timing: Timing = "felt", file_type: Literal["0", "1"] = "1") -> Response:
    performance = song.performance(straight=timing == "straight")
    written = write_midi(
        performance,
        name=song.name,
        marker=song.section_name,
        loop=True,
        file_type=int(file_type),
        note_map={voice.role: voice.midi_note for voice in song.kit.voices},
        heard=audible(performance.hits.voices, song.mix),
    )
    return download(written.data, song.name, f" {timing}.mid", "audio/midi")


@router.get("/songs/{song_id}/export.wav")
async def wav(
    request: Request, song_id: SongId, at: At, fit: Annotated[Fit, Depends(fit_of)], timing: Timing = "felt"
) -> Response:
    name, data = await workers(request).run(pattern_wav, song_id, at, timing, fit, seconds=LONG_S)
    return download(data, name, f" {timing}.wav", "audio/wav")
