"""Velocity: the zones a voice is rendered in, and the gain each velocity means."""

from __future__ import annotations

from functools import lru_cache

# A voice is rendered at this many velocities; hits in between use their zone's audio and a gain of their own.
VELOCITY_ZONES = 8
LOUDNESS_POWER = 1.7  # of velocity: 127 to 64 is about -10 dB


def zone_of(velocity: int) -> int:
    return min(velocity * VELOCITY_ZONES // 128, VELOCITY_ZONES - 1)


def zone_range(zone: int) -> tuple[int, int]:
    """The lowest and highest velocity of a zone."""
    width = 128 // VELOCITY_ZONES
    return max(zone * width, 1), (zone + 1) * width - 1


def zone_velocity(zone: int) -> float:
    """The velocity a zone is rendered at: its middle."""
    return (zone + 0.5) * 128 / VELOCITY_ZONES


def zone_strength(zone: int) -> float:
    """How hard a hit of this zone is struck, 0-1."""
    return min(zone_velocity(zone) / 127, 1.0)


@lru_cache(maxsize=128)
def gains(response: float) -> tuple[float, ...]:
    """Gain by velocity 0-127 (0 is not used) for a level response of 0 (none) to 1 (full)."""
    return (0.0, *((velocity / 127) ** (LOUDNESS_POWER * response) for velocity in range(1, 128)))


ZONE_OF = tuple(zone_of(velocity) for velocity in range(128))
