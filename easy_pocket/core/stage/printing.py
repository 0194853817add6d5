"""Some of the sounds of a Stage by themselves: a voice, a part, a group, a loop, or everything."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.stage.stage import RETURNS, Place, Stage


def places_under(where: str, stage: Stage, places: Iterable[str]) -> tuple[str, ...]:
    """Of the places that sound, those that go through this one.

    Parameters
    ----------
    where
        Key of the place that is printed.
    stage
        Chains, sends, rooms and groups.
    places
        Keys of the places that sound.

    Returns
    -------
    tuple[str, ...]
        Those that go through it.

    Raises
    ------
    EditRefusedError
        For rooms and echo.
    """
    if where in RETURNS:
        raise EditRefusedError("A room alone is not printed: choose what sounds in it, and print it with its rooms.")
    if where == "whole":
        return tuple(places)
    members = {where}
    for group in stage.groups:
        if where == f"group:{group.key}":
            members |= set(group.members)
    return tuple(one for one in places if one in members or one.rpartition(":")[0] in members)


def stage_to_print(stage: Stage, *, chains: bool, rooms: bool) -> Stage:
    """The Stage with its chains or without, with what goes to rooms and echo or without; never without its ceiling.

    Rooms and echo keep the chains they have of their own.

    Parameters
    ----------
    stage
        Chains, sends, rooms and groups.
    chains
        Whether its chains stay.
    rooms
        Whether what goes to rooms and echo stays.

    Returns
    -------
    Stage
        The Stage for the print.
    """
    if not chains and not rooms:
        return replace(stage, on=False)
    return replace(
        stage,
        places={
            where: Place(place.chain if chains or where in RETURNS else (), place.sends if rooms else {})
            for where, place in stage.places.items()
        },
        kit_chains=stage.kit_chains if chains else {},
        sections={
            key: replace(one, sends=one.sends if rooms else {}, switches=one.switches if chains else {})
            for key, one in stage.sections.items()
        },
    )
