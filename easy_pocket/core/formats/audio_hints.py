"""What an audio file says of its music: `smpl` and `cue ` chunks of a WAV, the tempo in a FLAC's tags."""

from __future__ import annotations

import io
import struct
from typing import Any

import soundfile
from mutagen import MutagenError
from mutagen.flac import FLAC

from easy_pocket.core.listen.file_hints import MOST_BPM, NO_HINTS, FileHints

MOST_CHUNKS, MOST_MARKERS = 1_000, 512
FORWARD = 0


def read_hints(data: bytes) -> FileHints:
    """What the bytes of a file say; what they say wrongly, or what lies outside the audio, is left out."""
    if data[:4] == b"fLaC":
        return _of_tags(data)
    if data[:4] not in (b"RIFF", b"RF64") or data[8:12] != b"WAVE":
        return NO_HINTS
    try:
        about = soundfile.info(io.BytesIO(data))
    except (soundfile.LibsndfileError, RuntimeError):
        return NO_HINTS
    rate_hz, frames = about.samplerate, about.frames
    if rate_hz <= 0:
        return NO_HINTS
    loop, markers = None, set[int]()
    at = 12
    for _ in range(MOST_CHUNKS):
        if at + 8 > len(data):
            break
        name, size = data[at : at + 4], struct.unpack_from("<I", data, at + 4)[0]
        body = data[at + 8 : at + 8 + min(size, 64 + 24 * MOST_MARKERS)]
        if name == b"smpl" and loop is None:
            loop = _loop(body, frames)
        elif name == b"cue ":
            markers |= _markers(body, frames)
        at += 8 + size + size % 2
    loop_s = (loop[0] / rate_hz, loop[1] / rate_hz) if loop else None
    return FileHints(None, loop_s, tuple(one / rate_hz for one in sorted(markers)))


def _loop(body: bytes, frames: int) -> tuple[int, int] | None:
    """First frame and the one after the last of the first loop that goes forward."""
    if len(body) < 36:
        return None
    count = struct.unpack_from("<I", body, 28)[0]
    for number in range(min(count, 16)):
        if len(body) < 36 + 24 * (number + 1):
            break
        _, kind, first, last = struct.unpack_from("<4I", body, 36 + 24 * number)
        if kind == FORWARD and first < last < frames:
            return first, last + 1
    return None


def _markers(body: bytes, frames: int) -> set[int]:
    if len(body) < 4:
        return set()
    count = min(struct.unpack_from("<I", body)[0], MOST_MARKERS, (len(body) - 4) // 24)
    return {at for n in range(count) if (at := struct.unpack_from("<I", body, 4 + 24 * n + 20)[0]) < frames}


def _of_tags(data: bytes) -> FileHints:
    try:
        flac: Any = FLAC(io.BytesIO(data))  # type: ignore[no-untyped-call]  # the library says nothing of its types
        said = str((flac.get("BPM") or flac.get("TEMPO") or [""])[0])
        tempo_bpm = float(said.strip().replace(",", ".")[:12] or 0)
    except (MutagenError, ValueError, OverflowError, struct.error):
        return NO_HINTS
    return FileHints(tempo_bpm) if 20.0 <= tempo_bpm <= MOST_BPM else NO_HINTS
