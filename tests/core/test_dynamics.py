"""Ghost level, accent depth and the weaker hand; shapes that keep what is loud above what is quiet."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.pattern.edits import apply_edit
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.shapes import Shape
from tests.drums import beat

SNARE = Pattern(3840, (Hit("snare", 0, 120), Hit("snare", 480, 40), Hit("snare", 960, 80), Hit("snare", 1440, 100)))
HATS = beat({"hat_closed": "xxxxxxxx", "kick": "x...x..."})


def velocities(pattern, **feel):
    return perform(pattern, FeelScopes(Feel(**feel)), tempo_bpm=100).velocity.tolist()


def test_ghosts_are_levelled_and_the_rest_left():
    assert velocities(SNARE, ghost_percent=50) == [120, 20, 80, 100]
    assert velocities(SNARE, ghost_percent=200) == [120, 80, 80, 100]


def test_accent_depth_stretches_about_the_middle_and_is_clamped_in_the_ledger():
    assert velocities(SNARE, depth_percent=50) == [110, 40, 90, 100]
    assert velocities(SNARE, depth_percent=0) == [100, 40, 100, 100]
    performance = perform(SNARE, FeelScopes(Feel(depth_percent=200)), tempo_bpm=100)
    line = performance.ledger(0)
    assert (line.velocity, line.amounts_velocity["depth"], line.amounts_velocity["clamp"]) == (127, 20, -13)


@pytest.mark.parametrize(("tempo_bpm", "weak"), [(100.0, [1, 3, 5, 7]), (80.0, [])])
def test_the_weaker_hand_plays_every_second_fast_stroke_quieter_and_later(tempo_bpm, weak):
    performance = perform(HATS, FeelScopes(Feel(weaker_hand=True)), tempo_bpm=tempo_bpm)
    hats = performance.hits.voice_index == performance.hits.voices.index("hat_closed")
    late = performance.offset_ms[hats]
    assert np.flatnonzero(late).tolist() == weak
    assert [v for v in performance.velocity[hats].tolist() if v != 88] == [75] * len(weak)
    assert not performance.offset_ms[~hats].any()


def test_8ths_are_played_by_one_hand():
    performance = perform(beat({"hat_closed": "x.x.x.x."}), FeelScopes(Feel(weaker_hand=True)), tempo_bpm=120)
    assert not performance.offset_ms.any()


PLACES = tuple(("rim", tick * 240) for tick in range(16))


@settings(max_examples=80, deadline=None)
@given(
    st.lists(st.integers(1, 127), min_size=16, max_size=16), st.floats(0, 40), st.integers(0, 1000),
)  # fmt: skip
def test_humanize_keeps_the_order_of_loud_and_quiet_and_its_band(levels, amount, seed):
    pattern = Pattern(3840, tuple(Hit("rim", i * 240, level) for i, level in enumerate(levels)))
    after = apply_edit(pattern, Shape("velocity", PLACES, "humanize", amount=amount, seed=seed))
    now = [hit.velocity for hit in after.hits]
    assert all(abs(a - b) <= amount + 0.5 for a, b in zip(now, levels, strict=True))
    pairs = [(i, j) for i in range(16) for j in range(16) if levels[i] < levels[j]]
    assert all(now[i] < now[j] for i, j in pairs)


def test_humanize_moves_what_has_room():
    pattern = Pattern(3840, tuple(Hit("rim", i * 240, 60 if i % 2 else 100) for i in range(16)))
    after = [h.velocity for h in apply_edit(pattern, Shape("velocity", PLACES, "humanize", amount=10, seed=3)).hits]
    assert np.std(after[::2]) > 2
    assert np.std(after[1::2]) > 2


def test_fixed_and_limited():
    pattern = Pattern(3840, tuple(Hit("rim", i * 240, 7 * i + 5) for i in range(16)))
    fixed = apply_edit(pattern, Shape("velocity", PLACES, "fixed", start=77))
    assert {hit.velocity for hit in fixed.hits} == {77}
    limited = apply_edit(pattern, Shape("velocity", PLACES, "limit", start=40, end=90))
    assert (min(h.velocity for h in limited.hits), max(h.velocity for h in limited.hits)) == (40, 90)
    assert [h.velocity for h in limited.hits][6:12] == [47, 54, 61, 68, 75, 82]
    with pytest.raises(BadValueError, match="lies above"):
        apply_edit(pattern, Shape("velocity", PLACES, "limit", start=90, end=40))
