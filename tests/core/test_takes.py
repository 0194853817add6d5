"""Takes: hits on their slots, seams that lose nothing, strokes told apart, devices measured."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre
from easy_pocket.core.takes.alignment import better_grid, felt_slots_of, fit_grids, take_slots
from easy_pocket.core.takes.house_hands import HOUSE_HANDS
from easy_pocket.core.takes.latency import measure_latency
from easy_pocket.core.takes.played import TakeBars, joined, played_from_rows, within
from easy_pocket.core.takes.quay import quay_beat
from easy_pocket.core.takes.sewing import (
    Sew,
    as_played,
    chosen_pass,
    gone_round,
    lay,
    overlaps,
    resewn,
    seams,
    sewn,
    steadiest,
    written,
)
from easy_pocket.core.takes.strokes import find_strokes
from easy_pocket.core.takes.take_in import TakeIn, taken_in

BARS = TakeBars(4 * 3840, COMMON_TIME, 104.0)
STRAIGHT = FeelScopes()
FELT = FeelScopes(Feel(swing_percent=57.0, push_ms=-3.0), Feel(drift_ms=4.0, jitter_ms=3.0), {"snare": Feel(push_ms=9)})
VOICES = ("kick", "snare", "hat_closed")


def beat(grid=240, swing=50.0, spread_ms=6.0, lean_ms=-4.0, seed=1, bars=BARS):
    """Hits on some of the slots of a grid, as someone plays them."""
    dice = np.random.default_rng(seed)
    rows = []
    for voice, share in zip(VOICES, (0.3, 0.25, 0.9), strict=True):
        slots = np.flatnonzero(dice.random(bars.length_ticks // grid) < share)
        late = (slots % 2) * (swing - 50) / 100 * 2 * grid * bars.tick_ms
        times = slots * grid * bars.tick_ms + late + dice.normal(lean_ms, spread_ms, len(slots))
        rows += [(voice, time, int(dice.integers(40, 120))) for time in times]
    return played_from_rows(rows)


def laid(played, feel=STRAIGHT, key=1, bars=BARS):
    slots = take_slots(played, bars, feel=feel)
    return lay(key, played, bars, felt_slots_of(VOICES, bars, slots, feel), 12.0)


@pytest.mark.parametrize(
    ("grid", "swing"), [(480, 50), (480, 62), (320, 50), (240, 50), (240, 57), (240, 66), (120, 50)]
)
def test_the_grid_and_the_swing_of_a_take_are_found(grid, swing):
    for seed in range(12):
        slots = take_slots(beat(grid, swing, seed=seed), BARS)
        assert slots.step_of_all == grid
        assert slots.swing_percent == pytest.approx(swing, abs=2)


def test_swing_the_part_has_already_is_taken_as_it_is():
    assert take_slots(beat(240, 61), BARS, feel=FELT).swing_percent == 57


def test_a_wrong_grid_fits_much_worse():
    triplets = beat(320).time_ms
    fits = {(one.step_ticks, one.swing_percent): one for one in fit_grids(triplets, BARS)}
    assert fits[(320, 50.0)].spread_ms < 10
    assert fits[(240, 50.0)].spread_ms > 30


@settings(max_examples=40)
@given(
    st.lists(st.tuples(st.sampled_from(VOICES), st.floats(-60, 9100), st.integers(1, 127)), min_size=1, max_size=120),
    st.sampled_from([STRAIGHT, FELT]),
    st.integers(0, 4),
)
def test_what_is_written_sounds_as_it_was_played(rows, feel, bounces):
    """Whatever is played: every hit has a slot of its own, and played by the part's feel it falls where it fell."""
    played = within(played_from_rows(rows), BARS, 240, last=True)
    strokes = find_strokes(played, BARS, bounces)
    slots = take_slots(played, BARS, feel=feel)
    one = lay(1, played, BARS, felt_slots_of(VOICES, BARS, slots, feel), bounces)
    hits = sewn([one], [Sew(bar, 1) for bar in range(4)], BARS)
    assert len(hits) == len(strokes.played)
    pattern = written(hits, BARS, feel, {})
    heard = perform(pattern, feel, tempo_bpm=104.0)
    wanted = {(each.hit.voice, each.hit.tick): each.time_ms for each in hits}
    before_order = heard.straight_ms + heard.amounts_ms[:-2].sum(axis=0)  # rules of order may still move near ones
    for hit, time_ms in zip(pattern.hits, before_order, strict=True):
        off = (time_ms - wanted[(hit.voice, hit.tick)] + BARS.length_ms / 2) % BARS.length_ms - BARS.length_ms / 2
        assert abs(off) < 1e-3 or abs(hit.offset_ms) == 250


