"""Mixes as WAV and FLAC: of the loop that plays, its tails wrapped round; of a song, ringing out, or some bars."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.audio_marks import Marks, with_marks
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
from easy_pocket.core.pattern.timebase import ms_per_tick
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


def finished(given: MixToWrite, options: AudioOptions, kind: Kind, marks: Marks | None = None) -> bytes:
    """The mix under its ceiling, as loud, at the rate and with the bits that are asked for.

    Parameters
    ----------
    given
        The mix, and the Stage it was mixed on.
    options
        Rate, bits, loudness, and whether it goes round.
    kind
        "WAV" or "FLAC".
    marks
        What the file says of its music, None for nothing.

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
    data = write_audio(made, kind, bits, comment=pre_roll_words(given))
    return with_marks(data, kind, marks, len(made.samples), made.rate_hz) if marks else data


def marks_of(source: PatternToWrite | SongToWrite, made: MixToWrite, options: object) -> Marks:
    """What a file of this says: bars of a loop, sections of a song."""
    if isinstance(source, PatternToWrite):
        played = source.performance
        bar_ms = played.metre.bar_ticks * ms_per_tick(played.tempo_bpm)
        bars = int(played.length_ms / bar_ms + 0.999)
        starts = tuple((made.pre_roll_s + bar * bar_ms / 1000, f"bar {bar + 1}") for bar in range(bars))
        return Marks(source.name, played.tempo_bpm, starts, made.loops)
    song, choice = source.played.song, choice_of(options)
    first_ms = song.bar_starts_ms[choice.from_bar] if choice.bars else 0.0
    last_ms = song.bar_starts_ms[min(choice.from_bar + choice.bars, song.bars)] if choice.bars else song.length_ms
    spans = [one for one in song.spans if first_ms - 0.5 <= one.start_ms < last_ms - 0.5]
    tempi = {one.tempo_bpm for one in song.spans if one.start_ms < last_ms and one.start_ms + one.length_ms > first_ms}
    starts = tuple((made.pre_roll_s + (one.start_ms - first_ms) / 1000, one.section.name) for one in spans)
    return Marks(source.name, tempi.pop() if len(tempi) == 1 else None, starts, made.loops)


def _written(given: PatternToWrite | SongToWrite, options: AudioOptions, kind: Kind) -> Written:
    made = given.mix(choice_of(options))
    return Written(finished(made, options, kind, marks_of(given, made, options)))


def pre_roll_words(given: MixToWrite) -> str:
    """What a file says of where its first beat is."""
    return f"A bar of pre-roll: the first beat is at {given.pre_roll_s:.3f} s." if given.pre_roll_s else ""


def write_wav(given: PatternToWrite | SongToWrite, options: AudioOptions) -> Written:
    """Mix it and write the mix."""
    return _written(given, options, "WAV")


def write_flac(given: PatternToWrite | SongToWrite, options: AudioOptions) -> Written:
    """Mix it and write the mix."""
    return _written(given, options, "FLAC")


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
