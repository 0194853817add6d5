"""Fills: rhythm figures, a path through the drums and a dynamic curve, checked for two hands and two feet.

A candidate is drawn from a seed and its number, so the same settings always give the same ones. Of many that fit, the
batch is chosen so that they are far apart.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from operator import attrgetter

import numpy as np

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.ideas.change import Change, Idea, changes_between, key_of
from easy_pocket.core.ideas.distance import density, distance, distances, within
from easy_pocket.core.ideas.fill_description import fill_tags
from easy_pocket.core.ideas.fill_draft import DENSITY_SLACK, Draft, candidate
from easy_pocket.core.ideas.fill_frame import Frame, frame_of
from easy_pocket.core.ideas.fill_roles import ROLES
from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.idea_context import MAX_SEED, IdeaContext
from easy_pocket.core.ideas.playable import faults_of_hits
from easy_pocket.core.ideas.taste import NO_TASTE, Taste
from easy_pocket.core.pattern.metrical import syncopation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import place_name

MOST_AT_ONCE = 12
TRIES_EACH = 24  # candidates drawn for every one that is shown, at the most
SPARE = 3  # candidates more than are shown, where they are drawn by a taste
POOL_EACH = 2  # candidates that fit, for every one that is shown
LEAST_APART = 0.15  # no two of a batch are nearer
MEAN_APART = 0.35


@dataclass(frozen=True)
class Batch:
    """Ideas as far apart as they came, and what one should know of them (empty: nothing)."""

    ideas: tuple[Idea, ...]
    words: str = ""


def fills(
    scene: IdeaContext,
    settings: FillSettings,
    seed: int,
    begin: int,
    end: int,
    *,
    count: int = 6,
    batch: int = 0,
    seen: Collection[str] = (),
    taste: Taste = NO_TASTE,
) -> Batch:
    """Fills of the window from tick begin to end. batch: which one; seen: keys of ideas that are not to come again.

    Raises EditRefusedError, with the reason and a way out, when none fits.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    settings
        What the fills shall be like.
    seed
        Whole number; the same one gives the same result.
    begin
        First tick of the window.
    end
        Tick at which the window ends, not part of it.
    count
        How many are wanted.
    batch
        Which batch, counted from 0; each has ideas of its own.
    seen
        Keys of ideas that are not to come again.
    taste
        What was learned of what is kept: what was dropped comes less.

    Returns
    -------
    Batch
        The ideas, and how many were tried.
    """
    require_range("The number of ideas", count, 1, MOST_AT_ONCE)
    require_range("The seed", seed, 0, MAX_SEED)
    frame = frame_of(scene, settings, begin, end, taste)
    pool: dict[tuple[Hit, ...], Draft] = {}
    most, known, length = 0, set(seen), scene.pattern.length_ticks
    tries = count * TRIES_EACH
    for number in range(3 * tries):
        if number >= tries and pool:  # whoever narrows a fill down gets few, rather than none
            break
        draft, reached = candidate(frame, seed, batch * 10_000 + number)
        most = max(most, reached)
        new = draft is not None and draft.hits not in pool and set(draft.hits) != set(frame.inside)
        if draft is not None and new and not (known and key_of(_changes(frame, draft), length) in known):
            pool[draft.hits] = draft
        enough = count + SPARE if taste.known else count * POOL_EACH
        if len(pool) >= enough and (number >= tries // 2 or taste.known or not _lacking(pool.values(), count)):
            break
    if not pool:
        raise EditRefusedError(_why_none(frame, most, bool(seen)))
    drafts = list(pool.values())
    roles = [] if taste.known else [draft.role for draft in drafts]  # by a taste, as often as they are drawn
    chosen = furthest_apart([draft.heard for draft in drafts], count, roles)
    return Batch(tuple(_idea(frame, drafts[place], seed) for place in chosen), describe_briefly(len(chosen), count))


def describe_briefly(found: int, wanted: int) -> str:
    """What to say when fewer ideas came than were asked for."""
    if found >= wanted:
        return ""
    few = f"Only {found} that differ enough fit" if found > 1 else "Only one fits"
    return f"{few} these settings: open one of them, or take a longer window."


def _lacking(drafts: Iterable[Draft], count: int) -> bool:
    """Whether a batch of so many would have none for some of what fills are for."""
    roles = {draft.role for draft in drafts}
    return "" not in roles and len(roles) < min(count, len(ROLES))


def furthest_apart(lists: Sequence[Sequence[Hit]], count: int, roles: Sequence[str] = ()) -> list[int]:
    """Which of these lists of hits are furthest from each other, one after another.

    None nearer to another than 0.15, and 0.35 on average. roles: what each is for; those of which none is there yet
    come first.
    """
    table = distances(lists)
    chosen = [0]
    names = np.array(roles if roles else [""] * len(lists))
    while len(chosen) < min(count, len(lists)):
        to_chosen = table[:, chosen]
        score = to_chosen.min(axis=1) + 0.5 * to_chosen.mean(axis=1)
        new = ~np.isin(names, names[chosen]) & (to_chosen.min(axis=1) >= LEAST_APART)
        score = score + np.where(new, 10.0, 0.0)
        score[chosen] = -1.0
        best = int(score.argmax())
        if to_chosen[best].min() < LEAST_APART:
            break
        chosen.append(best)
    among = table[np.ix_(chosen, chosen)]
    while len(chosen) > 2 and among.sum() / (len(chosen) * (len(chosen) - 1)) < MEAN_APART:
        chosen.pop()
        among = table[np.ix_(chosen, chosen)]
    return chosen


def _changes(frame: Frame, draft: Draft) -> tuple[Change, ...]:
    """Only the window is looked at, and the place of the crash: a pattern may be hundreds of bars long."""
    pattern = frame.scene.pattern
    there = pattern.at(draft.crash.voice, draft.crash.tick) if draft.crash else None
    return changes_between(pattern, draft.hits, [*frame.inside, *([there] if there else [])])


def _idea(frame: Frame, draft: Draft, seed: int) -> Idea:
    scene, pattern = frame.scene, frame.scene.pattern
    facts, tags = measured(scene, draft.inside, frame.begin, frame.end)
    if draft.role and not frame.taste.known:  # its own word stands for how dense it is
        tags = (ROLES[draft.role].tag, tags[0], tags[1].partition(", ")[2], *tags[2:])
    traits = (*draft.traits, f"strokes={len(draft.inside) / frame.beats:.3g}")
    return Idea("fill", pattern, _changes(frame, draft), draft.words, tags, seed, pattern.length_ticks, facts, traits)


def measured(scene: IdeaContext, hits: Iterable[Hit], begin: int, end: int) -> tuple[dict[str, float], tuple[str, ...]]:
    """Measure the hits an idea leaves in its window: density, syncopation, distance from what was there.

    The tags say the same in words, and whether two hands and two feet can play it.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    hits
        What the idea leaves in its window.
    begin
        First tick of the window.
    end
        Tick at which the window ends, not part of it.

    Returns
    -------
    tuple[dict[str, float], tuple[str, ...]]
        Figures by name, and tags.
    """
    before = scene.pattern
    inside = sorted(hits, key=attrgetter("tick", "voice"))
    was = Pattern(before.length_ticks, tuple(within(before, begin, end)), before.metre)
    now = Pattern(before.length_ticks, tuple(inside), before.metre)
    facts = {
        "density": round(density(now, begin, end), 3),
        "beat_density": round(scene.beat_density(begin), 3),
        "syncopation": round(syncopation(now, begin, end), 3),
        "distance": round(distance(was, now), 3),
    }
    playable = not faults_of_hits(inside, scene.tempo_bpm)
    return facts, fill_tags(facts, [hit.voice for hit in inside], playable, facts["beat_density"])


def _why_none(frame: Frame, most: int, after_others: bool) -> str:
    where = place_name(frame.begin, frame.scene.metre)
    if frame.settings.density is not None:
        wanted = sum(frame.settings.density) / 2
        if len(frame.staying) <= wanted * frame.beats:
            hands = "two hands and two feet can play" if frame.settings.playable else "the slots and voices here give"
            reached = f"{most} at most" if most < wanted * frame.beats * (1 - DENSITY_SLACK) else "fewer"
            return (
                f"{wanted:g} hits a beat are {round(wanted * frame.beats)} from {where} on; {hands} {reached} with "
                f"these settings at {frame.scene.tempo_bpm:g} bpm: ask for less, take 32nd bursts, or let it be "
                "unplayable."
            )
        return (
            f"What keeps going has {len(frame.staying)} hits in this window already, more than the "
            f"{wanted:g} a beat asked for: let fewer voices keep going, or ask for more hits."
        )
    if after_others:
        return "No other fill fits these settings: change one, or choose a longer window."
    if most:
        return (
            f"What goes on before {where} and what keeps going leave no room for a fill here: let fewer voices "
            "keep going, free a row, or let it be unplayable."
        )
    return "No fill fits these settings: open one of them, free a row, or choose a longer window."
