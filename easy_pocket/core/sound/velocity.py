"""Velocity: the zones a voice is rendered in, and the gain each velocity means."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

# A voice is rendered at this many velocities; hits in between use their zone's audio and a gain of their own.
VELOCITY_ZONES = 8
LOUDNESS_POWER = 1.7  # of velocity: 127 to 64 is about -10 dB


def zone_of(velocity: int) -> int:
    """Number the zone of velocities one is in, the softest 0.

    Parameters
    ----------
    velocity
        0 to 127.

    Examples
    --------
    >>> zone_of(1), zone_of(127) == VELOCITY_ZONES - 1
    (0, True)
    """
    return min(velocity * VELOCITY_ZONES // 128, VELOCITY_ZONES - 1)


def zone_range(zone: int) -> tuple[int, int]:
    """The lowest and highest velocity of a zone."""
    width = 128 // VELOCITY_ZONES
    return max(zone * width, 1), (zone + 1) * width - 1


def zone_velocity(zone: int) -> float:
    """The velocity a zone is rendered at: its middle."""
    return (zone + 0.5) * 128 / VELOCITY_ZONES


HARD_VELOCITY = zone_velocity(VELOCITY_ZONES - 1)  # what the hardest zone is rendered at


def strength_of(velocity: float) -> float:
    """How hard a hit is struck, 0-1."""
    return min(velocity / 127, 1.0)


@dataclass(frozen=True, slots=True)
class Stretch:
    """Velocities that are rendered as one sound."""

    low: int
    high: int

    @property
    def middle(self) -> float:
        """What they are rendered at; of a whole zone, the zone's."""
        return ((self.low if self.low > 1 else 0) + self.high + 1) / 2


def stretches(borders: Iterable[int]) -> tuple[Stretch, ...]:
    """The zones, cut again where a border (the lowest velocity of something) lies inside one."""
    starts = sorted({1, *(zone_range(zone)[0] for zone in range(VELOCITY_ZONES)), *borders})
    lows = [start for start in starts if 1 <= start <= 127]
    return tuple(Stretch(low, high - 1) for low, high in pairwise([*lows, 128]))


@lru_cache(maxsize=128)
def gains(response: float) -> tuple[float, ...]:
    """Tabulate how loud each velocity is.

    Parameters
    ----------
    response
        Of the level to velocity: 0 (none) to 1 (full).

    Returns
    -------
    tuple of float
        128 gains by velocity; that of 0 is not used.

    Examples
    --------
    >>> gains(0.0)[1], gains(1.0)[127]
    (1.0, 1.0)
    >>> gains(1.0)[64] < gains(0.5)[64] < 1
    True
    """
    return (0.0, *((velocity / 127) ** (LOUDNESS_POWER * response) for velocity in range(1, 128)))


ZONE_OF = tuple(zone_of(velocity) for velocity in range(128))
