"""Ornaments and odds: known answers, and what must hold whatever is asked for."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.stages import MIN_GAP_MS
from easy_pocket.core.feel.strokes import first_pass_differs, pass_cycle, sounding, stroke_shares, strokes
from easy_pocket.core.pattern.articulation import (
    PLAIN,
    Articulation,
    articulation_from_doc,
    articulation_to_doc,
    changed,
)
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.sound.events import play_columns
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.store.hits_json import hits_from_json, hits_to_json

TEMPO_BPM = 125.0  # a 16th lasts 120 ms
KIT = HOUSE_KITS["boathouse"]


def struck(articulation, tick=960, velocity=100, others=(), **feel):
    pattern = Pattern(3840, (Hit("snare", tick, velocity, articulation=articulation), *others))
    performance = perform(pattern, FeelScopes(Feel(**feel)), tempo_bpm=TEMPO_BPM)
    return strokes(performance), performance


def test_a_flam_is_one_grace_stroke_before_the_hit():
    found, _ = struck(Articulation("flam", grace_ms=25))
    np.testing.assert_allclose(found.time_ms, [455, 480])
    assert found.velocity.tolist() == [45, 100]


def test_a_drag_is_two():
    found, _ = struck(Articulation("drag", grace_ms=30))
    np.testing.assert_allclose(found.time_ms, [420, 450, 480])


def test_an_even_ratchet_divides_its_slot():
    found, _ = struck(Articulation("ratchet", strokes=4, span_ticks=240, swell=-60))
    np.testing.assert_allclose(found.time_ms, [480, 510, 540, 570])
    assert found.velocity.tolist() == [100, 80, 60, 40]


@pytest.mark.parametrize(("spacing", "sign"), [("accelerating", -1), ("slowing", 1)])
def test_gaps_shrink_or_grow_and_fill_the_span(spacing, sign):
    shares = np.append(stroke_shares(6, spacing), 1.0)
    gaps = np.diff(shares)
    assert (np.sign(np.diff(gaps)) == sign).all()
    assert shares[0] == 0


def test_a_ratchet_bends_with_the_swing():
    found, _ = struck(Articulation("ratchet", strokes=2, span_ticks=480), swing_percent=66)
    np.testing.assert_allclose(found.time_ms, [480, 480 + 0.66 * 240])


def test_a_grace_stroke_gives_way_to_a_hit_in_its_place():
    before = Hit("snare", 960 - 50, 90)  # 25 ms before
    found, _ = struck(Articulation("flam", grace_ms=25), others=(before,))
    assert len(found.time_ms) == 2


def test_odds_are_the_same_for_the_same_seed_and_come_near_what_they_say():
    hits = Pattern(3840, (Hit("rim", 240, 90, articulation=Articulation(odds_percent=30)),)).arrays
    draws = [bool(sounding(hits, number, 7)[0]) for number in range(1, 2001)]
    assert draws == [bool(sounding(hits, number, 7)[0]) for number in range(1, 2001)]
    assert np.mean(draws) == pytest.approx(0.3, abs=0.04)


def test_passes_say_when_a_hit_sounds():
    hits = Pattern(
        3840,
        (
            Hit("rim", 0, 90, articulation=Articulation(passes=1)),
            Hit("rim", 240, 90, articulation=Articulation(passes=2)),
            Hit("rim", 480, 90, articulation=Articulation(passes=3)),
            Hit("rim", 720, 90),
        ),
    )
    heard = [sounding(hits.arrays, number, 0).tolist() for number in (1, 2, 3)]
    assert heard == [[True, False, False, True], [False, True, False, True], [False, False, True, True]]
    assert pass_cycle(hits) == 6
    assert first_pass_differs(hits)
    assert pass_cycle(Pattern(3840, (Hit("rim", 0, 90),))) == 1


def test_tune_pan_and_length_reach_the_events():
    special = Articulation(tune_cents=1200, pan=-0.5, length_ticks=240)
    pattern = Pattern(3840, (Hit("tom_mid", 0, 90), Hit("tom_mid", 1920, 90, articulation=special)))
    events = play_columns(perform(pattern, tempo_bpm=TEMPO_BPM), KIT)
    assert events.rate.tolist() == [1.0, 2.0]
    assert events.pan[1] == pytest.approx(events.pan[0] - 0.5)
    assert events.cut_s[1] - events.start_s[1] == pytest.approx(0.120)
    assert np.isinf(events.cut_s[0])


def test_a_grace_stroke_before_the_start_sounds_at_the_loops_end():
    pattern = Pattern(3840, (Hit("snare", 0, 90, articulation=Articulation("flam")),))
    events = play_columns(perform(pattern, tempo_bpm=TEMPO_BPM), KIT)
    np.testing.assert_allclose(events.start_s, [0, 1.92 - 0.024])


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"ornament": "trill"}, "'trill' is neither"),
        ({"ornament": "ratchet", "strokes": 9, "span_ticks": 240}, "strokes of a ratchet"),
        ({"ornament": "ratchet", "strokes": 4, "span_ticks": 0}, "length of a ratchet"),
        ({"odds_percent": 0}, "odds"),
        ({"tune_cents": 3000}, "tuning"),
        ({"pan": float("nan")}, "pan"),
    ],
)
def test_what_no_hit_can_be_is_refused_in_words(values, words):
    with pytest.raises(BadValueError, match=words):
        Articulation(**values)


def test_nothing_left_is_plain_again():
    assert changed(changed(PLAIN, tune_cents=300), tune_cents=0) is PLAIN
    with pytest.raises(BadValueError, match="'colour' is nothing a hit can have"):
        articulation_from_doc({"colour": 1})


ARTICULATIONS = st.builds(
    Articulation,
    ornament=st.sampled_from(("", "flam", "drag", "ratchet", "roll")),
    strokes=st.integers(2, 8),
    span_ticks=st.integers(30, 960),
    spacing=st.sampled_from(("even", "accelerating", "slowing")),
    swell=st.integers(-126, 126),
    grace_ms=st.floats(15, 35),
    tune_cents=st.integers(-2400, 2400),
    pan=st.floats(-1, 1),
    odds_percent=st.integers(1, 100),
    passes=st.integers(0, 16),
    locked=st.booleans(),
)
PATTERNS = st.lists(
    st.tuples(st.sampled_from(("snare", "rim")), st.integers(0, 3839), st.integers(1, 127), ARTICULATIONS),
    min_size=1,
    max_size=12,
    unique_by=lambda row: row[:2],
).map(lambda rows: Pattern(3840, tuple(Hit(v, t, velocity, articulation=a) for v, t, velocity, a in rows)))


@settings(max_examples=60, deadline=None)
@given(PATTERNS, st.floats(50, 75), st.integers(1, 9))
def test_strokes_of_a_voice_stay_apart_and_every_hit_that_sounds_keeps_its_own(pattern, swing, number):
    performance = perform(pattern, FeelScopes(Feel(swing_percent=swing)), tempo_bpm=TEMPO_BPM)
    found = strokes(performance, number, 3)
    heard = sounding(pattern.arrays, number, 3)
    assert set(found.hit.tolist()) == set(np.flatnonzero(heard).tolist())
    for index in range(len(performance.hits.voices)):
        times = np.sort(found.time_ms[performance.hits.voice_index[found.hit] == index])
        assert (np.diff(times) > MIN_GAP_MS - 1e-6).all()
    assert found.velocity.min(initial=1) >= 1
    assert found.velocity.max(initial=1) <= 127
    own = [performance.played_ms[hit] in found.time_ms[found.hit == hit] for hit in np.flatnonzero(heard)]
    assert all(own)


@settings(max_examples=60, deadline=None)
@given(PATTERNS)
def test_what_sets_a_hit_apart_is_kept_exactly(pattern):
    assert hits_from_json(hits_to_json(pattern.hits)) == list(pattern.hits)
    for hit in pattern.hits:
        assert articulation_from_doc(articulation_to_doc(hit.articulation)) == hit.articulation
