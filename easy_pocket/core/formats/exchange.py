"""What formats are given to write and give back when they read, and what can be chosen when they write."""

# No postponed annotations here: the options' types are read to make the addresses and the command line.
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from typing import Annotated, Literal

from annotated_types import Ge, Le

from easy_pocket.core.errors import PocketError
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.song.perform_song import SongPerformance
from easy_pocket.core.sound.headroom import MOST_OFF_DB, MeasuredMix
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.sound import SampleSource, no_samples

Timing = Literal["felt", "straight"]


def no_mix() -> MeasuredMix:
    """For what is written without being heard."""
    raise PocketError("No mix can be made of this: choose MIDI.")


@dataclass(frozen=True)
class PatternToWrite:
    """A pattern as it is played.

    section: of the song, for a marker. note_map: MIDI notes by voice, where they are not the usual ones. heard: the
    voices that are written (None: all). loop: early hits wrap to the end. mix: as audio.
    """

    performance: Performance
    name: str
    section: str | None = None
    note_map: Mapping[str, int] | None = None
    heard: Collection[str] | None = None
    loop: bool = False
    mix: Callable[[], MeasuredMix] = no_mix


@dataclass(frozen=True)
class ReadPattern:
    """What a file of a pattern holds.

    Its hits (what is off the grid keeps its place as own offsets), its tempo, and in words what could not be taken.
    """

    pattern: Pattern
    tempo_bpm: float
    remarks: tuple[str, ...] = ()


@dataclass(frozen=True)
class SongToWrite:
    """A whole song as it is played. note_maps: MIDI notes by voice, by part. mix: as audio, with the loops in it."""

    played: SongPerformance
    name: str
    note_maps: Mapping[int, Mapping[str, int]]
    mix: Callable[[], MeasuredMix] = no_mix


@dataclass(frozen=True)
class KitToWrite:
    """A kit, and where the audio of its sampled sounds comes from."""

    kit: Kit
    samples: SampleSource = no_samples


@dataclass(frozen=True)
class PatternOptions:
    """timing: as felt, or every hit on its written slot."""

    timing: Timing = field(default="felt", metadata={"help": "as felt (default), or every hit where it is written"})


@dataclass(frozen=True)
class SongOptions(PatternOptions):
    """Of a whole song."""


@dataclass(frozen=True)
class FitOptions:
    """How a mix is made to fit into its file: see `fitting`."""

    bits: Literal["16", "24", "32"] = field(default="24", metadata={"help": "of a sample (default 24)"})
    take_off_db: Annotated[float, Ge(0), Le(MOST_OFF_DB)] = field(
        default=0.0, metadata={"option": "take-off", "metavar": "DB", "help": "make the mix so much softer"}
    )
    as_it_is: bool = field(
        default=False, metadata={"option": "clip", "help": "write a mix that is too loud as it is, cut off"}
    )
