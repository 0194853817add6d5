"""Variations that answer the beat: a cell of its own rhythm at another place, turned, a slot later or thinned."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.ideas.placement import LOUDEST_GHOST
from easy_pocket.core.ideas.variation_kinds import all_of
from easy_pocket.core.ideas.variations import VariationSettings, variations
from easy_pocket.core.ideas.varied_span import Span
from easy_pocket.core.pattern.backbeat import backbeat
from easy_pocket.core.pattern.pattern import Hit, Pattern
from tests.core.idea_scenes import BEATS, scene

HALF = 1920
CELL = (0, 480, 1200)  # kicks in the first half of a bar: on one, off it, and after two


def two_halves(*cell, voice="kick", more=()):
    here = scene()
    hits = [Hit(voice, tick, 100) for tick in cell] + [Hit("snare", tick, 110) for tick in (960, 2880)]
    pattern = Pattern(3840, (*hits, *more), here.pattern.metre)
    return Span(replace(here, pattern=pattern), 0, 3840, 240)


def of(span, way):
    said = "the rhythm of kick at 1.1" + ("" if way == "again" else f", {way}") + ": "
    found = [change for change in all_of(span, "answer") if change.words.startswith(said)]
    return {change.come[0].voice: [hit.tick for hit in change.come] for change in found}


def test_the_cell_comes_again_half_a_bar_later_on_another_voice():
    again = of(two_halves(*CELL), "again")
    assert again["tom_low"] == [HALF + tick for tick in CELL]
    assert "snare" not in again  # soft strokes are between the beats, and this cell begins on one


def test_a_cell_is_turned_moved_by_a_slot_and_thinned():
    span = two_halves(*CELL)
    assert of(span, "turned")["tom_low"] == [HALF + HALF - 240 - tick for tick in reversed(CELL)]
    assert of(span, "a slot later")["tom_low"] == [HALF + tick + 240 for tick in CELL]
    assert of(span, "thinned")["tom_low"] == [HALF, HALF + 1200]


@pytest.mark.parametrize("cell", [(0, 960), (0,), (0, 240, 480, 720, 1200)])
def test_what_is_on_the_beat_too_few_or_a_row_of_strokes_is_no_cell(cell):
    assert not of(two_halves(*cell), "again")


def test_ghosts_are_no_rhythm_to_answer():
    soft = (Hit("rim", 240, 30), Hit("rim", 720, 30))
    span = two_halves(0, more=soft)
    assert not [change for change in all_of(span, "answer") if "rim" in change.words]


@given(st.sampled_from(tuple(BEATS)), st.integers(0, 5_000))
def test_an_answer_adds_a_rhythm_takes_nothing_away_and_keeps_the_rules(name, seed):
    here = scene(name)
    span = Span(here, 0, here.pattern.length_ticks, 240)
    answers = all_of(span, "answer")
    assert all(not change.gone and len(change.come) >= 2 for change in answers)
    assert all(len({hit.voice for hit in change.come}) == 1 for change in answers)
    if not answers:
        return
    wanted = VariationSettings(changes=1, kinds=("answer",))
    idea = variations(here, wanted, seed, 0, here.pattern.length_ticks, count=1).ideas[0]
    held = {hit.tick for hit in backbeat(here.pattern)}
    for hit in idea.changes[0].come:
        assert not (hit.voice == "kick" and hit.tick in held)
        assert not (hit.velocity <= LOUDEST_GHOST and hit.tick in held)
        assert here.pattern.at(hit.voice, hit.tick) is None