@settings(max_examples=30)
@given(st.lists(st.integers(1, 5), min_size=4, max_size=4), st.integers(0, 1000))
def test_seams_never_double_or_drop_a_hit(choice, seed):
    passes = [laid(beat(seed=seed + number), key=number) for number in range(1, 6)]
    sews = [Sew(bar, key) for bar, key in enumerate(choice)]
    hits = sewn(passes, sews, BARS)
    for bar, key in enumerate(choice):
        one = next(each for each in passes if each.key == key)
        mine = [(each.hit.voice, each.hit.tick, each.time_ms) for each in hits if each.hit.tick // 3840 == bar]
        own = one.aligned.bar == bar
        names = [name for name, here in zip(one.aligned.played.names, own.tolist(), strict=True) if here]
        theirs = zip(names, one.aligned.tick[own].tolist(), one.aligned.played.time_ms[own].tolist(), strict=True)
        assert sorted(mine) == sorted(theirs)
    assert len(hits) == len({(each.hit.voice, each.hit.tick) for each in hits})
    assert seams(sews, 4) == [bar for bar in range(1, 4) if choice[bar] != choice[bar - 1]]


def test_a_voice_can_come_from_another_pass():
    sews = [Sew(0, 1), Sew(0, 2, "snare")]
    assert [chosen_pass(sews, 0, voice) for voice in VOICES] == [1, 2, 1]
    assert chosen_pass(sews, 1, "kick") is None
    hits = sewn([laid(beat(), key=1), laid(beat(seed=5), key=2)], sews, BARS)
    assert {each.key for each in hits if each.hit.voice == "snare"} == {2}
    assert {each.key for each in hits if each.hit.voice != "snare"} == {1}


def test_seams_where_strokes_overlap_are_told():
    early = played_from_rows([("kick", 0, 90), ("kick", 3840 * BARS.tick_ms - 50, 90)])
    late = played_from_rows([("kick", 10, 90), ("kick", 3840 * BARS.tick_ms - 60, 90)])
    grid = replace(take_slots(early, BARS), step_ticks={"kick": 480})
    felt = felt_slots_of(VOICES, BARS, grid, STRAIGHT)
    passes = [lay(1, early, BARS, felt, 12), lay(2, late, BARS, felt, 12)]
    # Both strike the first slot of bar 2 early: it is in bar 2, of either pass.
    assert [each.aligned.tick.tolist() for each in passes] == [[0, 3840], [0, 3840]]
    sews = [Sew(0, 1), Sew(1, 2)]
    assert len(sewn(passes, sews, BARS)) == 2
    assert overlaps(sewn(passes, sews, BARS), sews, BARS) == []


def test_the_steadiest_full_bar_is_proposed_with_its_reason():
    loose, tight = beat(spread_ms=14, lean_ms=0, seed=3), beat(spread_ms=2, lean_ms=0, seed=3)
    first_bar = tight.only(tight.time_ms < 1000)
    thin = played_from_rows(first_bar.rows[:3])
    passes = [laid(loose, key=1), laid(tight, key=2), laid(thin, key=3)]
    proposals = steadiest(passes)
    assert {one.sew.key for one in proposals} == {2}
    assert "hits, ±" in proposals[0].words
    assert "others up to" in proposals[0].words


def test_pulled_to_the_grid_half_of_what_is_left_goes():
    one = laid(beat())
    hits = sewn([one], [Sew(bar, 1) for bar in range(4)], BARS)
    whole, half = written(hits, BARS, STRAIGHT, {}), written(hits, BARS, STRAIGHT, {"kick": 50.0, "snare": 100.0})
    for before, after in zip(whole.hits, half.hits, strict=True):
        share = {"kick": 0.5, "snare": 0.0}.get(before.voice, 1.0)
        assert after.offset_ms == pytest.approx(before.offset_ms * share, abs=2e-4)


def test_bounces_flams_and_rolls_are_told_apart():
    second = [("snare", 2000 + step * 40, 60 + 4 * step) for step in range(8)]
    played = played_from_rows(
        [("kick", 0, 100), ("kick", 7, 40), ("snare", 500, 30), ("snare", 524, 100), *second, ("snare", 3000, 90)]
    )
    found = find_strokes(played, BARS)
    rows = list(zip(found.played.names, found.played.time_ms, found.grace_ms, found.strokes, strict=True))
    assert rows == [("kick", 0, 0, 0), ("snare", 524, 24, 0), ("snare", 2000, 0, 8), ("snare", 3000, 0, 0)]
    assert found.merged == 1
    assert found.span_ms[2] == pytest.approx(320)
    assert found.swell[2] == 28
    one = laid(played)
    ornaments = [each.hit.articulation.ornament for each in sewn([one], [Sew(bar, 1) for bar in range(4)], BARS)]
    assert ornaments == ["", "flam", "roll", ""]
    assert len(find_strokes(played, BARS, 0).played) == len(found.played) + 1


def test_a_hit_near_the_seam_belongs_to_the_right_side():
    length = BARS.length_ms
    rows = [("kick", -20, 90), ("snare", 400, 80), ("kick", length - 20, 91), ("hat_closed", length - 15, 70)]
    kept = within(played_from_rows(rows), BARS, 240, last=False)
    assert kept.rows == [("kick", -20, 90), ("snare", 400, 80)]
    # Nothing follows: the early hat comes round; a kick is there already, so the second one stays where it was struck.
    ends = within(played_from_rows(rows), BARS, 240, last=True)
    kick = ("kick", length - 20, 91)
    assert sorted(ends.rows) == sorted([("kick", -20, 90), ("snare", 400, 80), ("hat_closed", -15, 70), kick])
    assert len(laid(ends).aligned.tick) == 4


def test_hits_of_two_passes_lie_on_top_of_each_other():
    one, other = played_from_rows([("kick", 10, 90)]), played_from_rows([("snare", 5, 80)])
    assert joined(one, other).rows == [("snare", 5, 80), ("kick", 10, 90)]


@pytest.mark.parametrize(
    ("rows", "words"),
    [
        ([("gong", 0, 90)], "gong"),
        ([("kick", float("nan"), 90)], "time that cannot be"),
        ([("kick", 0, 0)], "velocity outside"),
        ([("kick", 0, 90)] * 20_001, "number of hits"),
    ],
)
def test_what_cannot_be_a_pass_is_refused(rows, words):
    with pytest.raises(BadValueError, match=words):
        played_from_rows(rows)


def test_a_take_in_another_metre_has_its_own_bars():
    bars = TakeBars(2 * 2880, Metre(6, 8), 90.0)
    one = laid(played_from_rows([("kick", 0, 90), ("snare", 2880 * bars.tick_ms - 10, 90)]), bars=bars)
    assert one.aligned.tick.tolist() == [0, 2880]
    assert one.aligned.bar.tolist() == [0, 1]


def test_a_steady_tapper_is_measured_to_two_ms_every_time():
    dice = np.random.default_rng(4)
    clicks = np.arange(16) * 500.0
    for _ in range(100):
        late_ms = dice.uniform(-30, 280)
        taps = clicks + late_ms + dice.normal(0, 1.5, 16)
        taps[dice.integers(16)] += 170  # one missed by far
        taps = np.append(taps, taps[2] + 60)  # one tapped twice
        found = measure_latency(clicks.tolist(), dice.permutation(taps).tolist())
        assert found.latency_ms == pytest.approx(late_ms, abs=2)
        assert not found.drifts
        assert sum(found.counts) in (14, 15, 16)


def test_what_a_loose_tapper_says_is_as_sure_as_it_can_be():
    """The middle of n taps of 15 ms SD is known to 15 / sqrt(n) ms; the error that is told holds it."""
    dice = np.random.default_rng(5)
    clicks, held = np.arange(64) * 500.0, []
    for _ in range(100):
        found = measure_latency(clicks.tolist(), (clicks + 40 + dice.normal(0, 15, 64)).tolist())
        held.append(abs(found.latency_ms - 40) <= found.error_ms)
    assert sum(held) >= 90


def test_taps_that_drift_are_told_and_taps_all_over_are_refused():
    clicks = np.arange(16) * 500.0
    assert measure_latency(clicks.tolist(), (clicks * 1.003 + 20).tolist()).drifts
    with pytest.raises(BadValueError, match="too wide"):
        measure_latency(clicks.tolist(), (clicks + np.random.default_rng(1).uniform(-200, 200, 16)).tolist())
    with pytest.raises(BadValueError, match="3 taps came"):
        measure_latency(clicks.tolist(), [1.0, 2.0, 3.0])


@settings(max_examples=60)
@given(
    st.lists(
        st.tuples(st.integers(0, 3), st.integers(0, 3), st.integers(0, 5), st.sampled_from(["", *VOICES])), max_size=8
    )
)
def test_the_last_choice_for_a_bar_and_voice_counts(steps):
    """Whatever was chosen before: a choice for all voices takes those of single voices away."""
    sews, wanted = [], {}
    for first, last, key, voice in steps:
        first, last = sorted((first, last))
        sews = resewn(sews, first, last, key, voice)
        for bar in range(first, last + 1):
            if voice:
                wanted[(bar, voice)] = key or None
            else:
                wanted = {place: one for place, one in wanted.items() if place[0] != bar}
                wanted[(bar, "")] = key or None
    for bar in range(4):
        for voice in VOICES:
            own = wanted.get((bar, voice))
            assert chosen_pass(sews, bar, voice) == (own if own is not None else wanted.get((bar, "")))
    assert len({(one.bar, one.voice) for one in sews}) == len(sews)


def test_as_it_was_played_nothing_of_the_feel_is_in_it():
    one = laid(beat(), FELT)
    hits = sewn([one], [Sew(bar, 1) for bar in range(4)], BARS)
    plain = perform(as_played(hits, BARS), tempo_bpm=104.0)
    wanted = {(each.hit.voice, each.hit.tick): each.time_ms for each in hits}
    for hit, time_ms in zip(plain.hits.tick, plain.straight_ms + plain.amounts_ms[:-2].sum(axis=0), strict=True):
        assert any(abs(time_ms - known) < 1e-3 for (_, tick), known in wanted.items() if tick == hit)


def test_only_a_grid_that_fits_much_better_is_offered():
    triplets, sixteenths = beat(320).time_ms, beat(240).time_ms
    assert better_grid(triplets, 40.0, BARS).step_ticks == 320
    assert better_grid(triplets, 17.0, BARS) is None  # near enough as it is
    assert better_grid(sixteenths, 19.0, BARS) is not None
    assert better_grid(np.random.default_rng(1).uniform(0, 9000, 60), 40.0, BARS) is None


def test_what_is_kept_of_a_time_round_is_what_was_asked_for():
    played = beat(lean_ms=8.0)
    assert taken_in(played, BARS, STRAIGHT, TakeIn()).rows == within(played, BARS, 240, last=False).rows
    second = taken_in(played, BARS, STRAIGHT, TakeIn(from_bar=2, to_bar=2))
    assert {int(tick) // 3840 for tick in laid(second).aligned.tick} == {1}
    half = taken_in(played, BARS, STRAIGHT, TakeIn(pull_percent=50))
    spreads = [float(np.abs(laid(one).aligned.off_ms).mean()) for one in (played, half)]
    assert spreads[1] == pytest.approx(spreads[0] / 2, rel=0.05)
    assert np.abs(laid(taken_in(played, BARS, FELT, TakeIn(pull_percent=100)), FELT).aligned.off_ms).max() < 1e-6
    with pytest.raises(BadValueError, match="The pull"):
        TakeIn(pull_percent=101)


def test_a_take_with_one_hit_has_a_grid_and_a_result():
    one = laid(played_from_rows([("snare", 950.0, 80)]))
    hits = sewn([one], [Sew(0, 1)], BARS)
    assert [each.hit.voice for each in hits] == ["snare"]
    assert steadiest([one])[0].sew == Sew(0, 1)


def test_a_short_pattern_goes_round_under_a_longer_take():
    pattern = Pattern(3840, (Hit("ride", 480, 70),))
    longer = gone_round(pattern, 2 * 3840 + 960)
    assert [hit.tick for hit in longer.hits] == [480, 4320, 8160]
    assert gone_round(longer, 3840) is longer


def test_where_nothing_is_written_the_simulated_pads_play_a_plain_beat():
    hand = HOUSE_HANDS["foghorn"]
    found = quay_beat(Pattern(3840), ("kick", "snare", "shaker"), hand, 100.0, bars=1, passes=2, seed=1)
    assert {row[0] for row in found.rows} == {"kick", "snare", "shaker"}  # a shaker for the hat that is not there
    assert found.length_ms == pytest.approx(2400)
    assert len(found.rows) == 2 * 13
