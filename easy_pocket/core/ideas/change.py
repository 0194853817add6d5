"""Single changes of a pattern, and ideas made of them: each can be kept or dropped alone."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property

from easy_pocket.core.pattern.lock_edits import lock_reason
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import voice_name

MOST_CHANGES = 20_000


@dataclass(frozen=True)
class Change:
    """One thing an idea does, in words: hits that go and hits that come.

    Most are a single hit each; kind is "add", "remove", "move", "velocity", "voice", or the name of something that
    takes several ("break").
    """

    kind: str
    gone: tuple[Hit, ...]
    come: tuple[Hit, ...]
    words: str


@dataclass(frozen=True)
class Idea:
    """Changes of `before`, with words and tags.

    length_ticks: of the pattern with the idea in it. traits: what is learned from when it is kept or dropped.
    """

    kind: str
    before: Pattern
    changes: tuple[Change, ...]
    words: str
    tags: tuple[str, ...]
    seed: int
    length_ticks: int
    facts: dict[str, float] = field(default_factory=dict, compare=False)
    traits: tuple[str, ...] = field(default=(), compare=False)

    def pattern(self, kept: Collection[int] | None = None) -> Pattern:
        """The pattern with the idea, or with those of its changes whose numbers are kept."""
        chosen = [change for number, change in enumerate(self.changes) if kept is None or number in kept]
        return with_changes(self.before, chosen, self.length_ticks)

    @cached_property
    def key(self) -> str:
        """What tells it from others for the same pattern: which hits go and come."""
        return key_of(self.changes, self.length_ticks)


def key_of(changes: Iterable[Change], length_ticks: int) -> str:
    """16 hexadecimal digits that are the same when the same hits go and come, however that is told."""
    listed = list(changes)
    gone, come = (
        sorted((hit.tick, hit.voice, hit.velocity, hit.offset_ms, repr(hit.articulation)) for hit in hits)
        for hits in ([h for c in listed for h in c.gone], [h for c in listed for h in c.come])
    )
    return hashlib.sha256(repr((length_ticks, gone, come)).encode()).hexdigest()[:16]


def with_changes(pattern: Pattern, changes: Iterable[Change], length_ticks: int | None = None) -> Pattern:
    """Give the pattern as it is after changes.

    A hit that comes to a place whose own hit stays (its removal was dropped) takes that place; one that goes and is
    gone already is passed over.

    Parameters
    ----------
    pattern
        Before them.
    changes
        Hits that go and come.
    length_ticks
        Of the pattern then; None: as it is.

    Examples
    --------
    >>> kick, soft = Hit("kick", 0, 110), Hit("kick", 0, 60)
    >>> softer = Change("accent", gone=(kick,), come=(soft,), words="softer kick")
    >>> with_changes(Pattern(3840, (kick,)), [softer]).hits[0].velocity
    60
    """
    taken = dict(pattern.by_place)
    for change in changes:
        for hit in change.gone:
            taken.pop((hit.voice, hit.tick), None)
        for hit in change.come:
            taken[hit.voice, hit.tick] = hit
    return replace(pattern, length_ticks=length_ticks or pattern.length_ticks, hits=tuple(taken.values()))


def changes_between(before: Pattern, after: Iterable[Hit], among: Iterable[Hit] | None = None) -> tuple[Change, ...]:
    """What leads from a pattern to other hits, hit by hit, in order of place.

    A hit that goes and one that comes in one place are a change of voice when each has only the other.

    Parameters
    ----------
    before
        The pattern as it was.
    after
        The hits that are there afterwards.
    among
        Hits of the pattern that can have changed; None for all.

    Returns
    -------
    tuple[Change, ...]
        Changes in order of place.
    """
    now = {(hit.voice, hit.tick): hit for hit in after}
    then = before.by_place if among is None else {(hit.voice, hit.tick): hit for hit in among}
    gone = [hit for place, hit in then.items() if place not in now]
    come = [hit for place, hit in now.items() if place not in then]
    found = [_velocity(was, now[place], before) for place, was in then.items() if place in now and now[place] != was]
    by_tick: dict[int, tuple[list[Hit], list[Hit]]] = {}
    for number, hits in enumerate((gone, come)):
        for hit in hits:
            by_tick.setdefault(hit.tick, ([], []))[number].append(hit)
    for leaving, coming in by_tick.values():
        if len(leaving) == len(coming) == 1:
            found.append(voice_change(leaving[0], coming[0], before))
            continue
        found += [removed(hit, before) for hit in leaving] + [added(hit, before) for hit in coming]
    return tuple(sorted(found, key=lambda change: ((change.gone or change.come)[0].tick, change.words)))


def where(hit: Hit, pattern: Pattern) -> str:
    """Name a hit by its voice and place."""
    return f"{voice_name(hit.voice)} at {place_name(hit.tick, pattern.metre)}"


def added(hit: Hit, pattern: Pattern, kind: str = "add", what: str = "") -> Change:
    """Make a change that brings a hit.

    Parameters
    ----------
    hit
        The new hit.
    pattern
        What is written.
    kind
        Kind of change, as the settings name it.
    what
        What it is, in words.

    Returns
    -------
    Change
        The change.
    """
    return Change(kind, (), (hit,), f"{what or 'new'} {where(hit, pattern)}, velocity {hit.velocity}")


def removed(hit: Hit, pattern: Pattern, kind: str = "remove") -> Change:
    """Make a change that takes a hit away.

    Parameters
    ----------
    hit
        The hit that goes.
    pattern
        What is written.
    kind
        Kind of change, as the settings name it.

    Returns
    -------
    Change
        The change.
    """
    return Change(kind, (hit,), (), f"{where(hit, pattern)} out")


def voice_change(hit: Hit, new: Hit, pattern: Pattern) -> Change:
    """Make a change that gives a hit to another voice.

    Parameters
    ----------
    hit
        The hit as it was.
    new
        The hit in its new voice.
    pattern
        What is written.

    Returns
    -------
    Change
        The change.
    """
    return Change("voice", (hit,), (new,), f"{where(hit, pattern)} on {voice_name(new.voice)} instead")


def _velocity(was: Hit, now: Hit, pattern: Pattern) -> Change:
    if was.velocity == now.velocity:
        return Change("velocity", (was,), (now,), f"{where(was, pattern)} played another way")
    return Change("velocity", (was,), (now,), f"{where(was, pattern)} from {was.velocity} to {now.velocity}")


def is_free(pattern: Pattern, hit: Hit) -> bool:
    """Whether a hit may come, go or change: its voice, its place and it itself are not locked."""
    there = pattern.at(hit.voice, hit.tick)
    return not lock_reason(pattern, hit) and (there is None or not there.articulation.locked)
