"""Variations and growing: as many changes, as far and of the kinds asked for; what is locked stays."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.ideas.change import Idea, with_changes
from easy_pocket.core.ideas.distance import distance, distances, within
from easy_pocket.core.ideas.grow import GrowSettings, grow
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.ideas.playable import faults_of_hits
from easy_pocket.core.ideas.variation_kinds import KINDS
from easy_pocket.core.ideas.variations import VariationSettings, differ, variations
from easy_pocket.core.pattern.backbeat import backbeat
from easy_pocket.core.pattern.pattern import Hit, Pattern
from tests.core.idea_scenes import BEATS, KIT, beat, limbs_can, scene, with_lock


def varied(here: IdeaContext, wanted: VariationSettings, seed: int, **more: object) -> tuple[Idea, ...]:
    return variations(here, wanted, seed, 0, here.pattern.length_ticks, **more).ideas  # type: ignore[arg-type]


@given(
    st.sampled_from(tuple(BEATS)),
    st.integers(0, 10_000),
    st.none() | st.floats(0.08, 0.4),
    st.none() | st.integers(1, 6),
    st.lists(st.sampled_from(tuple(KINDS)), max_size=4, unique=True),
)
@settings(max_examples=80, deadline=None)
def test_a_variation_is_as_far_and_of_as_many_changes_as_asked(
    name: str, seed: int, far: float | None, count: int | None, kinds: list[str]
) -> None:
    here = scene(name)
    try:
        ideas = varied(here, VariationSettings(count, far, tuple(kinds)), seed, count=3)
    except EditRefusedError:
        assert far or kinds  # whatever is left open can always be had
        return
    for idea in ideas:
        if count:
            assert len(idea.changes) == count
        if far:
            assert abs(distance(here.pattern, idea.pattern()) - far) <= 0.05
        if kinds:
            assert {change.kind for change in idea.changes} <= set(kinds)
        places = [(hit.voice, hit.tick) for c in idea.changes for hit in (*c.gone, *c.come)]
        shared = [(hit.voice, hit.tick) for c in idea.changes for hit in c.gone if hit in c.come]
        assert not shared
        assert idea.pattern([]).hits == here.pattern.hits
        for number, change in enumerate(idea.changes):  # each alone
            alone = idea.pattern([number])
            assert set(alone.hits) ^ set(here.pattern.hits) == {*change.gone, *change.come}
        assert places


def test_three_changes_when_nothing_is_set_and_six_ideas_that_touch_different_places() -> None:
    ideas = varied(scene(), VariationSettings(), 1)
    assert [len(idea.changes) for idea in ideas] == [3] * 6
    touched = [tuple(hit for change in idea.changes for hit in (*change.gone, *change.come)) for idea in ideas]
    table = distances(touched)
    assert table[~(table == 0)].mean() >= 0.35
    again = varied(scene(), VariationSettings(), 1, batch=1, seen={idea.key for idea in ideas})
    assert not {idea.key for idea in ideas} & {idea.key for idea in again}


def test_what_is_locked_never_changes() -> None:
    pattern = replace(with_lock(beat("straight"), "kick", 1920), locked_voices=frozenset({"hat_closed"}))
    here = IdeaContext(pattern, KIT, 104.0)
    for seed in range(10):
        for idea in varied(here, VariationSettings(changes=5), seed):
            after = idea.pattern()
            assert after.at("kick", 1920) == pattern.at("kick", 1920)
            assert [h for h in after.hits if h.voice == "hat_closed"] == [
                h for h in pattern.hits if h.voice == "hat_closed"
            ]


def test_a_distance_too_far_for_so_few_changes_says_so() -> None:
    with pytest.raises(EditRefusedError, match=r"No 1 changes of these kinds come to a distance of 0\.6"):
        varied(scene(), VariationSettings(changes=1, distance=0.6), 1)


def test_nothing_to_vary_says_so() -> None:
    empty = IdeaContext(Pattern(3840, (), beat("straight").metre), ("kick",), 100.0)
    with pytest.raises(EditRefusedError, match="There is nothing to vary here"):
        variations(empty, VariationSettings(kinds=("accent",)), 1, 0, 3840)


def test_a_lead_in_runs_backwards_into_the_next_bar() -> None:
    idea = varied(scene(), VariationSettings(changes=1, kinds=("lead_in",)), 1, count=1)[0]
    (hit,) = idea.changes[0].come
    assert hit.articulation.backwards
    assert (hit.tick + hit.articulation.length_ticks) % 3840 == 0


def bars_of(pattern: Pattern, count: int) -> list[list[Hit]]:
    bar = pattern.metre.bar_ticks
    return [[replace(h, tick=h.tick % bar) for h in within(pattern, n * bar, (n + 1) * bar)] for n in range(count)]


@given(
    st.sampled_from(tuple(BEATS)),
    st.integers(0, 10_000),
    st.sampled_from((4, 8, 16)),
    st.integers(1, 3),
    st.booleans(),
    st.sampled_from((0.0, 2.0)),
)
@settings(max_examples=30, deadline=None)
def test_grown_bars_differ_and_keep_the_backbeat(
    name: str, seed: int, bars: int, least: int, bigger: bool, fill_beats: float
) -> None:
    here = scene(name)
    done = grow(here, GrowSettings(bars, least, bigger, fill_beats, plan="every"), seed)
    after = done.idea.pattern()
    assert after.length_ticks == bars * here.metre.bar_ticks
    strange = set(within(after, 0, here.pattern.length_ticks)) ^ set(here.pattern.hits)
    assert all(fill_beats and hit.tick == 0 and hit.voice == "crash" for hit in strange)
    found = bars_of(after, bars)
    compared = found[:-1] if fill_beats else found
    for one, other in combinations(compared[2:], 2):
        assert differ(one, other) >= least
    for grown in compared[2:]:
        assert all(differ(grown, old) >= least for old in found[:2])
    held = backbeat(here.pattern)
    copies = [replace(hit, tick=hit.tick + n * here.pattern.length_ticks) for n in range(bars // 2) for hit in held]
    kept = sum(after.at(hit.voice, hit.tick) == hit for hit in copies)
    assert kept >= 0.8 * len(copies) or (fill_beats and bars == 4)
    assert [plan.bar for plan in done.plan] == list(range(1, bars + 1))


def test_a_bar_drawn_again_changes_and_the_others_stay() -> None:
    first = grow(scene(), GrowSettings(8, 2, True, plan="every"), 5)
    again = grow(scene(), GrowSettings(8, 2, True, plan="every"), 5, {6: 1})
    assert [p.bar for p, q in zip(first.plan, again.plan, strict=True) if p.words != q.words] == [6]


def test_three_of_five_changes_can_be_kept() -> None:
    done = grow(scene(), GrowSettings(4, 2, plan="every"), 3)
    own = [number for number, change in enumerate(done.idea.changes) if change.kind != "copy"]
    copies = set(range(len(done.idea.changes))) - set(own)
    after = done.idea.pattern(copies | set(own[:3]))
    expected = with_changes(
        done.idea.before, [c for n, c in enumerate(done.idea.changes) if n in copies | set(own[:3])], after.length_ticks
    )
    assert after.hits == expected.hits
    assert after.hits != done.idea.pattern().hits


def test_a_pattern_that_is_as_long_already_is_refused_with_a_way_out() -> None:
    with pytest.raises(EditRefusedError, match="has 2 bars already, 2 were asked for"):
        grow(scene(), GrowSettings(2), 1)


def test_growing_nothing_is_refused() -> None:
    with pytest.raises(EditRefusedError, match="nothing to grow from"):
        grow(IdeaContext(Pattern(3840), KIT, 100.0), GrowSettings(4), 1)


def _words_of(idea: Idea, hit: Hit) -> str:
    return next(change.words for change in idea.changes if hit in change.come)


@pytest.mark.parametrize("tempo_bpm", [84.0, 104.0, 126.0, 150.0])
def test_variations_put_ghosts_kicks_and_hats_where_drummers_do(tempo_bpm: float) -> None:
    """600 of them: none breaks the backbeat or has a hand or a foot at its limit; most additions are where most are."""
    ghosts, kicks, many = [], [], 0
    for name in BEATS:
        here = replace(scene(name), tempo_bpm=tempo_bpm)
        if faults_of_hits(here.pattern.hits, tempo_bpm):
            continue
        held = backbeat(here.pattern)
        beats, bar = {hit.tick for hit in held}, here.metre.bar_ticks
        for seed in range(5):
            for idea in varied(here, VariationSettings(changes=4), seed):
                many += 1
                after = idea.pattern()
                assert set(held) <= set(after.hits)
                assert not {hit.tick for hit in after.hits if hit.voice == "kick"} & beats
                assert limbs_can([hit for hit in after.hits if not hit.articulation.backwards], tempo_bpm, 0, 10**9)
                new = [hit for change in idea.changes for hit in change.come if change.kind in ("ghost", "kick")]
                soft = [hit.tick for hit in after.hits if hit.voice == "snare" and hit.velocity <= 45]
                assert max(Counter(tick // bar for tick in soft).values(), default=0) <= (5 if tempo_bpm <= 110 else 4)
                if tempo_bpm > 130:
                    assert max(Counter(tick // bar for tick in soft).values(), default=0) <= 2
                for hit in new:
                    near = [hit.tick - beat for beat in beats]
                    if hit.voice == "snare":
                        assert 18 <= hit.velocity <= 45
                        assert min(map(abs, near), default=999) > 120
                        ghosts.append(240 in map(abs, near))
                    else:
                        kicks.append(-240 in near or 480 in near or "answering" in _words_of(idea, hit))
    assert many >= 120
    assert np.mean(ghosts) > 0.4
    assert np.mean(kicks) > 0.5


@pytest.mark.parametrize("name", sorted(BEATS))
@pytest.mark.parametrize("bars", [4, 8, 16])
def test_a_phrase_states_repeats_answers_and_lifts(name: str, bars: int) -> None:
    """A small change at bar 4, a larger one at 8; the statement comes back as it is; few bars are far from it."""
    here = scene(name)
    sizes: dict[str, list[int]] = {"answer": [], "lift": []}
    for seed in range(4):
        done = grow(here, GrowSettings(bars), seed)
        found = bars_of(done.idea.pattern(), bars)
        kinds = [plan.kind for plan in done.plan]
        one, half = ["statement", "statement", "repeat"], ["repeat", "repeat", "repeat"]
        wanted = {4: [*one, "answer"], 8: [*one, "answer", *half, "lift"]}
        assert kinds == (wanted[bars] if bars < 16 else [*wanted[8], *half, "answer", *half, "lift"])
        far = 0
        for place, kind in enumerate(kinds):
            source = found[place % 2]
            if kind in sizes:
                sizes[kind].append(differ(found[place], source))
                plain = [Pattern(here.metre.bar_ticks, tuple(hits), here.metre) for hits in (source, found[place])]
                far += distance(*plain) > 0.25
                assert done.plan[place].words != f"as bar {place % 2 + 1}"
            else:
                assert found[place] == source
        assert far <= bars / 4
        held = {hit.tick + n * here.pattern.length_ticks for n in range(bars // 2) for hit in backbeat(here.pattern)}
        assert held <= {hit.tick for hit in done.idea.pattern().hits if hit.voice == "snare"}
    assert min(sizes["answer"]) >= 2
    assert not sizes["lift"] or np.mean(sizes["lift"]) > 1.5 * np.mean(sizes["answer"])
    assert bars < 8 or "an answer in bar" in done.idea.words


def test_a_plan_there_is_none_of_is_refused() -> None:
    with pytest.raises(BadValueError, match="There is no plan 'song'; there are phrase and every"):
        GrowSettings(8, plan="song")
