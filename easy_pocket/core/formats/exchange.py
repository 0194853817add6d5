"""What formats are given to write and give back when they read, and what can be chosen when they write."""

# No postponed annotations here: the options' types are read to make the addresses and the command line.
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from typing import Annotated, Literal

from annotated_types import Ge, Le

from easy_pocket.core.errors import PocketError
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.strokes import Strokes
from easy_pocket.core.pattern.pattern import HitArrays, Pattern
from easy_pocket.core.song.perform_song import SongPerformance
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.sound import SampleSource, no_samples
from easy_pocket.core.stage.stage import Stage
from easy_pocket.core.stage.stage_mix import StageMix

Timing = Literal["felt", "straight"]


@dataclass(frozen=True)
class MixToWrite:
    """A mix with its stems by the names of their files.

    loops: it is one pass of a loop, its tails wrapped round. pre_roll_s: what comes before the first beat.
    """

    name: str
    mix: StageMix
    ceiling_db: float
    loops: bool
    pre_roll_s: float = 0.0


@dataclass(frozen=True)
class MixChoice:
    """What of the music, and split into what: "" not at all, else "voice", "part" or "group".

    only: "part" the selected part alone. dry: without chains and rooms. rooms_apart: rooms and echo as stems.
    from_bar, bars: of the song, 0 for all. guide: with the guide that lies under it.
    """

    stems: str = ""
    only: str = "all"
    dry: bool = False
    rooms_apart: bool = False
    from_bar: int = 0
    bars: int = 0
    guide: bool = False


MakeMix = Callable[[MixChoice], MixToWrite]


def no_mix(_choice: MixChoice) -> MixToWrite:
    """For what is written without being heard."""
    raise PocketError("No mix can be made of this: choose MIDI.")


@dataclass(frozen=True)
class PartLine:
    """What a part plays beside the pattern that is written, over its length; heard: its voices that sound."""

    name: str
    hits: HitArrays
    struck: Strokes
    note_map: Mapping[str, int]
    heard: Collection[str]


@dataclass(frozen=True)
class PatternToWrite:
    """A pattern as it is played.

    section: of the song, for a marker. note_map: MIDI notes by voice, where they are not the usual ones. heard: the
    voices that are written (None: all). loop: early hits wrap to the end. mix: as audio. part: what its part is called;
    others: the other parts that play with it.
    """

    performance: Performance
    name: str
    section: str | None = None
    note_map: Mapping[str, int] | None = None
    heard: Collection[str] | None = None
    loop: bool = False
    mix: MakeMix = no_mix
    part: str = "Drums"
    others: tuple[PartLine, ...] = ()


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
    """A whole song as it is played.

    note_maps: MIDI notes by voice, by part. mix: as audio, with the loops in it. early: whether something sounds before
    the first beat; None: as the hits say. stage: where its sounds stand.
    """

    played: SongPerformance
    name: str
    note_maps: Mapping[int, Mapping[str, int]]
    mix: MakeMix = no_mix
    early: bool | None = None
    stage: Stage = field(default_factory=Stage)


@dataclass(frozen=True)
class KitToWrite:
    """A kit, and where the audio of its sampled sounds comes from. tempo_bpm: of echoes that are printed."""

    kit: Kit
    samples: SampleSource = no_samples
    tempo_bpm: float = 120.0


@dataclass(frozen=True)
class PatternOptions:
    """timing: as felt, or every hit on its written slot."""

    timing: Timing = field(default="felt", metadata={"help": "as felt (default), or every hit where it is written"})


@dataclass(frozen=True)
class SongOptions(PatternOptions):
    """Of a whole song."""


@dataclass(frozen=True)
class AudioOptions:
    """What a file of sound is like. loudness: in LUFS; 0 leaves it as it is."""

    bits: Literal["16", "24", "32"] = field(default="24", metadata={"help": "of a sample (default 24)"})
    rate: Literal["44100", "48000", "88200", "96000"] = field(
        default="44100", metadata={"help": "samples a second (default 44100)"}
    )
    loudness: Annotated[float, Ge(-40), Le(0)] = field(
        default=0.0, metadata={"metavar": "LUFS", "help": "make it so loud, its ceiling kept (default: as it is)"}
    )


@dataclass(frozen=True)
class SpanOptions:
    """Which bars of a song; 0 for all of them."""

    from_bar: Annotated[int, Ge(0), Le(4096)] = field(default=0, metadata={"help": "first bar (default: all)"})
    bars: Annotated[int, Ge(0), Le(4096)] = field(default=0, metadata={"help": "how many bars from there"})


@dataclass(frozen=True)
class StemOptions:
    """How a mix is split. only the sum of stems is the mix before the chain of the whole."""

    stems: Literal["voice", "part", "group"] = field(
        default="part", metadata={"option": "by", "help": "a file for each voice, part or group (default part)"}
    )
    dry: bool = field(default=False, metadata={"help": "without chains and rooms"})
    rooms: Literal["inside", "apart"] = field(
        default="apart", metadata={"help": "rooms and echo in each stem, or as stems of their own (default)"}
    )
    flac: bool = field(default=False, metadata={"option": "flac-stems", "help": "stems as FLAC instead of WAV"})
