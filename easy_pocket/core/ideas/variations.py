"""Variations: a few single changes, at a distance from what is there."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

import numpy as np

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.ideas.change import Change, Idea, with_changes
from easy_pocket.core.ideas.distance import density, distance, within
from easy_pocket.core.ideas.fills import MOST_AT_ONCE, Batch
from easy_pocket.core.ideas.idea_context import MAX_SEED, IdeaContext, check_voices
from easy_pocket.core.ideas.playable import faults_of_hits, playable_tag
from easy_pocket.core.ideas.taste import NO_TASTE, Taste
from easy_pocket.core.ideas.variation_kinds import KINDS, possible, step_of
from easy_pocket.core.ideas.varied_span import Span
from easy_pocket.core.pattern.metrical import syncopation
from easy_pocket.core.pattern.pattern import Hit, Pattern

USUAL_CHANGES = 3
MOST_CHANGES = 64
NEAR = 0.05  # of the distance asked for
TRIES_EACH = 16
SHUFFLES = 8  # orders of what could be done, drawn on the way to a distance


@dataclass(frozen=True)
class VariationSettings:
    """changes: how many, None as many as the distance takes (3 when that is open too).

    distance: 0 to 1 of the bars that are varied, None whatever comes. kinds: empty for all. playable: add nothing two
    hands and two feet cannot play.
    """

    changes: int | None = None
    distance: float | None = None
    kinds: tuple[str, ...] = ()
    playable: bool = True

    def __post_init__(self) -> None:
        if self.changes is not None:
            require_range("The number of changes", self.changes, 1, MOST_CHANGES)
        if self.distance is not None:
            require_range("The distance", self.distance, 0.02, 0.9)
        for kind in self.kinds:
            if kind not in KINDS:
                raise BadValueError(f"There is no change of the kind '{kind[:20]}'; there are {', '.join(KINDS)}.")


def variations(
    scene: IdeaContext,
    settings: VariationSettings,
    seed: int,
    begin: int,
    end: int,
    *,
    count: int = 6,
    batch: int = 0,
    seen: Collection[str] = (),
    taste: Taste = NO_TASTE,
) -> Batch:
    """Variations of the bars from tick begin to end, no two alike.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    settings
        Which kinds of change, and how far.
    seed
        Whole number; the same one gives the same result.
    begin
        First tick of the window.
    end
        Tick at which the window ends, not part of it.
    count
        How many are wanted.
    batch
        Which batch, counted from 0.
    seen
        Keys of ideas that are not to come again.
    taste
        What was learned of what is kept: kinds of changes that were dropped come less.

    Returns
    -------
    Batch
        The ideas.

    Raises
    ------
    EditRefusedError
        When there is none.
    """
    require_range("The number of ideas", count, 1, MOST_AT_ONCE)
    require_range("The seed", seed, 0, MAX_SEED)
    check_voices(scene.voices)
    whole = scene.pattern
    step = step_of(scene)
    scene = replace(scene, pattern=whole.with_hits(within(whole, begin, end)))  # no other bar has to do with it
    span = Span(scene, begin, end, step)
    known = set(seen)
    ideas: list[Idea] = []
    used: dict[tuple[str, int], int] = {}
    for number in range(count * TRIES_EACH):
        rng = np.random.default_rng([seed, 1, batch * 10_000 + number])
        chosen = choose(span, _by_taste(settings, taste, rng), rng, used) or choose(span, settings, rng, used)
        if not chosen:
            break
        idea = _idea(span, whole, chosen, seed)
        if idea.key in known or (settings.playable and _harder(span, idea)):
            continue
        known.add(idea.key)
        ideas.append(idea)
        for change in chosen:
            for hit in (*change.gone, *change.come):
                used[hit.voice, hit.tick] = used.get((hit.voice, hit.tick), 0) + 1
        if len(ideas) == count:
            break
    if not ideas:
        raise EditRefusedError(_why_none(span, settings, bool(seen)))
    short = "" if len(ideas) == count else f"Only {len(ideas)} that differ fit: allow more kinds, or more changes."
    return Batch(tuple(ideas), short)


def _by_taste(settings: VariationSettings, taste: Taste, rng: np.random.Generator) -> VariationSettings:
    """With the kinds that a taste lets through: one that is never kept comes seldom."""
    if not taste.known or len(settings.kinds) == 1:
        return settings
    kinds = settings.kinds or tuple(KINDS)
    let = tuple(kind for kind in kinds if rng.random() < taste.odds.get(f"kind={kind}", 1.0))
    return replace(settings, kinds=let or kinds)


def choose(
    span: Span, settings: VariationSettings, rng: np.random.Generator, used: dict[tuple[str, int], int] | None = None
) -> list[Change]:
    """Changes that do not get in each other's way, as many and as far as asked; empty when it cannot be.

    Places in `used` come last, so that the ideas of a batch touch different ones.

    Parameters
    ----------
    span
        The bars that are varied.
    settings
        Which kinds of change, and how far.
    rng
        Source of chance, seeded by the caller.
    used
        How often each voice and place was used in this batch.

    Returns
    -------
    list[Change]
        The changes.
    """
    kinds = settings.kinds or tuple(KINDS)
    best: list[Change] = []
    nearest = np.inf
    for _ in range(1 if settings.distance is None else SHUFFLES):
        offered = possible(span, kinds, rng)
        if used:
            offered.sort(key=lambda change: _seen(change, used))
        offered = span.placement.within_rules(offered)
        if settings.distance is None:
            return disjoint(offered, settings.changes or USUAL_CHANGES)
        if settings.changes is None:
            chosen, off = _as_far(span, offered, settings.distance)
        else:
            chosen, off = _so_many_as_far(span, offered, settings.changes, settings.distance, rng)
        if chosen and off < nearest:
            best, nearest = chosen, off
        if nearest <= NEAR / 2:
            break
    return best if nearest <= NEAR else []


def _seen(change: Change, used: dict[tuple[str, int], int]) -> int:
    return max(used.get((hit.voice, hit.tick), 0) for hit in (*change.gone, *change.come))


def disjoint(offered: list[Change], count: int) -> list[Change]:
    """The first changes of a list that touch no place another one touches."""
    chosen: list[Change] = []
    touched: set[tuple[str, int]] = set()
    for change in offered:
        places = {(hit.voice, hit.tick) for hit in (*change.gone, *change.come)}
        if places & touched:
            continue
        chosen.append(change)
        touched |= places
        if len(chosen) == count:
            return chosen
    return []


def _off(span: Span, chosen: list[Change], wanted: float) -> float:
    after = with_changes(span.pattern, chosen)
    return _between(span, after) - wanted


def _between(span: Span, after: Pattern) -> float:
    before = span.pattern
    one, other = (Pattern(p.length_ticks, tuple(within(p, span.begin, span.end)), p.metre) for p in (before, after))
    return distance(one, other)


def _as_far(span: Span, offered: list[Change], wanted: float) -> tuple[list[Change], float]:
    """One change after another until the distance is reached."""
    most = next((n for n in range(min(len(offered), MOST_CHANGES), 0, -1) if disjoint(offered, n)), 0)
    order = disjoint(offered, most) if most else []
    low, high = 1, len(order)
    while low < high:  # the distance grows with every change
        middle = (low + high) // 2
        if _off(span, order[:middle], wanted) < 0:
            low = middle + 1
        else:
            high = middle
    tries = [order[:number] for number in (low - 1, low) if 0 < number <= len(order)]
    if not tries:
        return [], np.inf
    found = min(tries, key=lambda chosen: abs(_off(span, chosen, wanted)))
    return found, abs(_off(span, found, wanted))


def _so_many_as_far(
    span: Span, offered: list[Change], count: int, wanted: float, rng: np.random.Generator
) -> tuple[list[Change], float]:
    """So many changes whose costs add up: small ones are exchanged for larger ones until the distance fits."""
    chosen = disjoint(offered, count)
    if not chosen:
        return [], np.inf
    off = _off(span, chosen, wanted)
    sizes = sorted(offered, key=_size)
    for _ in range(24):
        if abs(off) <= NEAR / 2:
            break
        place = int(rng.integers(count))
        others = [change for number, change in enumerate(chosen) if number != place]
        wanted_size = _size(chosen[place])
        larger = [
            change for change in sizes if (_size(change) > wanted_size if off < 0 else _size(change) < wanted_size)
        ]
        if not larger:
            continue
        change = larger[int(rng.integers(len(larger)))]
        again = disjoint([*others, change], count)
        if again and abs(new := _off(span, again, wanted)) < abs(off):
            chosen, off = again, new
    return chosen, abs(off)


def _size(change: Change) -> float:
    return (
        max(len(change.gone), len(change.come))
        * (0.5 if change.kind in ("accent", "velocity") else 1.0)
        * (2.0 if change.kind == "move" else 1.0)
    )


def _harder(span: Span, idea: Idea) -> bool:
    """Whether the idea is harder to play than what was there: more strokes that no limb can take."""
    after = with_changes(span.pattern, idea.changes)
    was, is_now = (len(faults_of_hits(list(one.hits), span.scene.tempo_bpm)) for one in (span.pattern, after))
    return is_now > was


def _idea(span: Span, whole: Pattern, chosen: list[Change], seed: int) -> Idea:
    ordered = tuple(sorted(chosen, key=lambda change: (change.gone or change.come)[0].tick))
    after = with_changes(span.pattern, ordered)
    kinds = list(dict.fromkeys(change.kind for change in ordered))
    names = [KINDS[kind][0] for kind in kinds]
    words = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
    facts = variation_facts(span, after)
    tags = (
        *playable_tag(after.hits, span.scene.tempo_bpm),
        f"{facts['density']:.3g} a beat",
        f"syncopation {facts['syncopation']:.1f}",
        f"distance {facts['distance']:.2f}",
    )
    traits = tuple(f"kind={kind}" for kind in kinds)
    return Idea("variation", whole, ordered, words, tags, seed, whole.length_ticks, facts, traits)


def variation_facts(span: Span, after: Pattern) -> dict[str, float]:
    """Measure a variation: its distance from what was there, its density (hits a beat) and its syncopation."""
    return {
        "distance": round(_between(span, after), 4),
        "density": round(density(after, span.begin, span.end), 3),
        "syncopation": round(syncopation(after, span.begin, span.end), 3),
    }


def _why_none(span: Span, settings: VariationSettings, after_others: bool) -> str:
    if not span.hits:
        return (
            "There is nothing to vary here: these bars have no hits that are free. Write some, or free what is locked."
        )
    if after_others:
        return "No other variation fits these settings: allow more kinds, or more changes."
    if settings.distance is not None:
        many = f"{settings.changes} changes" if settings.changes else "changes"
        return (
            f"No {many} of these kinds come to a distance of {settings.distance:g}: allow another number of changes, "
            "more kinds, or another distance."
        )
    return "Changes of these kinds do not fit these bars: allow more kinds, or fewer changes."


def differ(one: list[Hit], other: list[Hit]) -> int:
    """How many hits two bars differ by: those only one has, and those of another class of velocity."""
    here, there = ({(hit.voice, hit.tick): hit.velocity for hit in hits} for hits in (one, other))
    alone = len(here.keys() ^ there.keys())
    return alone + sum(abs(here[place] - there[place]) > 20 for place in here.keys() & there.keys())
