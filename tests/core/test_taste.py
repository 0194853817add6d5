"""What is kept comes more, what is dropped less; nothing is made of a few choices."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.ideas.change import Idea
from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.fills import fills
from easy_pocket.core.ideas.idea_context import window
from easy_pocket.core.ideas.taste import LEAST_ODDS, MOST_ODDS, NO_TASTE, Choice, Taste, learned
from easy_pocket.core.ideas.variations import VariationSettings, variations
from tests.core.idea_scenes import BEATS, scene

SPARSE, BUSY = ("role=sparse", "strokes=2"), ("role=busy", "strokes=5")


def chosen(kept: int, dropped: int) -> list[Choice]:
    return [Choice(SPARSE, True)] * kept + [Choice(BUSY, False)] * dropped


def test_a_trait_that_is_kept_has_odds_above_one_and_one_that_is_dropped_below() -> None:
    taste = learned(chosen(8, 8))
    assert taste.odds["role=sparse"] > 1.3
    assert taste.odds["role=busy"] < 0.5
    assert taste.strokes == pytest.approx(2 * (2 / 5) ** 0.5)
    assert taste.busier < 0.6
    assert taste.words() == "From 16 choices: more: sparse; less: busy; about 1.3 strokes a beat."


def test_few_choices_change_nothing_and_say_so() -> None:
    assert not learned(chosen(2, 1)).known
    assert learned(chosen(2, 1)).words() == "3 kept or dropped so far; from 4 on it counts."
    assert learned([]) == NO_TASTE
    odds = {"silence": 0.5, "crash": 0.5}
    assert NO_TASTE.tilted("ending", odds) == odds


def test_who_keeps_everything_is_given_everything() -> None:
    taste = learned([Choice(SPARSE, True), Choice(BUSY, True)] * 6)
    assert taste.busier == 1.0
    assert all(abs(odds - 1) < 0.1 for odds in taste.odds.values())


def test_newer_choices_weigh_more() -> None:
    first, then = [Choice(SPARSE, True), Choice(BUSY, False)], [Choice(SPARSE, False), Choice(BUSY, True)]
    changed = learned(first * 8 + then * 8)
    assert changed.odds["role=busy"] > 1.2 > 0.8 > changed.odds["role=sparse"]
    assert changed.busier > 1.0


@given(
    st.lists(
        st.tuples(st.lists(st.text(max_size=12) | st.floats(0.1, 12).map(lambda x: f"strokes={x:g}")), st.booleans())
    )
)
def test_odds_stay_within_bounds_and_keep_their_sum(drawn: list[tuple[list[str], bool]]) -> None:
    taste = learned([Choice(tuple(traits), kept) for traits, kept in drawn])
    assert all(LEAST_ODDS <= odds <= MOST_ODDS for odds in taste.odds.values())
    assert 0.2 < taste.busier < 3
    odds = {"a": 0.3, "b": 0.5, "c": 0.2}
    moved = Taste({"x=a": 3.0, "x=c": 0.2}, None, 1.0, 9).tilted("x", odds)
    assert sum(moved.values()) == pytest.approx(1.0)
    assert moved["a"] > odds["a"]
    assert moved["c"] < odds["c"]
    assert taste.words()


def test_somebody_who_likes_sparse_fills_gets_a_batch_that_is_sparser_by_half_after_20_choices() -> None:
    """Keeps the two sparsest of every six, drops the others."""
    shares = []
    for name in BEATS:
        here = scene(name)
        begin, end = window(here)
        choices: list[Choice] = []
        batch, first = 0, 0.0
        while True:
            ideas = fills(here, FillSettings(), 3, begin, end, batch=batch, taste=learned(choices[:20])).ideas
            dense = np.array([idea.facts["density"] for idea in ideas])
            first = first or float(dense.mean())
            if len(choices) >= 20:
                break
            ranked = dense.argsort(kind="stable")
            choices += [Choice(ideas[place].traits, rank < 2) for rank, place in enumerate(ranked.tolist())]
            batch += 1
        shares.append(float(dense.mean()) / first)
        again = fills(here, FillSettings(), 3, begin, end, batch=batch, taste=learned(choices[:20])).ideas
        assert [idea.key for idea in again] == [idea.key for idea in ideas]  # seeded
        assert 3 <= len(ideas) <= 6
    assert np.median(shares) <= 0.55
    assert max(shares) <= 0.7


def _kinds(ideas: tuple[Idea, ...]) -> list[str]:
    return [change.kind for idea in ideas for change in idea.changes]


def test_kinds_of_changes_that_are_dropped_come_less() -> None:
    here = scene()
    taste = learned([Choice(("kind=ghost",), False), Choice(("kind=kick",), True)] * 10)
    plain = [kind for seed in range(8) for kind in _kinds(variations(here, VariationSettings(), seed, 0, 7680).ideas)]
    tilted = [
        kind
        for seed in range(8)
        for kind in _kinds(variations(here, VariationSettings(), seed, 0, 7680, taste=taste).ideas)
    ]
    assert tilted.count("ghost") < 0.4 * plain.count("ghost")
    only = variations(here, VariationSettings(kinds=("ghost",)), 1, 0, 7680, taste=taste).ideas
    assert set(_kinds(only)) == {"ghost"}  # whoever asks gets it
