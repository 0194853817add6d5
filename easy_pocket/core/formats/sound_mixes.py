"""Mixes as WAV and FLAC: of the loop that plays, its tails wrapped round; of a song, ringing out, or some bars."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.exchange import (
    AudioOptions,
    MixChoice,
    MixToWrite,
    PatternOptions,
    PatternToWrite,
    SongToWrite,
    SpanOptions,
)
from easy_pocket.core.formats.registry import Choice, Format, Written, register
from easy_pocket.core.stage.finish import as_file_audio, at_loudness

Kind = Literal["WAV", "FLAC"]


@dataclass(frozen=True)
class PatternAudioOptions(AudioOptions, PatternOptions):
    """timing: straight is as loud as felt. only: all that plays, or the selected part alone."""

    only: Literal["all", "part"] = "all"


@dataclass(frozen=True)
class SongAudioOptions(AudioOptions, SpanOptions):
    """Of a whole song, or of some bars of it. guide: left out, or in it."""

    guide: Literal["out", "in"] = field(default="out", metadata={"help": "the guide: out (default) or in"})


def choice_of(options: object) -> MixChoice:
    """What of the music options ask for."""
    return MixChoice(
        stems=getattr(options, "stems", ""),
        only=getattr(options, "only", "all"),
        dry=getattr(options, "dry", False),
        rooms_apart=getattr(options, "rooms", "apart") == "apart",
        from_bar=getattr(options, "from_bar", 0),
        bars=getattr(options, "bars", 0),
        guide=getattr(options, "guide", "out") == "in",
    )


def finished(given: MixToWrite, options: AudioOptions, kind: Kind) -> bytes:
    """The mix under its ceiling, as loud, at the rate and with the bits that are asked for.

    Parameters
    ----------
    given
        The mix, and the Stage it was mixed on.
    options
        Rate, bits, loudness, and whether it goes round.
    kind
        "WAV" or "FLAC".

    Returns
    -------
    bytes
        The bytes of the file.
    """
    bits = int(options.bits)
    if kind == "FLAC" and bits == 32:
        raise BadValueError("FLAC holds 16 or 24 bits; 32 need WAV: choose one of them.")
    audio = given.mix.audio
    if options.loudness:
        audio = at_loudness(given.mix.whole, given.ceiling_db, options.loudness, loops=given.loops)
    made = as_file_audio(audio, given.name, rate_hz=int(options.rate), bits=bits, loops=given.loops)
    return write_audio(made, kind, bits, comment=pre_roll_words(given))


def pre_roll_words(given: MixToWrite) -> str:
    """What a file says of where its first beat is."""
    return f"A bar of pre-roll: the first beat is at {given.pre_roll_s:.3f} s." if given.pre_roll_s else ""


def write_wav(given: PatternToWrite | SongToWrite, options: AudioOptions) -> Written:
    """Mix it and write the mix."""
    return Written(finished(given.mix(choice_of(options)), options, "WAV"))


def write_flac(given: PatternToWrite | SongToWrite, options: AudioOptions) -> Written:
    """Mix it and write the mix."""
    return Written(finished(given.mix(choice_of(options)), options, "FLAC"))


for _name, _title, _write in (("wav", "WAV", write_wav), ("flac", "FLAC", write_flac)):
    register(
        Format(
            "pattern",
            _name,
            _title,
            (f".{_name}",),
            f"audio/{_name}",
            "the loop that plays, tails wrapped round",
            write=_write,
            options=PatternAudioOptions,
            choices=(
                Choice("as felt, 24 bit", {"timing": "felt", "bits": "24"}),
                Choice("16 bit", {"timing": "felt", "bits": "16"}),
                Choice("this part alone", {"timing": "felt", "bits": "24", "only": "part"}),
                *((Choice("straight", {"timing": "straight", "bits": "24"}),) if _name == "wav" else ()),
            ),
            label=" {timing}",
            slow=True,
        )
    )
    register(
        Format(
            "song",
            _name,
            _title,
            (f".{_name}",),
            f"audio/{_name}",
            "with its loops, ringing out",
            write=_write,
            options=SongAudioOptions,
            choices=(
                Choice("24 bit", {"bits": "24"}),
                Choice("16 bit", {"bits": "16"}),
                Choice("48 kHz", {"bits": "24", "rate": "48000"}),
                Choice("−14 LUFS", {"bits": "24", "loudness": "-14"}),
            ),
            label=" song",
            slow=True,
        )
    )
