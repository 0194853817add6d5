"""Files in and out of the command line: bounded when read, whole when written."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.formats.midi import MidiBeat, read_midi
from easy_pocket.core.formats.template_file import load_template
from easy_pocket.core.listen.hear import Heard, hear
from easy_pocket.core.template import GrooveTemplate

PATIENT_BYTES = 200_000_000  # a file larger than this is not read into memory


def say(words: str) -> None:
    print(f"easy-pocket: {words}", file=sys.stderr)


def bounded_bytes(path: str, what: str) -> bytes:
    if os.path.getsize(path) > PATIENT_BYTES:
        raise BadValueError(f"{os.path.basename(path)} is too large for a {what}.")
    return Path(path).read_bytes()


def listen(path: str) -> Heard:
    return hear(read_audio(path, os.path.basename(path)))


def read_beat(path: str) -> MidiBeat:
    beat = read_midi(bounded_bytes(path, "MIDI file"), os.path.basename(path))
    for remark in beat.remarks:
        say(remark)
    return beat


def read_template(path: str) -> GrooveTemplate:
    return load_template(bounded_bytes(path, "groove template"), os.path.basename(path))


def write(path: str, data: bytes) -> None:
    """The whole file or none of it."""
    target = Path(path)
    handle, temporary = tempfile.mkstemp(dir=target.parent or ".", prefix=".easy-pocket-")
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
        os.chmod(temporary, 0o644)
        os.replace(temporary, target)
    except BaseException:
        os.unlink(temporary)
        raise
