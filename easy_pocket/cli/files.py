"""Files in and out of the command line: bounded when read, whole when written."""

from __future__ import annotations

import io
import os
import sys
import tempfile
from pathlib import Path
from typing import Literal, cast

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.formats.audio_file import read_audio, read_mono
from easy_pocket.core.formats.audio_hints import read_hints
from easy_pocket.core.formats.exchange import PatternToWrite, ReadPattern
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_drums import Channels
from easy_pocket.core.formats.registry import Format, Of, for_file
from easy_pocket.core.listen.loop_analysis import LoopAnalysis, analyze_loop

STANDARD_INPUT = "standard input"
AUDIO_BEGINS = (b"RIFF", b"RF64", b"fLaC", b"OggS", b"FORM", b"ID3", b"\xff")
PATIENT_BYTES = 200_000_000  # a file larger than this is not read into memory


def say(words: str) -> None:
    print(f"easy-pocket: {words}", file=sys.stderr)


def told(words: str, out: str) -> None:
    """Tell what was done; on the error output where the standard output holds the file."""
    print(words, file=sys.stderr if out == "-" else sys.stdout, flush=True)


def file_name(path: str) -> str:
    """What a file is called in messages and names."""
    return STANDARD_INPUT if path == "-" else os.path.basename(path)


def plain_stem(path: str) -> str:
    """Its name without folder and ending, for what is made from it."""
    return "Easy Pocket" if path in ("-", STANDARD_INPUT) else Path(path).stem


def bounded_bytes(path: str, what: str, most: int = PATIENT_BYTES) -> bytes:
    """A file, or of "-" the standard input; raises BadValueError for more than so many bytes."""
    if path == "-":
        data = sys.stdin.buffer.read(most + 1)
        if len(data) > most:
            raise BadValueError(f"What comes in is too large for a {what}.")
        return data
    if os.path.getsize(path) > most:
        raise BadValueError(f"{os.path.basename(path)} is too large for a {what}.")
    return Path(path).read_bytes()


def read_sound(path: str) -> Audio:
    return read_audio(bounded_bytes(path, "loop") if path == "-" else path, file_name(path))


def listen(path: str) -> LoopAnalysis:
    """What is heard in a loop, in the light of what its file says."""
    if path == "-":
        data = bounded_bytes(path, "loop")
        return analyze_loop(read_mono(data, file_name(path)), hints=read_hints(data))
    hints = read_hints(Path(path).read_bytes())
    return analyze_loop(read_mono(path, file_name(path)), hints=hints)


def heard_in_mono(path: str) -> tuple[Audio, LoopAnalysis]:
    """What is heard, then the sound of it once more as one channel: ten minutes are not held while they are heard."""
    if path == "-":
        audio, heard = heard_in(path)
        return Audio(audio.mono()[:, None], audio.rate_hz, audio.name), heard
    heard = listen(path)
    return read_mono(path, file_name(path)), heard


def heard_in(path: str) -> tuple[Audio, LoopAnalysis]:
    """The same with the audio."""
    if path == "-":
        data = bounded_bytes(path, "loop")
        audio = read_audio(data, file_name(path))
    else:
        audio = read_sound(path)
        data = Path(path).read_bytes()
    return audio, analyze_loop(audio, hints=read_hints(data))


def read_beat(path: str, channels: Channels = "drums") -> ReadPattern:
    """Read a beat in the format of the file's ending; any other ending is read as MIDI. song:NAME: of the shelf."""
    if path.startswith("song:"):
        from easy_pocket.cli.song_beat import beat_of_song  # the shelf: a file needs none of it

        return beat_of_song(path)
    as_format = _by_ending("pattern", path, "read", "any.mid")
    data, name = bounded_bytes(path, f"{as_format.title} file"), file_name(path)
    beat: ReadPattern = read_midi(data, name, channels) if as_format.name == "midi" else as_format.content(data, name)
    for remark in beat.remarks:
        say(remark)
    return beat


def write_pattern(given: PatternToWrite, path: str) -> None:
    """Write a beat in the format of the file's ending; any other ending is written as MIDI."""
    as_format = _by_ending("pattern", path, "write", "any.mid")
    written = as_format.written(given)
    for remark in written.remarks:
        say(remark)
    write(path, written.data)


def write_template(template: GrooveTemplate, path: str) -> None:
    """Write a groove in the format of the file's ending; any other ending is written as JSON."""
    write(path, _by_ending("groove", path, "write", "any.json").written(template).data)


def _by_ending(of: Of, path: str, to: Literal["read", "write"], otherwise: str) -> Format:
    try:
        return for_file(of, path, to=to)
    except BadValueError:
        return for_file(of, otherwise, to=to)


def is_groove_file(path: str) -> bool:
    """Whether its ending is that of a groove, not of audio; what comes in from outside is told by how it begins."""
    if path == "-":
        return not _begins().startswith(AUDIO_BEGINS)
    try:
        for_file("groove", path, to="read")
    except BadValueError:
        return False
    return True


def _begins() -> bytes:
    """The first bytes of the standard input, which stay there."""
    return cast(io.BufferedReader, sys.stdin.buffer).peek(4)[:4]


def read_template(path: str) -> GrooveTemplate:
    """Read a groove in the format of the file's ending; otherwise as JSON, standard input as what it is."""
    otherwise = "any.json"
    if path == "-" and not _begins().startswith(b"{"):
        otherwise = "any.mid" if _begins() == b"MThd" else "any.csv"
    as_format = _by_ending("groove", path, "read", otherwise)
    template: GrooveTemplate = as_format.content(bounded_bytes(path, "groove template"), file_name(path))
    return template


def write(path: str, data: bytes) -> None:
    """Write the whole file or none of it. "-" is the standard output; a device or a pipe is written to, never
    replaced; of a link its target is written, and the link stays. Raises BadValueError naming what cannot be
    written."""
    if path == "-":
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
        return
    target = Path(os.path.realpath(path))
    # The output itself, when it goes to a file, is a regular file under another name: it too is written to.
    is_output = path.startswith(("/dev/", "/proc/"))
    try:
        if os.path.isdir(path):
            raise BadValueError(f"{path} is a folder: name a file in it.")
        if os.path.exists(path) and (is_output or not os.path.isfile(path)):
            with open(path, "wb") as out:  # a device, a pipe
                out.write(data)
            return
        handle, temporary = tempfile.mkstemp(dir=target.parent, prefix=".easy-pocket-")
    except OSError as error:
        raise BadValueError(f"{path} cannot be written: {(error.strerror or str(error)).lower()}.") from None
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(data)
        os.chmod(temporary, target.stat().st_mode & 0o777 if target.exists() else 0o644)
        os.replace(temporary, target)
    except OSError as error:
        os.unlink(temporary)
        raise BadValueError(f"{path} cannot be written: {(error.strerror or str(error)).lower()}.") from None
    except BaseException:
        os.unlink(temporary)
        raise
