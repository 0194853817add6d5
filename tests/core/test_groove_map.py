"""Grooves compared: what is like one, what is its opposite, and where they lie on the map."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.feel.groove_map import alike, figures, groove_map, in_words, opposed, picture
from easy_pocket.core.feel.house_grooves import house_grooves
from easy_pocket.core.feel.template import GrooveTemplate, Lane
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.takes.sewing import SewnHit
from easy_pocket.core.takes.take_groove import take_groove


def groove(name: str, off_ms: float, lean_ms: float = 0.0, quiet: float = 0.5, slots: int = 16) -> GrooveTemplate:
    step = slots // 8
    offsets = tuple(lean_ms + (off_ms if place % (2 * step) >= step else 0.0) for place in range(slots))
    accents = tuple(1.0 if place % (2 * step) == 0 else quiet for place in range(slots))
    return GrooveTemplate(name, 100.0, slots, {"all": Lane(offsets, accents)})


GROOVES = [
    groove("straight", 0),
    groove("late", 20),
    groove("later", 24),
    groove("early", -20),
    groove("even", 20, 0, 1.0),
]


def test_the_nearest_is_the_likest_and_the_mirrored_one_the_opposite() -> None:
    like = alike(GROOVES, 1)
    assert like[1] == 1.0
    assert like.argsort()[::-1].tolist()[:2] == [1, 2]
    assert np.argmax(opposed(GROOVES, 1)) == 3
    assert opposed(GROOVES, 1)[1] == 0.0


def test_figures_say_what_they_are() -> None:
    told = figures(groove("one", 30, 6))
    assert told.lean_ms == pytest.approx(21)
    assert told.swing > 0.02
    assert figures(groove("back", 0, -8)).lean_ms == pytest.approx(-8)
    assert in_words(groove("one", 0, -8, 1.0)) == "ahead by 8 ms, even"
    assert in_words(groove("one", 30)).startswith("off-beats 20 ms late, behind by 15 ms")


def test_slots_do_not_matter_for_what_is_the_same_line() -> None:
    assert picture(groove("fine", 20)) == pytest.approx(picture(groove("finer", 20, slots=32)), abs=0.9)
    fine, coarse = groove("a", 0, 5), groove("b", 0, 5, slots=8)
    assert picture(fine)[:16] == pytest.approx(picture(coarse)[:16])


def test_the_map_has_swung_ones_on_one_side() -> None:
    row = [groove(f"{ms}", ms) for ms in (-10, 0, 8, 16, 30)]
    found = groove_map(row)
    ends = {found.across.low, found.across.high}
    assert ends in ({"straight", "swung"}, {"ahead", "behind"})
    across = found.places[:, 0]
    assert (np.diff(across) > 0).all()
    assert found.places.min() >= 0
    assert found.places.max() <= 1


@given(st.integers(0, 6))
def test_any_number_of_grooves_has_a_map(count: int) -> None:
    found = groove_map(GROOVES[:count])
    assert found.places.shape == (min(count, 5), 2)
    assert np.isfinite(found.places).all()


def test_the_house_grooves_do_not_hide_each_other() -> None:
    places = groove_map(list(house_grooves().values())).places
    apart = np.sqrt(((places[:, None] - places[None]) ** 2).sum(axis=2))
    np.fill_diagonal(apart, 9)
    assert apart.min() > 0.02


def test_the_groove_of_a_take_is_where_its_hits_lie() -> None:
    tick_ms = 60_000 / 100 / 960
    hits = []
    for tick in range(0, 7680, 480):
        on_beat = tick % 960 == 0
        played_ms = tick * tick_ms + (-3.0 if on_beat else 9.0)
        hits.append(SewnHit(Hit("snare", tick, 127 if on_beat else 64), played_ms, 1))
    found = take_groove(hits, "take", Metre(4, 4), 100.0)
    assert found is not None
    assert (found.slots_per_bar, found.bars) == (16, 1)
    lane = found.lanes["all"]
    assert lane.offsets[::4] == pytest.approx(np.full(4, -3.0))
    assert lane.offsets[2::4] == pytest.approx(np.full(4, 9.0))
    assert lane.accents[2] == pytest.approx(64 / 127)
    assert lane.guessed[1]
    assert take_groove(hits[:3], "few", Metre(4, 4), 100.0) is None
