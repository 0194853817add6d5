"""Two hands and two feet: what they can play, what they cannot, and that nobody is blamed for what can be done."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import settings as few
from hypothesis import strategies as st

from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.ideas.playable import (
    FOOT_AGAIN_MS,
    HAND_AGAIN_MS,
    HAND_FAR_MS,
    PLACES,
    check_performance,
    faults,
    faults_of_hits,
    hand_ms,
    limbs_used,
    playable_tag,
    unplayable,
)
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.pattern import Hit, Pattern

HANDS = sorted(PLACES)


def even(voice, count, gap_ms):
    return [n * gap_ms for n in range(count)], [voice] * count


@pytest.mark.parametrize(("gap_ms", "can"), [(50.0, True), (47.0, False), (95.0, True)])
def test_two_hands_on_one_drum_take_turns(gap_ms, can):
    assert (not faults(*even("snare", 16, gap_ms))) == can


@pytest.mark.parametrize(("gap_ms", "can"), [(FOOT_AGAIN_MS, True), (FOOT_AGAIN_MS - 1, False)])
def test_a_foot_has_nobody_to_take_turns_with(gap_ms, can):
    assert (not faults(*even("kick", 4, gap_ms))) == can


def test_each_foot_has_its_own_pedal():
    times = [0.0, 0.0, 60.0, 120.0]
    assert faults(times, ["kick", "hat_pedal", "snare", "kick"]) == []
    (fault,) = faults([0.0, 60.0], ["hat_pedal", "hat_pedal"])
    assert fault.words == "the left foot would have to strike again within 105 ms"


@pytest.mark.parametrize("count", [1, 2])
def test_two_at_once_are_two_hands(count):
    assert faults([0.0] * count, ["snare", "crash"][:count]) == []


@pytest.mark.parametrize("count", [3, 4, 5])
def test_of_more_at_once_two_are_played_and_the_rest_told(count):
    voices = ["snare", "crash", "ride", "tom_low", "hat_closed"][:count]
    found = faults([0.0] * count, voices)
    assert len(found) == count - 2
    assert {fault.words for fault in found} == {"more than two strokes for two hands at once"}


@given(st.sampled_from(HANDS), st.sampled_from(HANDS))
def test_a_hand_needs_longer_the_further_it_goes_and_as_long_back(one, other):
    assert HAND_AGAIN_MS <= hand_ms(one, other) <= HAND_FAR_MS
    assert hand_ms(one, other) == pytest.approx(hand_ms(other, one))
    assert hand_ms(one, one) == HAND_AGAIN_MS


@st.composite
def strokes_of_two(draw):
    """What two hands and two feet played, each in its own time: then it can be played."""
    listed = []
    for _ in range(2):
        at, before = float(draw(st.integers(0, 200))), ""
        for _ in range(draw(st.integers(0, 8))):
            voice = draw(st.sampled_from(HANDS))
            at += hand_ms(before, voice) + draw(st.integers(0, 200)) if before else 0.0
            listed.append((at, voice))
            before = voice
    for pedal in ("kick", "hat_pedal"):
        at = float(draw(st.integers(0, 200)))
        for _ in range(draw(st.integers(0, 6))):
            listed.append((at, pedal))
            at += FOOT_AGAIN_MS + draw(st.integers(0, 300))
    return sorted(listed)


@few(max_examples=60)
@given(strokes_of_two())
def test_what_two_hands_and_two_feet_played_is_playable(listed):
    # Strokes of both hands nearer than 12 ms count as struck at once, which can only be as hard as they were.
    close = [b[0] - a[0] for a, b in pairwise(listed)]
    if all(gap == 0 or gap >= 12 for gap in close):
        assert faults([at for at, _ in listed], [voice for _, voice in listed]) == []


@given(st.lists(st.tuples(st.integers(0, 2000), st.sampled_from([*HANDS, "kick"])), max_size=25).map(sorted))
def test_leaving_out_what_is_told_leaves_what_can_be_played(listed):
    times, voices = [float(at) for at, _ in listed], [voice for _, voice in listed]
    found = {fault.index for fault in faults(times, voices)}
    left = [place for place in range(len(listed)) if place not in found]
    again = faults([times[place] for place in left], [voices[place] for place in left])
    assert len(again) <= len(found)
    assert [fault.index for fault in faults(times, voices)] == sorted(found)


def test_written_hits_are_looked_at_on_the_straight_grid():
    fast = tuple(Hit("ride", tick, 90) for tick in range(0, 960, 60))
    assert faults_of_hits(fast, 60.0) == []
    assert faults_of_hits(fast, 200.0)
    assert playable_tag(fast, 60.0) == ("playable",)
    assert playable_tag(fast, 200.0) == ("not for two hands",)
    assert playable_tag(fast * 100, 60.0) == ()


def test_the_words_name_the_voice_and_the_place():
    fast = Pattern(3840, tuple(Hit("kick", tick, 90) for tick in (0, 60, 1920)))
    assert unplayable(fast, 120) == ["kick at 1.1 +0.062: the right foot would have to strike again within 105 ms"]


def test_a_roll_is_looked_at_stroke_by_stroke():
    roll = Articulation("ratchet", strokes=8, span_ticks=240)
    pattern = Pattern(3840, (Hit("snare", 0, 100, articulation=roll), Hit("crash", 60, 100), Hit("ride", 60, 100)))
    found = check_performance(perform(pattern, tempo_bpm=150))
    assert found
    assert all(hit.tick in (0, 60) for hit, _ in found)


def test_feel_can_make_playable_what_is_written_too_close():
    pattern = Pattern(3840, (Hit("kick", 0, 100), Hit("kick", 240, 100)))
    straight = perform(pattern, tempo_bpm=150)
    swung = perform(pattern, FeelScopes(Feel(swing_percent=66.0)), tempo_bpm=150)
    assert check_performance(straight)
    assert check_performance(swung) == []


@pytest.mark.parametrize(
    ("voices", "words"),
    [
        (["snare"], "two hands, no foot"),
        (["snare", "kick"], "two hands, one foot"),
        (["kick", "hat_pedal"], "no hand, two feet"),
        (["ride", "kick", "hat_pedal"], "two hands, two feet"),
    ],
)
def test_limbs_are_counted(voices, words):
    assert limbs_used(voices) == words
