"""The gap between two performances, and the figures of one."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.pocket import measure_swing, pocket_by_voice
from easy_pocket.core.feel.timing_comparison import gap, side_of, together
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.listen.loop_side import side_of_loop
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick
from tests.drums import ROCK, SWUNG, beat, rendered

ROCK_BEAT = beat(ROCK)
FEEL = FeelScopes(Feel(swing_percent=58), Feel(), {"snare": Feel(push_ms=9), "hat_closed": Feel(push_ms=-4)})
HALF_SLOT_MS = 120 * ms_per_tick(104)


def sides(pattern, feel, other=None, other_feel=None, tempo_bpm=104.0):
    one = side_of(perform(pattern, feel, tempo_bpm=tempo_bpm), "A")
    two = side_of(perform(other or pattern, other_feel, tempo_bpm=tempo_bpm), "B")
    return one, two


def test_felt_against_straight_gives_back_the_offsets():
    felt = perform(ROCK_BEAT, FEEL, tempo_bpm=104)
    found = gap(*sides(ROCK_BEAT, FEEL), HALF_SLOT_MS)
    assert len(found.gap_ms) == len(ROCK_BEAT.hits)
    assert sorted(found.gap_ms) == pytest.approx(sorted(-felt.offset_ms))
    assert found.mean_size_ms == pytest.approx(np.abs(felt.offset_ms).mean())


def test_the_worst_pairs_come_first_and_point_at_their_hits():
    moved = ROCK_BEAT.with_hits(
        Hit(h.voice, h.tick, h.velocity, 30.0 if (h.voice, h.tick) == ("kick", 3840 + 1440) else 1.0)
        for h in ROCK_BEAT.hits
    )
    one, two = sides(ROCK_BEAT, None, moved, None)
    found = gap(one, two, HALF_SLOT_MS)
    worst = found.worst(3)
    first = found.a[worst[0]]
    assert (one.voices[one.voice_index[first]], int(one.tick[first])) == ("kick", 5280)
    assert found.gap_ms[worst[0]] == pytest.approx(30.0)
    assert found.gap_ms[worst[1]] == pytest.approx(1.0)


def test_hits_without_a_counterpart_are_listed_and_a_shorter_side_repeats():
    one = beat({"kick": "x...x...x...x...|x...x...x...x..."})
    two = beat({"kick": "x...x.......x...", "snare": "....x..........."})
    found = gap(*sides(one, None, two, None), HALF_SLOT_MS)
    assert len(found.a) == 6
    assert len(found.only_a) == 2
    assert len(found.only_b) == 1
    turned = gap(*sides(two, None, one, None), HALF_SLOT_MS)
    assert (len(turned.only_a), len(turned.only_b)) == (1, 2)
    with pytest.raises(BadValueError, match="neither fits into the other"):
        gap(*sides(one, None, Pattern(5760, one.hits[:4]), None), HALF_SLOT_MS)


def test_pairs_are_found_round_the_loop():
    early = Pattern(3840, (Hit("kick", 0, 90, -8.0),))
    late = Pattern(3840, (Hit("kick", 0, 90, 5.0),))
    found = gap(*sides(early, None, late, None), HALF_SLOT_MS)
    assert found.gap_ms.tolist() == pytest.approx([13.0])


@settings(max_examples=40, deadline=None)
@given(st.lists(st.floats(-40, 40), min_size=12, max_size=12), st.lists(st.floats(-40, 40), min_size=12, max_size=12))
def test_the_gap_turned_round_is_the_same_with_the_sign_turned(a_ms, b_ms):
    def pattern(offsets):
        return Pattern(3840, tuple(Hit("rim", slot * 320, 80, ms) for slot, ms in enumerate(offsets)))

    one, two = sides(pattern(a_ms), None, pattern(b_ms), None)
    there, back = gap(one, two, 1000.0), gap(two, one, 1000.0)
    assert sorted(there.gap_ms) == pytest.approx(sorted(-back.gap_ms), abs=1e-6)


def test_a_beat_lies_on_the_loop_that_was_made_from_it():
    pattern = beat(SWUNG)
    feel = Feel(swing_percent=60)
    audio, performance = rendered(pattern, 96.0, feel)
    heard = analyze_loop(audio)
    loop = side_of_loop(heard.onsets, heard.reading, "loop", 96.0)
    found = gap(side_of(performance, "beat"), loop, 120 * ms_per_tick(96))
    assert len(found.only_a) <= 1
    assert np.median(np.abs(found.gap_ms)) < 1.0
    straight = gap(side_of(perform(pattern, tempo_bpm=96), "straight"), loop, 120 * ms_per_tick(96))
    assert straight.mean_size_ms > found.mean_size_ms + 5


def test_swing_is_found_on_16ths_on_8ths_and_in_triplets():
    sixteenths = perform(beat(SWUNG), FeelScopes(Feel(swing_percent=61)), tempo_bpm=100)
    assert measure_swing(sixteenths).percent == pytest.approx(61)
    eighths = perform(beat({"ride": "x.x.x.x."}), FeelScopes(Feel(swing_percent=64, swing_unit=8)), tempo_bpm=100)
    assert (measure_swing(eighths).unit, measure_swing(eighths).percent) == (8, pytest.approx(64))
    triplets = perform(Pattern(3840, tuple(Hit("ride", t, 90) for t in (0, 640, 960, 1600))), tempo_bpm=100)
    assert measure_swing(triplets).percent == pytest.approx(200 / 3)
    assert measure_swing(triplets).ratio == pytest.approx(2.0)
    assert measure_swing(perform(beat({"kick": "x...x..."}), tempo_bpm=100)) is None


def test_accents_are_told_by_slot_and_only_the_chosen_hits_count():
    performance = perform(ROCK_BEAT, tempo_bpm=100)
    rows = {row.voice: row for row in pocket_by_voice(performance)}
    assert rows["snare"].accents[4] == 112
    assert np.isnan(rows["snare"].accents[0])
    assert rows["hat_closed"].accents[:3:2] == (88.0, 60.0)
    chosen = performance.hits.tick < 3840
    assert {row.voice: row.count for row in pocket_by_voice(performance, chosen)} == {
        "kick": 3, "snare": 2, "hat_closed": 8
    }  # fmt: skip


def _as_loop(side):
    """As if it was heard: its voices are bands."""
    return replace(side, heard=True)


def test_a_loop_of_another_length_is_compared_turn_by_turn():
    """Three bars against two: they begin together after six."""
    three = Pattern(3 * 3840, tuple(Hit("kick", beat_ * 960, 90, 4.0) for beat_ in range(12)))
    two = Pattern(2 * 3840, tuple(Hit("kick", beat_ * 960, 90) for beat_ in range(8)))
    written, heard = sides(two, None, three, None)
    found = gap(written, _as_loop(heard), HALF_SLOT_MS)
    assert len(found.gap_ms) == 24  # every beat of six bars
    assert found.gap_ms == pytest.approx(np.full(24, 4.0))
    assert found.a.max() < 8
    assert found.b.max() < 12
    assert not len(found.only_a)
    turned = gap(_as_loop(heard), written, HALF_SLOT_MS)
    assert turned.gap_ms == pytest.approx(np.full(24, -4.0))
    with pytest.raises(BadValueError, match="neither fits into the other"):
        gap(written, _as_loop(replace(heard, length_ms=heard.length_ms * 1.0371)), HALF_SLOT_MS)


def test_a_hit_is_listed_once_though_it_has_a_pair_in_every_turn():
    one = Pattern(3840, (Hit("kick", 0, 90), Hit("kick", 1920, 90)))
    long = Pattern(4 * 3840, tuple(Hit("kick", tick, 90, tick / 960) for tick in range(0, 4 * 3840, 1920)))
    found = gap(*sides(one, None, long, None), HALF_SLOT_MS)
    assert len(found.gap_ms) == 8
    worst = found.worst(6)
    assert sorted(found.a[worst].tolist()) == [0, 1]
    assert found.gap_ms[worst[0]] == np.abs(found.gap_ms).max()


def test_several_sides_are_one_whose_voices_are_told_apart():
    one = Pattern(3840, (Hit("kick", 0, 90), Hit("snare", 960, 90)))
    two = Pattern(3840, (Hit("kick", 1920, 90, 6.0),))
    first, second = sides(one, None, two, None)
    both = together([("1:", first), ("2:", second)], "all")
    assert [both.voices[index] for index in both.voice_index] == ["1:kick", "1:snare", "2:kick"]
    assert both.time_ms == pytest.approx([0.0, *sorted([*first.time_ms[1:], *second.time_ms])])
    assert (np.diff(both.time_ms) > 0).all()
    loop = replace(
        sides(Pattern(3840, tuple(Hit("kick", t, 90) for t in (0, 960, 1920))), None, one, None)[0], heard=True
    )
    found = gap(both, loop, HALF_SLOT_MS)
    assert len(found.gap_ms) == 3
    assert found.gap_ms[-1] == pytest.approx(-6.0)
