"""Mixes as WAV: of a pattern, exactly as long as it is, with the tails wrapped round; of a song, ringing out."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.exchange import FitOptions, PatternOptions, PatternToWrite, SongToWrite
from easy_pocket.core.formats.registry import Choice, Format, Written, register
from easy_pocket.core.sound.headroom import MeasuredMix, fitting


@dataclass(frozen=True)
class PatternWavOptions(FitOptions, PatternOptions):
    """timing: straight is as loud as felt, so that hearing both compares time alone."""


def write_mix(mixed: MeasuredMix, options: FitOptions) -> bytes:
    """Raises WouldClipError when the mix does not fit into so many bits."""
    bits = int(options.bits)
    audio = fitting(mixed, bits, take_off_db=options.take_off_db, as_it_is=options.as_it_is)
    return write_audio(audio, "WAV", bits)


def write(given: PatternToWrite | SongToWrite, options: FitOptions) -> Written:
    """Mix it and write the mix. Raises WouldClipError."""
    return Written(write_mix(given.mix(), options))


register(
    Format(
        "pattern",
        "wav",
        "WAV",
        (".wav",),
        "audio/wav",
        "exact length, tails wrapped round",
        write=write,
        options=PatternWavOptions,
        choices=(
            Choice("as felt, 24 bit", {"timing": "felt", "bits": "24"}),
            Choice("16 bit", {"timing": "felt", "bits": "16"}),
            Choice("straight", {"timing": "straight", "bits": "24"}),
        ),
        label=" {timing}",
        slow=True,
    )
)
register(
    Format(
        "song",
        "wav",
        "WAV",
        (".wav",),
        "audio/wav",
        "with its loops, ringing out",
        write=write,
        options=FitOptions,
        choices=(Choice("24 bit", {"bits": "24"}), Choice("16 bit", {"bits": "16"})),
        label=" song",
        slow=True,
    )
)
