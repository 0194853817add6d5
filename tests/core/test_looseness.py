"""Drift, jitter and touch: their statistics, what they are keyed by, and that they are the same everywhere."""

import hashlib

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.looseness import BLOCK, jitter, touch, wander
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.stages import TIME_STAGES, VELOCITY_STAGES
from easy_pocket.core.pattern.pattern import Hit, Pattern
from tests.drums import ROCK, beat

SLOTS = np.arange(BLOCK)
LOOSE = Feel(drift_ms=4, jitter_ms=2, touch=8, seed=41)
DRIFT, JITTER = TIME_STAGES.index("drift"), TIME_STAGES.index("jitter")


def played(pattern, feel=LOOSE, **how):
    return perform(pattern, FeelScopes(feel), tempo_bpm=104, **how)


@pytest.mark.parametrize("seed", [1, 41, 2**31])
def test_drift_is_one_over_f_noise_of_the_deviation_asked_for(seed):
    noise = wander(seed, "drift", SLOTS)
    assert noise.std() == pytest.approx(1, rel=0.05)
    assert abs(noise.mean()) < 1e-9
    power = np.abs(np.fft.rfft(noise))[1:-1] ** 2
    slope = np.polyfit(np.log(np.arange(1, len(power) + 1)), np.log(power), 1)[0]
    assert -1.3 < slope < -0.7


def test_jitter_is_normal_and_of_the_deviation_asked_for():
    drawn = jitter(41, "snare", SLOTS * 240, 0)
    assert drawn.std() == pytest.approx(1, rel=0.05)
    assert stats.kstest(drawn, "norm").pvalue > 0.01
    assert abs(np.corrcoef(drawn, jitter(41, "kick", SLOTS * 240, 0))[0, 1]) < 0.05


def test_touch_stays_in_its_range_and_is_part_slow():
    drawn = touch(41, "hat_closed", SLOTS * 240, 0, 0)
    assert np.abs(drawn).max() <= 1
    assert np.corrcoef(drawn[:-1], drawn[1:])[0, 1] > 0.05


def test_hits_of_a_part_in_one_slot_share_drift_but_not_jitter():
    performance = played(beat({"kick": "x...x...", "snare": "x...x...", "rim": "x...x..."}))
    at_once = performance.hits.tick == 960
    assert len(np.unique(performance.amounts_ms[DRIFT][at_once])) == 1
    assert len(np.unique(performance.amounts_ms[JITTER][at_once])) == 3
    assert np.abs(performance.amounts_ms[DRIFT]).max() > 0


def test_the_ledger_still_adds_up_and_straight_knows_no_looseness():
    performance = played(beat(ROCK), Feel(drift_ms=20, jitter_ms=20, touch=40, swing_percent=60))
    np.testing.assert_allclose(
        performance.played_ms, performance.straight_ms + performance.amounts_ms.sum(axis=0), atol=1e-6
    )
    np.testing.assert_array_equal(
        performance.velocity, performance.hits.velocity + performance.amounts_velocity.sum(axis=0)
    )
    straight = played(beat(ROCK), straight=True)
    np.testing.assert_array_equal(straight.played_ms, straight.straight_ms)
    np.testing.assert_array_equal(straight.velocity, straight.hits.velocity)


def test_the_same_in_every_pass_or_another_draw_in_each():
    first, second = (played(beat(ROCK), pass_number=number) for number in (1, 2))
    np.testing.assert_array_equal(first.played_ms, second.played_ms)
    runs_on = Feel(drift_ms=4, jitter_ms=2, touch=8, seed=41, runs_on=True)
    again, third = (played(beat(ROCK), runs_on, pass_number=number) for number in (1, 3))
    np.testing.assert_array_equal(again.played_ms, first.played_ms)
    assert (third.played_ms != first.played_ms).mean() > 0.9


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.tuples(st.sampled_from(("kick", "snare", "hat_closed")), st.integers(0, 31), st.integers(1, 127)),
        min_size=2,
        max_size=40,
        unique_by=lambda row: row[:2],
    ),
    st.integers(0, 2**31),
    st.data(),
)
def test_taking_a_hit_away_leaves_every_other_as_it_was(rows, seed, data):
    hits = [Hit(voice, slot * 240, velocity) for voice, slot, velocity in rows]
    gone = data.draw(st.sampled_from(hits))
    feel = Feel(drift_ms=4, jitter_ms=2, touch=8, seed=seed)

    def amounts(pattern):
        performance = played(pattern, feel)
        touched = performance.amounts_velocity[VELOCITY_STAGES.index("touch")]
        return {
            (performance.hits.voices[voice], tick): (drifted, jittered, scattered)
            for voice, tick, drifted, jittered, scattered in zip(
                performance.hits.voice_index,
                performance.hits.tick,
                performance.amounts_ms[DRIFT],
                performance.amounts_ms[JITTER],
                touched,
                strict=True,
            )
        }

    before = amounts(Pattern(7680, tuple(hits)))
    after = amounts(Pattern(7680, tuple(hit for hit in hits if hit is not gone)))
    assert after == {place: value for place, value in before.items() if place != (gone.voice, gone.tick)}


def test_a_seed_gives_the_same_performance_on_every_machine():
    performance = played(beat(ROCK))
    told = ",".join(
        f"{time:.6f}:{velocity}" for time, velocity in zip(performance.played_ms, performance.velocity, strict=True)
    )
    assert hashlib.sha256(told.encode()).hexdigest()[:16] == "689dadc09a770103"


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"drift_ms": 21}, "Drift is 21 ms"),
        ({"touch": -1}, "Touch is -1"),
        ({"jitter_ms": float("nan")}, "Jitter is nan"),
    ],
)
def test_what_is_out_of_range_is_refused_in_words(values, words):
    with pytest.raises(BadValueError, match=words):
        Feel(**values)
