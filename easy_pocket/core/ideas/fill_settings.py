"""What one can ask of a fill; what is left open is chosen anew for every candidate."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.ideas.fill_endings import ENDINGS
from easy_pocket.core.ideas.fill_voices import WAYS
from easy_pocket.core.pattern.timebase import Metre

SUBDIVISIONS = {
    "8": "8ths", "16": "16ths", "triplet": "triplets", "32": "32nd bursts", "mixed": "16ths and triplets",
}  # fmt: skip
MAX_DENSITY = 24.0


@dataclass(frozen=True)
class FillSettings:
    """None leaves a setting open.

    density: hits a beat at the start and at the end of the window, all voices counted, what keeps going too.
    loudness: velocities from the first hit to the last. offbeat: 0 (on the beat) to 1. keep: voices that go on through
    the fill as they are written. playable: by two hands and two feet. ending "hit4" stops on the last beat of the
    window (on the second half of it when it is only a beat long).
    """

    density: tuple[float, float] | None = None
    loudness: tuple[int, int] | None = None
    offbeat: float | None = None
    subdivision: str | None = None
    path: str | None = None
    keep: tuple[str, ...] | None = None
    playable: bool = True
    ending: str | None = None

    def __post_init__(self) -> None:
        for hits in self.density or ():
            require_range("The density", hits, 0.25, MAX_DENSITY, "hits a beat")
        for velocity in self.loudness or ():
            require_range("The loudness", velocity, 1, 127)
        if self.offbeat is not None:
            require_range("The off-beat share", self.offbeat, 0, 1)
        for what, value, known in (
            ("subdivision", self.subdivision, SUBDIVISIONS),
            ("path", self.path, WAYS),
            ("ending", self.ending, ENDINGS),
        ):
            if value is not None and value not in known:
                raise BadValueError(f"There is no {what} '{value[:20]}'; there are {', '.join(known)}.")


def steps_of(subdivision: str, metre: Metre) -> tuple[int, ...]:
    """Ticks of the grids that a subdivision allows, the widest first."""
    narrow = metre.compound or metre.pulse_ticks % 320 != 0  # 8th triplets do not fill such a beat
    return {
        "8": (480,),
        "16": (240,),
        "32": (240, 120),
        "triplet": (160,) if narrow else (320, 160),
        "mixed": (240, 160) if narrow else (240, 320),
    }[subdivision]


def on_subdivision(ticks: list[int], subdivision: str, metre: Metre) -> bool:
    """Whether all of them lie on a grid of the subdivision.

    Parameters
    ----------
    ticks
        Places in ticks.
    subdivision
        Name of the subdivision.
    metre
        Metre of the bars.

    Returns
    -------
    bool
        True when all lie on it.
    """
    return all(any(tick % step == 0 for step in steps_of(subdivision, metre)) for tick in ticks)
