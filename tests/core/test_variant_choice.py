"""Which turns of a part are varied, what a hit is worth by slot, what a fill is called, and how loud a beat is made."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.pocket import accent_profile
from easy_pocket.core.ideas.fill_description import describe_fill, fill_tags
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.selection_edits import VALUE_RANGES, value_of, with_value
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.song.pattern_variants import chosen_variant
from easy_pocket.core.sound.events import play_columns
from easy_pocket.core.sound.loudness_match import matching_gain
from easy_pocket.samples import house_kits
from tests.drums import one_stroke

FOUR = Metre(4, 4)
TURNS = np.arange(4000)


@pytest.mark.parametrize("percent", [0.0, 10.0, 50.0, 100.0])
def test_as_many_turns_are_varied_as_asked_the_first_never(percent):
    found = chosen_variant(TURNS, percent, 3, 4)
    assert found[0] == 0
    assert (found > 0).mean() == pytest.approx(percent / 100, abs=0.03)
    assert set(np.unique(found)) <= set(range(5))


def test_every_variant_has_its_turn_and_a_turn_is_the_same_whenever_it_is_asked_for():
    found = chosen_variant(TURNS, 100.0, 3, 4)
    assert [round(float((found == number).mean()), 1) for number in range(1, 5)] == pytest.approx([0.2] * 4, abs=0.11)
    assert chosen_variant(TURNS[1234:1240], 100.0, 3, 4).tolist() == found[1234:1240].tolist()
    assert chosen_variant(TURNS, 100.0, 4, 4).tolist() != found.tolist()


def test_without_variants_nothing_varies():
    assert not chosen_variant(TURNS, 100.0, 3, 0).any()


def test_accents_are_means_by_slot_and_nothing_where_nothing_is_played():
    pattern = Pattern(7680, (Hit("kick", 0, 100), Hit("kick", 3840, 80), Hit("kick", 960, 60)))
    performance = perform(pattern, tempo_bpm=100)
    found = accent_profile(performance, np.ones(3, dtype=bool), 960)
    assert found[0] == 90.0
    assert found[1] == 60.0
    assert all(math.isnan(one) for one in found[2:])


@given(st.sampled_from(sorted(VALUE_RANGES)), st.data())
def test_a_value_that_is_set_is_the_value_that_is_read(field, data):
    low, high, _ = VALUE_RANGES[field]
    value = data.draw(st.integers(math.ceil(low), math.floor(high)))
    hit = with_value(Hit("snare", 960, 90), field, value, 240)
    assert value_of(hit, field) == pytest.approx(max(value, 1) if field == "strokes" else value)
    assert (hit.voice, hit.tick) == ("snare", 960)


WORDS = {
    "subdivision": "16", "way": "snare into toms", "curve": "rising", "loudness": None, "ending": "hit4",
    "keeps": "", "last": 2880, "metre": FOUR, "crash": "", "ticks": [0, 240, 480],
}  # fmt: skip


@pytest.mark.parametrize(
    ("changed", "sentence"),
    [
        ({}, "16ths, snare into toms, rising, lands on 4"),
        ({"loudness": (60, 110), "curve": "level"}, "16ths, snare into toms, rising, lands on 4"),
        ({"loudness": (110, 60)}, "16ths, snare into toms, falling, lands on 4"),
        ({"loudness": (90, 90)}, "16ths, snare into toms, lands on 4"),
        ({"ending": "silence"}, "16ths, snare into toms, rising, then silence"),
        ({"ending": "pickup"}, "16ths, snare into toms, rising, picks up to the one"),
        ({"ending": "crash", "crash": "crash"}, "16ths, snare into toms, rising, Crash on the next one"),
        ({"last": 3360}, "16ths, snare into toms, rising, lands on 4 and a half"),
        ({"keeps": "hat_closed"}, "16ths, snare into toms, rising, Closed hat keeps going, lands on 4"),
        ({"subdivision": "32"}, "16ths, snare into toms, rising, lands on 4"),
        ({"subdivision": "32", "ticks": [0, 120]}, "16ths with a 32nd burst, snare into toms, rising, lands on 4"),
    ],
)
def test_a_fill_is_told_in_a_sentence(changed, sentence):
    assert describe_fill(**{**WORDS, **changed}).lower() == sentence.lower()


@pytest.mark.parametrize(("density", "word"), [(1.0, "calm"), (2.2, "busy"), (4.0, "dense")])
def test_a_fill_is_dense_beside_the_beat_it_is_in(density, word):
    facts = {"density": density, "syncopation": 1.25, "distance": 0.5}
    tags = fill_tags(facts, ["snare", "kick"], True, 2.0)
    assert tags[0] == "playable"
    assert tags[1].startswith(word)
    assert "50 % new" in tags
    assert fill_tags(facts, ["snare"], False, 2.0)[0] == "not for two hands"


def columns(*velocities, kit=one_stroke(house_kits()["boathouse"])):
    pattern = Pattern(3840, tuple(Hit("snare", 240 * n, velocity) for n, velocity in enumerate(velocities)))
    return play_columns(perform(pattern, tempo_bpm=100), kit)


def test_a_beat_is_made_as_loud_as_another():
    kit = one_stroke(house_kits()["boathouse"])
    loud, soft = columns(110, 110, 110, 110), columns(60, 60, 60, 60)
    gain = matching_gain(soft, loud, kit)
    assert 1.0 < gain <= 4.0
    assert matching_gain(loud, soft, kit) == pytest.approx(1 / gain, rel=1e-6)
    assert matching_gain(loud, loud, kit) == 1.0
    assert matching_gain(columns(100), columns(100, 100), kit) == pytest.approx(2**0.5, rel=1e-6)


def test_nothing_is_made_louder_than_12_db():
    kit = house_kits()["boathouse"]
    assert matching_gain(columns(1), columns(*[127] * 16), kit) == pytest.approx(10 ** (12 / 20))
