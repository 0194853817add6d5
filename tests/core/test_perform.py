"""The ledger: known answers for every stage, and sums that are exact whatever the settings."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.pocket import found_swing_percent, pocket_by_voice
from easy_pocket.core.feel.stages import MIN_GAP_MS, TIME_STAGES
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from tests.drums import beat, template

SIXTEENTHS = Pattern(3840, tuple(Hit("hat_closed", slot * 240, 80) for slot in range(16)))
TICK_MS = ms_per_tick(100)


def played(pattern, tempo_bpm=100.0, **feel):
    return perform(pattern, FeelScopes(Feel(**feel)), tempo_bpm=tempo_bpm)


def test_straight_leaves_every_hit_on_its_slot():
    performance = perform(SIXTEENTHS, FeelScopes(Feel(swing_percent=70, push_ms=9)), tempo_bpm=100, straight=True)
    np.testing.assert_allclose(performance.played_ms, np.arange(16) * 150.0)


def test_swing_of_two_thirds_is_triplets():
    performance = played(SIXTEENTHS, swing_percent=100 * 2 / 3)
    triplet_ms = 600.0 / 6  # a beat at 100 bpm in six
    np.testing.assert_allclose(performance.played_ms[1::2] % 300, 2 * triplet_ms, atol=0.01)
    np.testing.assert_allclose(performance.played_ms[0::2] % 300, 0, atol=0.01)


def test_swing_bends_what_lies_between():
    thirty_seconds = Pattern(3840, (Hit("rim", 0, 80), Hit("rim", 120, 80), Hit("rim", 240, 80), Hit("rim", 360, 80)))
    performance = played(thirty_seconds, swing_percent=60)
    np.testing.assert_allclose(performance.played_ms / TICK_MS, [0, 144, 288, 384])


def test_swing_on_eighths_leaves_quarters():
    performance = played(SIXTEENTHS, swing_percent=60, swing_unit=8)
    assert performance.amounts_ms[0][0::4].tolist() == [0, 0, 0, 0]
    assert performance.amounts_ms[0][2] == pytest.approx(0.1 * 960 * TICK_MS)


def test_the_short_note_keeps_its_length_at_fast_tempi():
    performance = played(SIXTEENTHS, 200.0, swing_percent=70, short_note_ms=60)
    assert 150.0 - performance.played_ms[1] == pytest.approx(60.0)
    slow = played(SIXTEENTHS, 60.0, swing_percent=70, short_note_ms=60)
    assert slow.played_ms[1] == pytest.approx(0.7 * 500.0)


def test_full_pull_lands_on_the_template_and_none_leaves_the_swing():
    groove = template([float(3 * slot - 20) for slot in range(16)], 100.0)
    full = played(SIXTEENTHS, swing_percent=62, template=groove, timing_pull=100)
    np.testing.assert_allclose(full.offset_ms, [3 * slot - 20 for slot in range(16)], atol=0.01)
    none = played(SIXTEENTHS, swing_percent=62, template=groove, timing_pull=0)
    np.testing.assert_allclose(none.offset_ms, played(SIXTEENTHS, swing_percent=62).offset_ms)


def test_template_offsets_follow_the_tempo_or_keep_their_ms():
    groove = template([10.0] * 16, 100.0)
    assert played(SIXTEENTHS, 200.0, template=groove).offset_ms[3] == pytest.approx(5.0)
    assert played(SIXTEENTHS, 200.0, template=groove, groove_scales=False).offset_ms[3] == pytest.approx(10.0)


def test_a_short_template_repeats_and_reaches_every_hit():
    four_bars = Pattern(4 * 3840, tuple(Hit("hat_closed", slot * 240, 80) for slot in range(64)))
    groove = template([float(slot % 7) + 1 for slot in range(16)], 100.0)
    offsets = played(four_bars, template=groove).offset_ms
    np.testing.assert_allclose(offsets.reshape(4, 16), np.tile(groove.lanes["all"].offsets, (4, 1)), atol=1e-9)


def test_places_between_slots_are_interpolated():
    groove = template([0.0, 12.0] * 8, 100.0)
    between = Pattern(3840, (Hit("rim", 120, 80),))
    assert played(between, template=groove).offset_ms[0] == pytest.approx(6.0)


def test_a_template_in_another_metre_keeps_downbeats_down():
    groove = template([30.0] + [0.0] * 15, 100.0)
    waltz = Pattern(2 * 2880, (Hit("kick", 0, 90), Hit("kick", 2880, 90)), Metre(3, 4))
    np.testing.assert_allclose(played(waltz, template=groove).offset_ms, [30.0, 30.0])


def test_accent_pull_moves_velocity_by_the_slots_this_voice_uses():
    groove = template([0.0] * 16, 100.0, accents=[1.0, 0.2, 0.5, 0.3] * 4)
    pattern = Pattern(3840, (Hit("snare", 0, 80), Hit("snare", 480, 80), Hit("kick", 240, 80)))
    performance = played(pattern, template=groove, accent_pull=100)
    by_place = {(line.voice, line.tick): line for line in map(performance.ledger, range(3))}
    assert by_place["snare", 0].velocity == round(80 * 1.0 / 0.75)
    assert by_place["snare", 480].velocity == round(80 * 0.5 / 0.75)
    assert by_place["kick", 240].velocity == 80  # alone in its slots: its own mean


def test_a_clamped_velocity_says_so():
    groove = template([0.0] * 16, 100.0, accents=[1.0, 0.1] * 8)
    pattern = Pattern(3840, (Hit("snare", 0, 120), Hit("snare", 240, 120)))
    line = played(pattern, template=groove, accent_pull=100).ledger(0)
    assert line.velocity == 127
    assert line.amounts_velocity["accent"] + line.amounts_velocity["clamp"] == 7


def test_pushes_of_part_and_voice_add_up():
    scopes = FeelScopes(stack=Feel(push_ms=3), part=Feel(push_ms=2), voices={"snare": Feel(push_ms=8)})
    pattern = Pattern(3840, (Hit("kick", 960, 90), Hit("snare", 960, 90)))
    lines = [perform(pattern, scopes, tempo_bpm=100).ledger(index) for index in range(2)]
    assert [(line.voice, line.offset_ms) for line in lines] == [("kick", 2.0), ("snare", 10.0)]
    assert lines[1].amounts_ms["part push"] == 2.0


def test_the_nearest_scope_wins_field_by_field():
    scopes = FeelScopes(stack=Feel(swing_percent=60, swing_unit=16), voices={"hat_closed": Feel(swing_percent=50)})
    both = beat({"kick": ".x..............", "hat_closed": ".x.............."})
    offsets = dict(zip(("hat_closed", "kick"), perform(both, scopes, tempo_bpm=100).offset_ms, strict=True))
    assert offsets["hat_closed"] == pytest.approx(0)
    assert offsets["kick"] == pytest.approx(0.1 * 480 * TICK_MS)


def test_hits_of_a_voice_never_swap_or_touch():
    pattern = Pattern(3840, (Hit("snare", 0, 90, 90.0), Hit("snare", 120, 90, -90.0), Hit("kick", 60, 90)))
    performance = played(pattern)
    snare = performance.played_ms[performance.hits.voice_index == performance.hits.voices.index("snare")]
    assert snare[1] - snare[0] == pytest.approx(MIN_GAP_MS)


def test_an_early_downbeat_wraps_in_a_loop():
    pattern = Pattern(3840, (Hit("kick", 0, 90, -12.0),))
    assert played(pattern).loop_ms[0] == pytest.approx(2400.0 - 12.0)


def test_settings_out_of_range_are_refused():
    for wrong in ({"swing_percent": 80}, {"timing_pull": 120}, {"push_ms": float("nan")}, {"swing_unit": 12}):
        with pytest.raises(BadValueError):
            Feel(**wrong)


hits_anywhere = st.dictionaries(
    st.tuples(st.sampled_from(["kick", "snare", "hat_closed"]), st.integers(0, 7679)),
    st.tuples(st.integers(1, 127), st.floats(-120, 120)),
    max_size=60,
).map(lambda found: Pattern(7680, tuple(Hit(v, t, vel, own) for (v, t), (vel, own) in found.items())))
feels = st.builds(
    Feel,
    swing_percent=st.floats(50, 75),
    swing_unit=st.sampled_from([8, 16]),
    short_note_ms=st.sampled_from([0.0, 90.0]),
    template=st.lists(st.floats(-60, 60), min_size=1, max_size=24).map(template),
    timing_pull=st.floats(0, 100),
    accent_pull=st.floats(0, 100),
    push_ms=st.floats(-50, 50),
)


@settings(max_examples=150, deadline=None)
@given(hits_anywhere, feels, st.floats(40, 240))
def test_played_is_straight_plus_the_sum_of_the_ledger(pattern, feel, tempo_bpm):
    performance = perform(pattern, FeelScopes(feel, voices={"snare": Feel(push_ms=7.5)}), tempo_bpm=tempo_bpm)
    assert performance.amounts_ms.shape == (len(TIME_STAGES), len(pattern.hits))
    for index in range(len(pattern.hits)):
        line = performance.ledger(index)
        assert line.straight_ms + sum(line.amounts_ms.values()) == pytest.approx(line.played_ms, abs=1e-6)
        assert line.written_velocity + sum(line.amounts_velocity.values()) == line.velocity
        assert 1 <= line.velocity <= 127
        assert 0 <= performance.loop_ms[index] < performance.length_ms


@settings(max_examples=60, deadline=None)
@given(hits_anywhere, feels)
def test_every_voice_keeps_its_order_and_its_gap(pattern, feel):
    performance = perform(pattern, FeelScopes(feel), tempo_bpm=104, loop=False)
    for index in range(len(performance.hits.voices)):
        times = performance.played_ms[performance.hits.voice_index == index]
        assert np.all(np.diff(times) >= MIN_GAP_MS - 1e-6)


@settings(max_examples=60, deadline=None)
@given(hits_anywhere, feels, st.integers(0, 7679))
def test_what_one_voice_does_changes_no_other(pattern, feel, tick):
    more = pattern.with_hits([*pattern.hits, Hit("crash", tick, 99)])
    before, after = (perform(p, FeelScopes(feel), tempo_bpm=96) for p in (pattern, more))
    kept = [index for index in range(len(more.hits)) if after.ledger(index).voice != "crash"]
    np.testing.assert_array_equal(after.played_ms[kept], before.played_ms)
    np.testing.assert_array_equal(after.velocity[kept], before.velocity)


def test_the_pocket_gives_mean_spread_and_swing_back():
    performance = played(
        beat({"snare": "x.x.x.x.x.x.x.x.", "hat_closed": "xxxxxxxxxxxxxxxx"}), swing_percent=61, push_ms=4
    )
    rows = {row.voice: row for row in pocket_by_voice(performance)}
    assert (rows["snare"].mean_ms, rows["snare"].spread_ms, rows["snare"].count) == (
        pytest.approx(4),
        pytest.approx(0),
        8,
    )
    assert found_swing_percent(performance) == pytest.approx(61)
    assert found_swing_percent(played(beat({"kick": "x...x...x...x..."}))) is None
