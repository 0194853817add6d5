"""Small rules much stands on: syllables of counting, ways round a loop, zones of velocity, free places, stand-ins."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as few
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.feel.timing_comparison import nearest_round, round_the_loop
from easy_pocket.core.pattern.timebase import (
    Metre,
    one_bar_metre,
    part_of_beat,
    place_name,
    seconds_to_ticks,
    ticks_to_seconds,
)
from easy_pocket.core.pattern.voices import DRUMS, band_of, check_voice, stand_in
from easy_pocket.core.sound.velocity import (
    VELOCITY_ZONES,
    gains,
    strength_of,
    stretches,
    zone_of,
    zone_range,
    zone_velocity,
)
from easy_pocket.core.takes.alignment import free_tick, swung_slots_ms
from easy_pocket.core.takes.played import TakeBars

FOUR, SIX = Metre(4, 4), Metre(6, 8)


@given(st.floats(20, 400), st.integers(0, 500_000))
def test_ticks_and_seconds_are_there_and_back(tempo_bpm, ticks):
    assert seconds_to_ticks(ticks_to_seconds(ticks, tempo_bpm), tempo_bpm) == pytest.approx(ticks, abs=1e-6)
    assert ticks_to_seconds(960, tempo_bpm) == pytest.approx(60 / tempo_bpm)


@pytest.mark.parametrize(
    ("tick", "metre", "name"),
    [
        (0, FOUR, "1.1"),
        (960, FOUR, "1.2"),
        (1200, FOUR, "1.2 e"),
        (1440, FOUR, "1.2 &"),
        (1680, FOUR, "1.2 a"),
        (320, FOUR, "1.1 trip"),
        (640, FOUR, "1.1 let"),
        (3840, FOUR, "2.1"),
        (480, SIX, "1.2"),
        (2880, SIX, "2.1"),
        (60, FOUR, "1.1 +0.062"),
    ],
)
def test_places_are_named_as_one_counts_them(tick, metre, name):
    assert place_name(tick, metre) == name


@given(st.integers(1, 959))
def test_every_place_within_a_beat_has_a_name_of_its_own_kind(rest):
    assert part_of_beat(rest, FOUR) in ("e", "&", "a", "trip", "let") or part_of_beat(rest, FOUR).startswith("+0.")


@pytest.mark.parametrize(("beats", "name"), [(1, "1/4"), (6, "6/4"), (32, "32/4")])
def test_a_loop_of_whole_beats_is_one_bar_of_them(beats, name):
    assert str(one_bar_metre(beats * 960, FOUR)) == name


@pytest.mark.parametrize("ticks", [0, 961, 33 * 960])
def test_a_loop_of_no_whole_beats_is_refused_with_a_way_out(ticks):
    with pytest.raises(BadValueError, match="give the pattern a whole length"):
        one_bar_metre(ticks, FOUR)


@given(st.floats(-5000, 5000), st.floats(50, 4000))
def test_the_way_round_a_loop_is_the_shorter_one(ms, length_ms):
    found = float(round_the_loop(np.array([ms]), length_ms)[0])
    assert -length_ms / 2 - 1e-6 <= found <= length_ms / 2 + 1e-6
    turns = (ms - found) / length_ms
    assert turns == pytest.approx(round(turns), abs=1e-6)


@given(
    st.lists(st.floats(0, 1999), min_size=1, max_size=12, unique=True).map(sorted),
    st.lists(st.floats(-2000, 4000), min_size=1, max_size=12),
)
def test_the_nearest_time_is_the_nearest_of_all(times, asked):
    at, listed = np.array(asked), np.array(times)
    which, way = nearest_round(at, listed, 2000.0)
    every = np.abs(round_the_loop(listed[None, :] - at[:, None], 2000.0))
    assert np.abs(way) == pytest.approx(every.min(axis=1), abs=1e-6)
    assert round_the_loop(at + way - listed[which], 2000.0) == pytest.approx(np.zeros(len(at)), abs=1e-6)


@given(st.integers(1, 127))
def test_a_velocity_is_in_its_zone_and_zones_do_not_overlap(velocity):
    zone = zone_of(velocity)
    low, high = zone_range(zone)
    assert low <= velocity <= high
    assert low <= zone_velocity(zone) <= high + 1
    assert sum(zone_range(one)[0] <= velocity <= zone_range(one)[1] for one in range(VELOCITY_ZONES)) == 1


@given(st.lists(st.integers(-5, 140), max_size=10))
def test_stretches_cover_every_velocity_once_and_break_at_every_border(borders):
    found = stretches(borders)
    assert [velocity for one in found for velocity in range(one.low, one.high + 1)] == list(range(1, 128))
    assert {border for border in borders if 1 <= border <= 127} <= {one.low for one in found}


@given(st.floats(0, 1), st.integers(1, 126))
def test_louder_is_louder_and_the_hardest_is_one(response, velocity):
    table = gains(response)
    assert table[velocity] <= table[velocity + 1]
    assert table[127] == 1.0
    assert 0 <= strength_of(velocity) < strength_of(velocity + 1) <= 1


BARS = TakeBars(3840, FOUR, 120.0)


def test_a_free_place_is_the_nearest_64th_first():
    assert free_tick(500.0, set(), BARS) == 960
    assert free_tick(500.0, {960}, BARS) in (900, 1020)


@few(max_examples=30)
@given(st.floats(0, 1999), st.integers(0, 3000), st.integers(0, 2**16))
def test_there_is_a_free_place_as_long_as_one_tick_is_free(time_ms, count, seed):
    around = round(time_ms / BARS.tick_ms)
    taken = set(np.clip(np.arange(around - count // 2, around + count // 2), 0, 3839).tolist())
    found = free_tick(time_ms, taken, BARS)
    assert 0 <= found < 3840
    assert found not in taken


def test_where_every_tick_is_taken_it_is_said():
    with pytest.raises(EditRefusedError, match="throw a pass away"):
        free_tick(3.0, set(range(3840)), BARS)


@given(st.lists(st.floats(0, 8000), min_size=1, max_size=20), st.floats(50, 75))
def test_hits_go_to_the_nearest_slot_of_a_swung_grid(times, swing):
    tick_ms, step = 0.5, 240
    found = swung_slots_ms(np.array(times), step, swing, tick_ms)
    grid = np.concatenate([np.arange(0, 9000, 240), np.arange(0, 9000, 240) + swing / 100 * 240])
    nearest = np.abs(grid[None, :] - np.array(times)[:, None]).min(axis=1)
    assert np.abs(found - np.array(times)) == pytest.approx(nearest, abs=1e-6)


@pytest.mark.parametrize("voice", list(DRUMS))
def test_a_voice_that_is_there_plays_itself_and_another_one_stands_in(voice):
    assert stand_in(voice, [*DRUMS]) == voice
    assert stand_in(voice, []) == voice
    others = [one for one in DRUMS if one != voice]
    assert stand_in(voice, others) in DRUMS
    assert band_of(voice) in ("low", "mid", "high")
    assert check_voice(voice) == voice


def test_a_voice_nobody_knows_is_named_with_those_there_are():
    assert band_of("gong of the deep") == "all"
    with pytest.raises(BadValueError, match=r"no voice 'gong of the deep'.*kick, snare"):
        check_voice("gong of the deep")
