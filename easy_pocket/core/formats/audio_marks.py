"""What an audio file says of its music: tempo, title, where bars and sections begin, and that it goes round.

A WAV has chunks for it: `cue ` and `LIST adtl` (markers and their labels), `smpl` (the loop), after the "Multimedia
Programming Interface and Data Specifications 1.0" (1991). A FLAC has tags (Vorbis comments).
"""

from __future__ import annotations

import io
import struct
from dataclasses import dataclass

from mutagen.flac import FLAC

MOST_MARKERS = 512
MIDDLE_C = 60


@dataclass(frozen=True)
class Marks:
    """What a file says.

    tempo_bpm: None where it changes. markers: seconds from the start of the file, and what begins there. loops: the
    whole file goes round without a seam.
    """

    title: str
    tempo_bpm: float | None = None
    markers: tuple[tuple[float, str], ...] = ()
    loops: bool = False


def with_marks(data: bytes, kind: str, marks: Marks, frames: int, rate_hz: int) -> bytes:
    """The same file with its marks.

    Parameters
    ----------
    data
        Bytes of a WAV or FLAC file.
    kind
        "WAV" or "FLAC".
    marks
        What is said.
    frames
        Length of the audio.
    rate_hz
        Frames a second.

    Returns
    -------
    bytes
        The bytes of the file; its audio is untouched.
    """
    return _with_tags(data, marks) if kind == "FLAC" else _with_chunks(data, marks, frames, rate_hz)


def _with_tags(data: bytes, marks: Marks) -> bytes:
    file = io.BytesIO(data)
    flac = FLAC(file)  # type: ignore[no-untyped-call]  # the library says nothing of its types
    flac["TITLE"] = marks.title
    if marks.tempo_bpm is not None:
        flac["BPM"] = f"{marks.tempo_bpm:g}"
    file.seek(0)
    flac.save(file, padding=lambda _info: 0)
    return file.getvalue()


def _with_chunks(data: bytes, marks: Marks, frames: int, rate_hz: int) -> bytes:
    places = [(round(seconds * rate_hz), label) for seconds, label in marks.markers]
    places = [(at, label) for at, label in places if 0 <= at < frames][:MOST_MARKERS]
    chunks = b""
    if places:
        points = b"".join(
            struct.pack("<II4sIII", number, at, b"data", 0, 0, at) for number, (at, _) in enumerate(places, 1)
        )
        chunks += _chunk(b"cue ", struct.pack("<I", len(places)) + points)
        labels = b"".join(
            _chunk(b"labl", struct.pack("<I", number) + label.encode("utf-8") + b"\0")
            for number, (_, label) in enumerate(places, 1)
        )
        chunks += _chunk(b"LIST", b"adtl" + labels)
    if marks.loops and frames:
        head = struct.pack("<9I", 0, 0, round(1e9 / rate_hz), MIDDLE_C, 0, 0, 0, 1, 0)
        chunks += _chunk(b"smpl", head + struct.pack("<6I", 0, 0, 0, frames - 1, 0, 0))
    whole = data + b"\0" * (len(data) % 2) + chunks
    return whole[:4] + struct.pack("<I", len(whole) - 8) + whole[8:]


def _chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) % 2)
