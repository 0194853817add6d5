"""The voices of a fill: every way through the drums has a voice for each stroke, and its words say what it does."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.ideas.fill_voices import CURVES, LOUDEST_BEFORE, TRENDS, WAYS, ladder, velocities, walk
from easy_pocket.core.pattern.timebase import Metre

FOUR = Metre(4, 4)
DRUMS = ["snare", "tom_high", "tom_mid", "tom_low"]
SLOTS = list(range(1920, 3840, 240))


def dice(seed):
    return np.random.default_rng(seed)


def test_the_odds_of_the_ways_and_of_the_curves_add_up_to_one():
    assert sum(way.odds for way in WAYS.values()) == pytest.approx(1.0)
    assert sum(CURVES.values()) == pytest.approx(1.0)


@given(st.sampled_from(sorted(WAYS)), st.integers(0, 9999), st.integers(1, 12), st.integers(1, 4), st.booleans())
def test_there_is_a_voice_for_every_stroke_and_only_of_those_that_are_there(path, seed, count, drums, feet):
    slots = list(range(0, count * 240, 240))
    there = DRUMS[:drums]
    found = walk(path, slots, there, feet, FOUR, dice(seed))
    assert len(found.voices) == count
    assert set(found.voices) <= {*there, "kick"} if feet else set(found.voices) <= set(there)
    assert found.words


@pytest.mark.parametrize("seed", range(12))
def test_down_goes_down_and_up_goes_up(seed):
    down = [DRUMS.index(voice) for voice in walk("down", SLOTS, DRUMS, False, FOUR, dice(seed)).voices]
    up = [DRUMS.index(voice) for voice in walk("up", SLOTS, DRUMS, False, FOUR, dice(seed)).voices]
    assert down == sorted(down)
    assert up == sorted(up, reverse=True)
    assert down[-1] > down[0]
    assert up[-1] < up[0]


@pytest.mark.parametrize("seed", range(12))
def test_one_voice_stays_on_it(seed):
    found = walk("one", SLOTS, DRUMS, False, FOUR, dice(seed))
    assert len(set(found.voices)) == 1
    assert found.words.endswith("alone")


@pytest.mark.parametrize("seed", range(12))
def test_a_trade_is_of_two_who_both_play(seed):
    found = walk("trade", SLOTS, DRUMS, True, FOUR, dice(seed))
    assert len(set(found.voices)) == 2
    assert found.words.endswith("trade")
    runs = np.diff(np.flatnonzero(np.diff([found.voices[0] == voice for voice in found.voices]) != 0))
    assert (runs == runs[0]).all() if len(runs) else True


@pytest.mark.parametrize(
    ("voices", "found"),
    [
        (("kick", "snare", "tom_low", "ride"), ["snare", "tom_low"]),
        (("kick", "hat_closed"), ["kick", "hat_closed"]),
        (("rim", "clap"), ["clap", "rim"]),
    ],
)
def test_a_kit_without_drums_has_what_can_be_struck(voices, found):
    assert ladder(voices) == found


@given(st.sampled_from(sorted(CURVES)), st.integers(0, 9999), st.integers(1, 16))
def test_velocities_are_velocities(curve, seed, count):
    found = velocities(curve, list(range(0, count * 240, 240)), FOUR, dice(seed))
    assert len(found) == count
    assert ((found >= 1) & (found <= 127)).all()


def test_a_rising_curve_rises_and_a_level_one_hardly_moves():
    rising = np.mean([velocities("rising", SLOTS, FOUR, dice(seed)) for seed in range(40)], axis=0)
    level = np.mean([velocities("level", SLOTS, FOUR, dice(seed)) for seed in range(40)], axis=0)
    assert rising[4] - rising[0] > 8  # both on a beat
    assert abs(level[4] - level[0]) < rising[4] - rising[0]


@given(st.sampled_from(sorted(CURVES)), st.integers(0, 9999), st.integers(6, 16))
def test_some_strokes_are_accents_clearly_above_the_others_and_a_hand_with_a_foot_is_one(curve, seed, count):
    slots = list(range(0, count * 240, 240))
    found = velocities(curve, slots, FOUR, dice(seed), doubled=[slots[1]])
    first, rise, bend = TRENDS[curve]
    above = found - (first + rise * np.linspace(0, 1, count) ** bend)
    accented = above > 15
    assert 0.14 <= accented.mean() <= 0.5
    assert accented[1]
    assert (np.abs(above[~accented]) <= 3.01).all()
    assert found.max() <= LOUDEST_BEFORE
