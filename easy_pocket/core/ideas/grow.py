"""Growing: a short pattern made longer, no bar like another."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.ideas.change import Change, Idea, with_changes
from easy_pocket.core.ideas.distance import within
from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.fills import fills
from easy_pocket.core.ideas.idea_context import MAX_SEED, IdeaContext, window
from easy_pocket.core.ideas.variation_kinds import SINGLE, possible, step_of
from easy_pocket.core.ideas.variations import differ, disjoint
from easy_pocket.core.ideas.varied_span import Span
from easy_pocket.core.pattern.backbeat import backbeat
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.text import counted

MOST_LEAST = 12
PLANS = ("phrase", "every")
BIGGER_EVERY = 4
LIFT_EVERY = 8
BIGGER = 3  # times as many changes in a bigger bar
DRAWS = 40
ALIKE = 20  # steps of velocity two hits may lie apart and still count as one


@dataclass(frozen=True)
class GrowSettings:
    """bars: of the pattern then.

    changes: hits by which a changed bar differs at least from what it repeats. bigger: bars 4, 8, 12 and 16 change
    more. fill_beats: a fill at the end, so many beats long; 0 for none. plan: "phrase", as players do: the statement
    comes back as it is, bar 4 answers it with a small change, bar 8 lifts it with a larger one; or "every": no bar like
    another.
    """

    bars: int = 8
    changes: int = 2
    bigger: bool = False
    fill_beats: float = 0.0
    kinds: tuple[str, ...] = ()
    plan: str = "phrase"

    def __post_init__(self) -> None:
        if self.plan not in PLANS:
            raise BadValueError(f"There is no plan '{self.plan[:20]}'; there are {' and '.join(PLANS)}.")
        require_range("The number of bars", self.bars, 2, 64)
        require_range("The number of changes in a bar", self.changes, 1, MOST_LEAST)


@dataclass(frozen=True)
class BarPlan:
    """What becomes of a bar (both counted from 1).

    A copy of an earlier one, and which changes of the idea are its own.
    """

    bar: int
    from_bar: int
    kind: str  # "as it is", "copy", "bigger", "fill"; of a phrase "statement", "repeat", "answer", "lift", "fill"
    changes: tuple[int, ...]
    words: str


@dataclass(frozen=True)
class Grown:
    """The longer pattern as an idea, and what each of its bars is."""

    idea: Idea
    plan: tuple[BarPlan, ...]


def grow(scene: IdeaContext, settings: GrowSettings, seed: int, again: Mapping[int, int] | None = None) -> Grown:
    """The pattern at its new length, and what each bar is.

    again: how often a bar (counted from 1) was drawn anew; the other bars stay.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    settings
        New length and how much the bars change.
    seed
        Whole number; the same one gives the same result.
    again
        How often each bar, counted from 1, was drawn anew.

    Returns
    -------
    Grown
        The longer pattern, and what each bar is.

    Raises
    ------
    EditRefusedError
        When the pattern is as long already, or its bars cannot be told apart.
    """
    require_range("The seed", seed, 0, MAX_SEED)
    bar = scene.metre.bar_ticks
    source = -(-scene.pattern.length_ticks // bar)
    if not scene.pattern.hits:
        raise EditRefusedError("There is nothing to grow from yet: write a bar first, or take a line from the shelf.")
    if source >= settings.bars:
        raise EditRefusedError(
            f"The pattern has {source} bar{'s' if source != 1 else ''} already, {settings.bars} were asked for: "
            "ask for more, or make it shorter first."
        )
    drawn = dict.fromkeys(range(1, settings.bars + 1), 0) | dict(again or {})
    for number, count in drawn.items():
        require_range("A bar to draw again", number, 1, settings.bars)
        require_range("Draws of a bar", count, 0, 10_000)
    bars = [_bar_hits(scene.pattern, number, bar) for number in range(source)]
    own: dict[int, list[Change]] = {}
    for turn in (0, 1):  # first all bars, then those that were drawn anew, against all others
        for place in range(source, settings.bars):
            count = drawn[place + 1]
            if turn and not count:
                continue
            if in_phrase(settings, place) == "repeat":
                bars[place : place + 1] = [bars[place % source]]
                continue
            others = _others(settings, bars, place, source)
            own[place], hits = _changed_bar(scene, settings, bars[place % source], others, place, seed, count * turn)
            bars[place : place + 1] = [hits]
    return _grown(scene, settings, source, own, seed, drawn)


def _bar_hits(pattern: Pattern, number: int, bar: int) -> list[Hit]:
    return [replace(hit, tick=hit.tick - number * bar) for hit in within(pattern, number * bar, (number + 1) * bar)]


def _others(settings: GrowSettings, bars: list[list[Hit]], place: int, source: int) -> list[list[Hit]]:
    """The bars that one has to differ from: all others, or in a phrase what it repeats and other changed bars."""
    places = [number for number in range(len(bars)) if number != place]
    if settings.plan == "phrase":
        places = [one for one in places if one == place % source or (one >= source and in_phrase(settings, one))]
        places = [one for one in places if one < source or in_phrase(settings, one) != "repeat"]
    return [bars[one] for one in places]


def in_phrase(settings: GrowSettings, place: int) -> str:
    """What a bar, counted from 0, is in a phrase: "repeat", "answer" or "lift"; nothing where there is none."""
    if settings.plan != "phrase":
        return ""
    last = place + 1 == settings.bars
    if (place + 1) % LIFT_EVERY == 0 or (last and settings.bars > BIGGER_EVERY):
        return "lift"
    return "answer" if (place + 1) % BIGGER_EVERY == 0 or last else "repeat"


def is_bigger(settings: GrowSettings, place: int) -> bool:
    """Whether a bar, counted from 0, changes more than others; one that ends in a fill is different enough."""
    with_fill = settings.fill_beats > 0 and place + 1 == settings.bars
    if settings.plan == "phrase":
        return in_phrase(settings, place) == "lift" and not with_fill
    return settings.bigger and (place + 1) % BIGGER_EVERY == 0 and not with_fill


def _changed_bar(
    scene: IdeaContext,
    settings: GrowSettings,
    hits: list[Hit],
    others: list[list[Hit]],
    place: int,
    seed: int,
    count: int,
) -> tuple[list[Change], list[Hit]]:
    """Changes (at ticks within a bar) of a copied bar that tell it from all others, and the bar then."""
    bar = scene.metre.bar_ticks
    single = Pattern(bar, tuple(hits), scene.metre, scene.pattern.locked_voices, scene.pattern.locked_places)
    span = Span(replace(scene, pattern=single), 0, bar, step_of(scene))
    held = {(hit.voice, hit.tick) for hit in backbeat(single)}
    bigger = is_bigger(settings, place)
    kinds = settings.kinds or ((*SINGLE, "break", "pickup", "lead_in") if bigger else SINGLE)
    wanted = settings.changes * (BIGGER if bigger else 1)
    for draw in range(DRAWS):
        rng = np.random.default_rng([seed, 2, place, count, draw])
        offered = [
            change
            for change in span.placement.within_rules(possible(span, kinds, rng))
            if not any((hit.voice, hit.tick) in held for hit in change.gone)
        ]
        large = [change for change in offered if change.kind not in SINGLE][:1]  # one such thing in a bar is enough
        offered = large + [change for change in offered if change.kind in SINGLE]
        # After some draws in vain, more changes: short bars soon have no two-hit neighbours left.
        chosen = disjoint(offered, min(wanted + draw // 10, len(offered)))
        if not chosen:
            continue
        after = list(with_changes(single, chosen).hits)
        if all(differ(after, other) >= settings.changes for other in others):
            return chosen, after
    raise EditRefusedError(
        f"Bar {place + 1} cannot be made to differ from every other bar by {settings.changes} hits with these kinds of "
        "changes: ask for fewer changes or fewer bars, allow more kinds, or free what is locked."
    )


def _grown(
    scene: IdeaContext,
    settings: GrowSettings,
    source: int,
    own: dict[int, list[Change]],
    seed: int,
    drawn: Mapping[int, int],
) -> Grown:
    bar, pattern = scene.metre.bar_ticks, scene.pattern
    length = settings.bars * bar
    changes: list[Change] = []
    phrase = settings.plan == "phrase"
    whole = "statement" if phrase else "as it is"
    plan = [BarPlan(number + 1, number + 1, whole, (), "as it is") for number in range(source)]
    for place in range(source, settings.bars):
        origin = place % source
        shift = (place - origin) * bar
        copied = tuple(replace(hit, tick=hit.tick + shift) for hit in within(pattern, origin * bar, (origin + 1) * bar))
        words = f"bar {place + 1} as bar {origin + 1}, {counted(len(copied), 'hit')}"
        first = len(changes)
        changes.append(Change("copy", (), copied, words))
        changes += [_shifted(change, place * bar, place) for change in own.get(place, [])]
        said = ", ".join(change.words for change in changes[first + 1 :]) or f"as bar {origin + 1}"
        kind = in_phrase(settings, place) or ("bigger" if is_bigger(settings, place) else "copy")
        plan.append(BarPlan(place + 1, origin + 1, kind, tuple(range(first + 1, len(changes))), said))
    if settings.fill_beats:
        plan[-1] = _with_fill(scene, settings, changes, plan[-1], length, seed, drawn[settings.bars])
    each = f"each {settings.changes} hits or more from every other"
    words = f"{source} to {settings.bars} bars, {phrase_words(settings) if phrase else each}"
    count = sum(change.kind != "copy" for change in changes)
    tags = (f"{settings.bars} bars", f"{count} changes", *(("fill at the end",) if settings.fill_beats else ()))
    idea = Idea("grow", pattern, tuple(changes), words, tags, seed, length)
    return Grown(idea, tuple(plan))


def phrase_words(settings: GrowSettings) -> str:
    """What happens in a phrase: "an answer in bar 4, a lift in bar 8"."""
    found: dict[str, list[int]] = {}
    for place in range(settings.bars):
        if (role := in_phrase(settings, place)) != "repeat":
            found.setdefault(role, []).append(place + 1)
    return ", ".join(
        f"{'an answer' if role == 'answer' else 'a lift'} in bar{'s' if len(at) > 1 else ''} "
        f"{' and '.join(map(str, at))}"
        for role, at in found.items()
    )


def _shifted(change: Change, ticks: int, place: int) -> Change:
    """A change of a bar of its own, in the bar it is for; places in its words are counted from bar 1 there."""
    gone, come = (tuple(replace(hit, tick=hit.tick + ticks) for hit in hits) for hits in (change.gone, change.come))
    return Change(change.kind, gone, come, in_bar(change.words, place + 1))


def in_bar(words: str, bar: int) -> str:
    """Words about places of bar 1 said of another bar: "snare at 1.2 a" is "snare at 5.2 a" in bar 5."""
    return " ".join(f"{bar}{word[1:]}" if _is_place(word) else word for word in words.split(" "))


def _is_place(word: str) -> bool:
    return word.startswith("1.") and word[2:].rstrip(":,").isdigit()


def _with_fill(
    scene: IdeaContext, settings: GrowSettings, changes: list[Change], last: BarPlan, length: int, seed: int, count: int
) -> BarPlan:
    """A fill over the end of the last bar, drawn for the pattern as it is without it."""
    long = with_changes(scene.pattern, changes, length)
    later = replace(scene, pattern=long)
    begin, end = window(later, settings.fill_beats)
    fill = fills(later, FillSettings(), seed, begin, end, count=1, batch=count).ideas[0]
    numbers = tuple(range(len(changes), len(changes) + len(fill.changes)))
    changes += [replace(change, kind="fill") for change in fill.changes]
    return replace(last, kind="fill", changes=(*last.changes, *numbers), words=f"{fill.words}; before it {last.words}")
