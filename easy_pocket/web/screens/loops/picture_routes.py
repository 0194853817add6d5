"""A loop as it is drawn: peaks of the whole, samples and spectrum of what is looked at."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from starlette.responses import Response

from easy_pocket.core.listen.waveform import MOST_COLUMNS, PEAKS_EVERY, peaks, spectrum
from easy_pocket.store.loops.loops import get_loop
from easy_pocket.store.loops.waveform_cache import drawn_sound
from easy_pocket.web.shared.dependencies import RowId, SongId, Store

router = APIRouter()
MOST_SAMPLES = 600_000
Frame = Annotated[int, Query(ge=0, le=2**31)]


def _bytes(data: bytes) -> Response:
    return Response(data, media_type="application/octet-stream", headers={"Cache-Control": "private, max-age=3600"})


@router.get("/songs/{song_id}/loops/{loop_id}/peaks.bin")
def peaks_bin(store: Store, song_id: SongId, loop_id: RowId) -> Response:
    """Pairs of signed bytes, lowest and highest of every 256 samples."""
    mono, _ = drawn_sound(store.reader, get_loop(store.reader, song_id, loop_id))
    return _bytes(peaks(mono, PEAKS_EVERY).tobytes())


@router.get("/songs/{song_id}/loops/{loop_id}/samples.bin")
def samples_bin(
    store: Store,
    song_id: SongId,
    loop_id: RowId,
    start: Frame,
    count: Annotated[int, Query(ge=1, le=MOST_SAMPLES)],
) -> Response:
    """Signed 16 bit samples, low byte first; fewer at the end of the loop."""
    mono, _ = drawn_sound(store.reader, get_loop(store.reader, song_id, loop_id))
    return _bytes(mono[start : start + count].astype("<i2").tobytes())


@router.get("/songs/{song_id}/loops/{loop_id}/spectrum.bin")
def spectrum_bin(
    store: Store,
    song_id: SongId,
    loop_id: RowId,
    start: Frame,
    count: Annotated[int, Query(ge=1, le=2**31)],
    columns: Annotated[int, Query(ge=1, le=MOST_COLUMNS)],
) -> Response:
    """A byte for each band and column, the lowest band first."""
    mono, rate_hz = drawn_sound(store.reader, get_loop(store.reader, song_id, loop_id))
    return _bytes(spectrum(mono, rate_hz, start, count, columns).tobytes())
