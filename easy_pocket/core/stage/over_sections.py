"""Units that are on, and what goes to rooms, over the sections of a song: constant, or curves that go over in 10 ms."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from easy_pocket.core.stage.curves import Curve
from easy_pocket.core.stage.stage import Stage, Unit
from easy_pocket.core.stage.units import Music

SWITCH_S = 0.010


def units_over(stage: Stage, where: str, music: Music) -> list[tuple[Unit, Curve | None]]:
    """The units of a place that are on at some time, in order, each with how much of it is heard (None: all of it).

    Those that a voice has from its kit come first.

    Parameters
    ----------
    stage
        Chains, sends, rooms and groups.
    where
        Key of the place.
    music
        Tempo, bars and hits of what plays.

    Returns
    -------
    list[tuple[Unit, Curve | None]]
        Units in order; the curve says how much of each is heard, None all of it.
    """
    place = stage.place(where)
    of_kit: list[tuple[Unit, Curve | None]] = [(unit, None) for unit in stage.kit_chains.get(where, ())]
    if not _has_other(stage, where, music):
        return [*of_kit, *((unit, None) for unit in place.working)]
    chains = [stage.in_section(key).place(where).chain for _, key in music.sections]
    found = of_kit
    for at, unit in enumerate(place.chain):
        on = [chain[at].on for chain in chains]
        if any(on):
            found.append((unit, None if all(on) else _steps(music, [float(one) for one in on])))
    return found


def sends_over(stage: Stage, where: str, music: Music) -> dict[str, float | Curve]:
    """How much goes to rooms and echo, as gains.

    Parameters
    ----------
    stage
        Chains, sends, rooms and groups.
    where
        Key of the place.
    music
        Tempo, bars and hits of what plays.

    Returns
    -------
    dict[str, float | Curve]
        By room or echo a gain, or a curve of gains.
    """
    if not _has_other(stage, where, music):
        return {name: percent / 100 for name, percent in stage.place(where).sends.items() if percent}
    sends = [stage.in_section(key).place(where).sends for _, key in music.sections]
    found: dict[str, float | Curve] = {}
    for name in dict.fromkeys(name for one in sends for name in one):
        gains = [one.get(name, 0.0) / 100 for one in sends]
        found[name] = gains[0] if len(set(gains)) == 1 else _steps(music, gains)
    return {name: gain for name, gain in found.items() if gain != 0.0}


def _has_other(stage: Stage, where: str, music: Music) -> bool:
    return any(where in stage.sections[key].places for _, key in music.sections if key in stage.sections)


def _steps(music: Music, values: Sequence[float]) -> Curve:
    """From one value to the next where a section begins."""
    times, levels = [0.0], [values[0]]
    for (start_s, _), before, value in zip(music.sections[1:], values[:-1], values[1:], strict=True):
        if value != before:
            times += [start_s, min(start_s + SWITCH_S, music.length_s)]
            levels += [before, value]
    return Curve(np.array([*times, music.length_s]), np.array([*levels, values[-1]]))
