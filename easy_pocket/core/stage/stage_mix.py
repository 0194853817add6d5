"""What a mix on a Stage is made of, and what comes out: sounds by place, the mix with its stems."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.floating]


class Sound(ABC):
    """What stands on a Stage: voices ("part:3:kick") and loops ("loop:5"), each of shape (2, frames) when asked for."""

    places: tuple[str, ...]
    frames: int

    @abstractmethod
    def add(self, where: str, line: Floats) -> None:
        """Add the sound of a place to a line of shape (2, frames)."""

    def line(self, where: str) -> Floats:
        """The sound of a place; silence where there is none."""
        line = np.zeros((2, self.frames), dtype=np.float32)
        self.add(where, line)
        return line

    def to_room(self, _name: str) -> Floats | None:
        """What single hits send to a room, on top of what their voices send."""
        return None


class WarmedUp(Sound):
    """A loop with so many frames of what it played before in front of it, however often it went round for that."""

    def __init__(self, once: Sound, before: int) -> None:
        self.once, self.places, self.before = once, once.places, before
        self.frames = before + once.frames

    def add(self, where: str, line: Floats) -> None:
        line += led_in(self.once.line(where), self.before)

    def to_room(self, name: str) -> Floats | None:
        line = self.once.to_room(name)
        return None if line is None else led_in(line, self.before)


def led_in(line: Floats, before: int) -> Floats:
    """One pass, shape (2, frames), with so many frames of the passes before it in front, shape (2, before + frames)."""
    frames = line.shape[1]
    whole, rest = divmod(before, frames)
    pieces = [line[:, frames - rest :]] if rest else []
    return np.concatenate([*pieces, *[line] * (whole + 1)], axis=1)


@dataclass(frozen=True)
class StageMix:
    """before: the sum before the chain of the whole; whole: after it; audio: under the ceiling; gain: of the ceiling.

    stems: what each place gives to the sum, rooms and echo too; together they are `before`. taken_db: of a loop, what
    compressors take, by their place and number among the units that are on, the most of every 512 frames.
    """

    audio: Floats
    whole: Floats
    before: Floats
    gain: Floats
    stems: Mapping[str, Floats]
    taken_db: Mapping[tuple[str, int], Floats] = field(default_factory=dict)


SILENT = 1e-5  # what is softer than this at the end is not written


def without_silent_end(mix: StageMix, least: int) -> StageMix:
    """The mix up to where nothing rings any more, `least` frames at least."""
    loud = np.abs(mix.audio[:, least:]).max(axis=0)
    for stem in (mix.before, *mix.stems.values()):
        np.maximum(loud, np.abs(stem[:, least:]).max(axis=0), out=loud)
    heard = np.flatnonzero(loud > SILENT)
    return cut_out(mix, 0, least + (int(heard[-1]) + 1 if len(heard) else 0))


def cut_out(mix: StageMix, first: int, end: int) -> StageMix:
    """Some frames of a mix and of its stems.

    Parameters
    ----------
    mix
        A mix with its stems.
    first
        First frame.
    end
        Frame at which it ends, not part of it.

    Returns
    -------
    StageMix
        The same, shorter.
    """
    span = slice(first, end)
    stems = {where: stem[:, span] for where, stem in mix.stems.items()}
    return StageMix(mix.audio[:, span], mix.whole[:, span], mix.before[:, span], mix.gain[span], stems)
