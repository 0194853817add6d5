"""Stems: a file for each voice, part or group, all as long and from one start, with the mix they add up to beside them.

The sum of the stems is "NAME - mix before.wav", the mix before the chain of the whole; "NAME - mix.wav" is the finished
one. Names sort: stems by number, then the mixes.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.formats.archive import write_archive
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.exchange import (
    AudioOptions,
    PatternOptions,
    PatternToWrite,
    SongToWrite,
    SpanOptions,
    StemOptions,
)
from easy_pocket.core.formats.registry import Choice, Format, Of, Written, register
from easy_pocket.core.formats.sound_mixes import choice_of, pre_roll_words
from easy_pocket.core.stage.finish import as_file_audio, at_loudness
from easy_pocket.core.text import plain_line


@dataclass(frozen=True)
class PatternStemOptions(StemOptions, AudioOptions, PatternOptions):
    """Stems of the loop that plays."""


@dataclass(frozen=True)
class SongStemOptions(StemOptions, AudioOptions, SpanOptions):
    """Stems of a song, or of some bars of it."""


def write(given: PatternToWrite | SongToWrite, options: PatternStemOptions | SongStemOptions) -> Written:
    """A zip of the stems and of both mixes; a loudness that is asked for is that of the finished mix alone."""
    files = stem_files(given, options)
    return Written(write_archive(files, packed=False))


def stem_files(given: PatternToWrite | SongToWrite, options: PatternStemOptions | SongStemOptions) -> dict[str, bytes]:
    """The files by their names."""
    made = given.mix(choice_of(options))
    bits, rate_hz = int(options.bits), int(options.rate)
    kind = "FLAC" if options.flac and bits != 32 else "WAV"
    title = plain_line(made.name)

    def as_file(audio: npt.NDArray[np.floating]) -> bytes:
        ready = as_file_audio(audio, made.name, rate_hz=rate_hz, bits=bits, loops=made.loops)
        return write_audio(ready, kind, bits, comment=pre_roll_words(made))

    files = {
        f"{title} - {number:02d} {plain_line(name)}.{kind.lower()}": as_file(line)
        for number, (name, line) in enumerate(made.mix.stems.items(), start=1)
    }
    loud = at_loudness(made.mix.whole, made.ceiling_db, options.loudness or None, loops=made.loops)
    files[f"{title} - mix before.{kind.lower()}"] = as_file(made.mix.before)
    files[f"{title} - mix.{kind.lower()}"] = as_file(loud)
    return files


def _register(of: Of, options: type[PatternStemOptions] | type[SongStemOptions], holds: str) -> None:
    register(
        Format(
            of,
            "stems",
            "stems",
            (".zip",),
            "application/zip",
            holds,
            write=write,
            options=options,
            choices=(
                Choice("by part", {"stems": "part"}),
                Choice("by voice", {"stems": "voice"}),
                Choice("by group", {"stems": "group"}),
                Choice("by voice, dry", {"stems": "voice", "dry": "true"}),
            ),
            label=" stems",
            slow=True,
        )
    )


_register("pattern", PatternStemOptions, "stems of the loop that plays")
_register("song", SongStemOptions, "stems and the mix they add up to")
