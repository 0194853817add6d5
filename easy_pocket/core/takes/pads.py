"""Pads: which voices lie under the hands, and how hard each row of keys strikes."""

from __future__ import annotations

from collections.abc import Iterable

COLUMNS = 10
ROW_VELOCITIES = (112, 84, 46)  # hard, middle, soft
# In the order in which they come under the hands, as many as the kit has.
FIRST = (
    "kick", "snare", "rim", "hat_closed", "hat_open", "hat_pedal", "tom_high", "tom_mid", "tom_low", "crash",
    "clap", "ride", "shaker", "tambourine", "cowbell", "conga_high", "conga_low",
)  # fmt: skip


def default_pads(roles: Iterable[str], playing: Iterable[str] = ()) -> tuple[str, ...]:
    """Ten voices of a kit at most: those the part plays surely among them, in the order of the hands.

    Examples
    --------
    >>> default_pads(("shaker", "snare", "kick"))
    ('kick', 'snare', 'shaker')
    """
    there = list(roles)
    place = {voice: number for number, voice in enumerate(FIRST)}
    ordered = sorted(there, key=lambda voice: (place.get(voice, len(FIRST)), there.index(voice)))
    played = [voice for voice in ordered if voice in set(playing)]
    chosen = set([*played, *(voice for voice in ordered if voice not in set(played))][:COLUMNS])
    return tuple(voice for voice in ordered if voice in chosen)
