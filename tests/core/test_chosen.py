"""Edits of chosen hits, of lengths, and locks: known answers, and what must hold for any of them."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.ideas.playable import faults_of_hits
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.differences import describe_differences, differences
from easy_pocket.core.pattern.edits import apply_edit
from easy_pocket.core.pattern.insert_phrase import InsertPhrase, on_kit
from easy_pocket.core.pattern.length_edits import AddBars, Break, ChangeSpeed, DropBars, SetLengthTicks
from easy_pocket.core.pattern.lock_edits import LockHits, LockPlace, LockVoice
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.phrases import FEELS, LEVELS, group_of, starter_phrases
from easy_pocket.core.pattern.row_edits import RemoveHits, TurnRow, WriteHits
from easy_pocket.core.pattern.selection_edits import (
    MoveHits,
    NudgeHits,
    PasteHits,
    SetArticulation,
    SetValues,
    StretchHits,
    TurnHits,
    value_of,
)
from easy_pocket.core.pattern.shapes import Shape, accent_weights, shaped
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.pattern.voices import SLICES
from tests.drums import ROCK, beat

TWO_BARS = beat(ROCK)
HATS = tuple(("hat_closed", tick) for tick in range(0, 7680, 480))


def ticks(pattern, voice):
    return [hit.tick for hit in pattern.hits if hit.voice == voice]


def test_values_are_set_hit_by_hit():
    after = apply_edit(TWO_BARS, SetValues("velocity", (("kick", 0, 33.0), ("snare", 960, 44.0))))
    assert (after.at("kick", 0).velocity, after.at("snare", 960).velocity) == (33, 44)
    assert sum(a != b for a, b in zip(after.hits, TWO_BARS.hits, strict=True)) == 2


def test_a_ratchet_value_fills_the_slot_and_one_is_plain_again():
    four = apply_edit(TWO_BARS, SetValues("strokes", (("kick", 0, 4.0),), 160))
    assert four.at("kick", 0).articulation == Articulation("ratchet", strokes=4, span_ticks=160)
    assert apply_edit(four, SetValues("strokes", (("kick", 0, 1.0),))) == TWO_BARS


def test_moved_hits_take_everything_along_and_what_lies_there_makes_way():
    articulated = apply_edit(TWO_BARS, SetArticulation((("snare", 960),), (("tune_cents", 300),)))
    after = apply_edit(articulated, MoveHits((("snare", 960, "rim", 1200), ("kick", 0, "snare", 2880))))
    assert after.at("rim", 1200).articulation.tune_cents == 300
    assert after.at("snare", 2880).velocity == TWO_BARS.at("kick", 0).velocity
    assert after.at("kick", 0) is None
    assert len(after.hits) == len(TWO_BARS.hits) - 1


def test_copies_leave_the_first_where_they_were():
    after = apply_edit(TWO_BARS, MoveHits((("snare", 960, "snare", 1200),), copies=True))
    assert {960, 1200} <= set(ticks(after, "snare"))


def test_a_move_out_of_the_pattern_is_refused_whole():
    with pytest.raises(EditRefusedError, match="1 of 2 hits would lie outside"):
        apply_edit(TWO_BARS, MoveHits((("kick", 0, "kick", -240), ("snare", 960, "snare", 720))))


def test_pasted_hits_begin_at_the_place_and_what_reaches_past_the_end_is_left_out():
    hits = (Hit("rim", 480, 50), Hit("rim", 960, 60, -4.0, 1))
    after = apply_edit(TWO_BARS, PasteHits(hits, 7200))
    assert ticks(after, "rim") == [7200]
    whole = apply_edit(TWO_BARS, PasteHits(hits, 240))
    assert whole.at("rim", 720) == Hit("rim", 720, 60, -4.0, 1)


def test_chosen_hits_turn_within_the_span_they_take():
    places = tuple(("kick", tick) for tick in ticks(TWO_BARS, "kick") if tick < 3840)
    after = apply_edit(TWO_BARS, TurnHits(places, "reverse", 240, 0, 3840))
    assert [tick for tick in ticks(after, "kick") if tick < 3840] == sorted(3600 - tick for _, tick in places)
    flipped = apply_edit(TWO_BARS, TurnHits((("kick", 0), ("snare", 960)), "mirror", 240, 0, 1200))
    assert flipped.at("snare", 0).velocity == TWO_BARS.at("kick", 0).velocity
    assert flipped.at("kick", 960).velocity == TWO_BARS.at("snare", 960).velocity


def test_stretched_to_twice_the_distances_and_back():
    places = (("snare", 960), ("kick", 0))
    wide = apply_edit(TWO_BARS, StretchHits(places, 2, 0))
    assert 1920 in ticks(wide, "snare")
    assert apply_edit(wide, StretchHits((("snare", 1920), ("kick", 0)), 0.5, 0)) == TWO_BARS


def test_a_nudge_beyond_what_is_possible_says_where():
    with pytest.raises(EditRefusedError, match=r"Kick at 1\.1 would be -260 ms"):
        apply_edit(
            apply_edit(TWO_BARS, NudgeHits((("kick", 0),), -130)), NudgeHits((("snare", 960), ("kick", 0)), -130)
        )


@pytest.mark.parametrize(
    ("shape", "expected"),
    [
        (Shape("velocity", HATS, "line", start=20, end=95), list(range(20, 96, 5))),
        (Shape("velocity", HATS, "steps", weights=(100, 60)), [100, 60] * 8),
        (Shape("velocity", HATS, "wave", start=40, end=100, count=1), None),
        (Shape("velocity", HATS, "scale", amount=50), [44, 30] * 8),
        (Shape("velocity", HATS, "compress", amount=100), [74] * 16),
        (Shape("velocity", HATS, "shift", amount=200), [127] * 16),
    ],
)  # fmt: skip
def test_shapes_give_known_values(shape, expected):
    values = [value for _, _, value in shaped(TWO_BARS, shape).values]
    if expected is None:
        assert values[0] == values[-1] == 40
        assert max(values) == pytest.approx(100, abs=2)
        assert np.argmax(values) in (7, 8)
    else:
        assert values == expected


def test_chance_stays_in_its_band_and_repeats_by_its_seed():
    one, same, other = (
        shaped(TWO_BARS, Shape("pan", HATS, "random", -0.5, 0.5, seed=seed)).values for seed in (3, 3, 4)
    )
    assert one == same != other
    assert all(-0.5 <= value <= 0.5 for _, _, value in one)


def test_tilt_leaves_the_mean_where_it_was():
    flat = apply_edit(TWO_BARS, Shape("velocity", HATS, "steps", weights=(80,)))
    values = [value for _, _, value in shaped(flat, Shape("velocity", HATS, "tilt", amount=20)).values]
    assert (values[0], values[-1], np.mean(values)) == (60, 100, 80)


def test_accent_figures_lift_what_they_are_named_after():
    sixteenths = np.arange(0, 3840, 240, dtype=float)
    strong = accent_weights("strong beats", (), sixteenths, Metre())
    assert strong[0] == 1
    assert (strong[[4, 8, 12]] > 0).all()
    assert strong[1] == -1
    assert (accent_weights("off-beats", (), sixteenths, Metre())[2::4] == 1).all()
    assert np.flatnonzero(accent_weights("3 over 4", (), sixteenths, Metre()) == 1).tolist() == [0, 3, 6, 9, 12, 15]
    assert accent_weights("own", (1, -1), sixteenths, Metre()).tolist() == [1] * 8 + [-1] * 8
    with pytest.raises(BadValueError, match="no accent figure 'samba'"):
        accent_weights("samba", (), sixteenths, Metre())


def test_locked_hits_refuse_every_edit_and_say_why():
    locked = apply_edit(TWO_BARS, LockHits((("snare", 960),), True))
    for edit in (
        RemoveHits((("snare", 960), ("kick", 0))),
        SetValues("velocity", (("snare", 960, 20.0),)),
        TurnRow("snare", "later", 240),
        MoveHits((("kick", 0, "snare", 960),)),
        Break(1, 1, ("kick",)),
    ):
        with pytest.raises(EditRefusedError, match=r"Snare at 1\.2 is locked: free it first"):
            apply_edit(locked, edit)
    assert apply_edit(locked, RemoveHits((("kick", 0),))).at("kick", 0) is None
    freed = apply_edit(locked, LockHits((("snare", 960),), False))
    assert freed == TWO_BARS


def test_a_locked_row_takes_no_hits_and_a_locked_place_is_locked_in_every_bar():
    row = apply_edit(TWO_BARS, LockVoice("rim", True))
    with pytest.raises(EditRefusedError, match="row of rim is locked"):
        apply_edit(row, WriteHits("rim", (0,)))
    place = apply_edit(TWO_BARS, LockPlace(3840 + 960, True))
    for tick in (960, 4800):
        with pytest.raises(EditRefusedError, match="Beat 2 is locked in every bar"):
            apply_edit(place, RemoveHits((("snare", tick),)))
    assert apply_edit(place, LockPlace(960, False)) == TWO_BARS


def test_bars_are_dropped_added_and_copied():
    without = apply_edit(TWO_BARS, DropBars(1, 1))
    assert without.length_ticks == 3840
    assert ticks(without, "kick") == [tick - 3840 for tick in ticks(TWO_BARS, "kick") if tick >= 3840]
    empty = apply_edit(TWO_BARS, AddBars(2, 1))
    assert not [hit for hit in empty.hits if 3840 <= hit.tick < 7680]
    twice = apply_edit(TWO_BARS, AddBars(3, 2, copies=True))
    assert twice.length_ticks == 4 * 3840
    assert ticks(twice, "kick") == [tick + shift for shift in (0, 7680) for tick in ticks(TWO_BARS, "kick")]
    with pytest.raises(EditRefusedError, match="at least one bar"):
        apply_edit(without, DropBars(1, 1))


def test_half_speed_is_twice_as_long_and_back():
    slow = apply_edit(TWO_BARS, ChangeSpeed(2))
    assert slow.length_ticks == 15_360
    assert ticks(slow, "snare")[0] == 1920
    assert apply_edit(slow, ChangeSpeed(0.5)) == TWO_BARS


def test_an_odd_length_in_steps():
    odd = apply_edit(TWO_BARS, SetLengthTicks(7 * 240))
    assert odd.length_ticks == 1680
    assert max(hit.tick for hit in odd.hits) < 1680


def test_in_a_break_only_the_kept_voices_go_on():
    after = apply_edit(TWO_BARS, Break(2, 1, ("kick",)))
    assert {hit.voice for hit in after.hits if hit.tick >= 3840} == {"kick"}
    assert ticks(after, "snare") == [tick for tick in ticks(TWO_BARS, "snare") if tick < 3840]


def test_differences_are_told_place_by_place():
    after = apply_edit(apply_edit(TWO_BARS, RemoveHits((("kick", 0),))), SetValues("velocity", (("snare", 960, 30.0),)))
    assert describe_differences(TWO_BARS, after) == ["kick 1.1 gone", "snare 1.2 velocity 112 to 30"]
    assert describe_differences(after, TWO_BARS)[0] == "kick 1.1 added, velocity 112"
    assert differences(TWO_BARS, TWO_BARS) == []


def test_the_starter_lines_are_whole_bars_of_their_metre_and_there_are_enough():
    lines = starter_phrases()
    assert len(lines) >= 120
    assert {line.group for line in lines.values()} == {"kick", "backbeat", "hats", "percussion", "break"}
    assert {str(line.metre) for line in lines.values()} >= {"4/4", "3/4", "6/8"}
    assert {line.feel for line in lines.values()} == set(FEELS)
    kept = {(line.metre, line.length_ticks, line.hits) for line in lines.values()}
    assert len(kept) == len(lines)  # no two alike
    for line in lines.values():
        assert line.length_ticks % line.metre.bar_ticks == 0, line.name
        assert group_of({hit.voice for hit in line.hits}) == line.group, line.name
        assert {hit.velocity for hit in line.hits} <= set(LEVELS.values())
        slowest, fastest = line.tempo_bpm
        assert 50 <= slowest < fastest <= 200
        assert line.suits(slowest)
        assert not line.suits(fastest + 1)
        round_again = [replace(hit, tick=hit.tick + line.length_ticks) for hit in line.hits]
        assert not faults_of_hits([*line.hits, *round_again], fastest), line.name


def test_a_line_is_put_again_and_again_on_its_rows_only():
    line = starter_phrases()["kick-four-to-the-floor-44"]
    after = apply_edit(TWO_BARS, InsertPhrase(line.name, line.hits, line.length_ticks))
    assert ticks(after, "kick") == list(range(0, 7680, 960))
    assert ticks(after, "snare") == ticks(TWO_BARS, "snare")
    late = apply_edit(TWO_BARS, InsertPhrase(line.name, line.hits, line.length_ticks, 3840))
    assert ticks(late, "kick")[:4] == ticks(TWO_BARS, "kick")[:4]
    assert {hit.voice for hit in on_kit((Hit("bell", 0, 90),), ("kick", "rim"))} == {"rim"}


VOICES = ("kick", "snare", "rim", "hat_closed")
PLACES = st.lists(
    st.sampled_from([(hit.voice, hit.tick) for hit in TWO_BARS.hits]), min_size=1, max_size=20, unique=True
)


@settings(max_examples=80, deadline=None)
@given(
    PLACES, st.sampled_from(["velocity", "offset_ms", "tune_cents", "pan", "strokes", "odds_percent"]), st.floats(0, 1)
)
def test_any_value_set_is_the_value_found_and_nothing_else_changes(places, field, share):
    low, high = {"velocity": (1, 127), "offset_ms": (-250, 250), "tune_cents": (-2400, 2400), "pan": (-1, 1)}.get(
        field, (1, 8)
    )
    value = round(low + share * (high - low))
    after = apply_edit(TWO_BARS, SetValues(field, tuple((*place, float(value)) for place in places)))
    assert all(value_of(after.at(*place), field) == value for place in places)
    assert [hit for hit in after.hits if (hit.voice, hit.tick) not in places] == [
        hit for hit in TWO_BARS.hits if (hit.voice, hit.tick) not in places
    ]


@settings(max_examples=100, deadline=None)
@given(
    st.lists(
        st.tuples(st.sampled_from(VOICES), st.integers(0, 7679), st.integers(1, 127)),
        max_size=30,
        unique_by=lambda row: row[:2],
    ),
    st.data(),
)
def test_columns_taken_over_are_those_made_anew(rows, data):
    """The quick way through an edit ends in exactly the pattern the slow way makes."""
    pattern = Pattern(7680, tuple(Hit(*row) for row in rows))
    gone = data.draw(st.lists(st.sampled_from(pattern.hits), unique=True, max_size=6)) if pattern.hits else []
    free = [(v, t) for v in VOICES for t in range(7, 7680, 501) if not pattern.at(v, t)]
    come = [
        Hit(v, t, 50, articulation=Articulation(pan=0.5))
        for v, t in data.draw(st.lists(st.sampled_from(free), unique=True, max_size=6))
    ]
    quick = pattern.exchanged(gone, come)
    slow = Pattern(7680, tuple(hit for hit in pattern.hits if hit not in gone) + tuple(come))
    assert quick == slow
    by_voice = lambda columns: [columns.voices[index] for index in columns.voice_index]  # noqa: E731
    assert by_voice(quick.arrays) == by_voice(slow.arrays)
    assert set(quick.arrays.voices) == set(slow.arrays.voices)
    for one, other in zip(quick.arrays.columns[1:], slow.arrays.columns[1:], strict=True):
        np.testing.assert_array_equal(one, other)
    assert quick.arrays.articulated == slow.arrays.articulated
    was, now = pattern.differences(quick)
    assert set(was) == set(gone) - set(come)
    assert set(now) == set(come) - set(gone)


def test_every_edit_has_words():
    for edit, words in (
        (SetValues("pan", (("kick", 0, 0.5),)), "pan of 1 hit"),
        (SetArticulation((("kick", 0), ("snare", 960)), (("ornament", "flam"),)), "flam 24 ms before: 2 hits"),
        (LockVoice("kick", True), "lock the row of kick"),
        (LockPlace(960, False), "free beat 2 in every bar"),
        (DropBars(1, 2), "drop bars 1-2"),
        (ChangeSpeed(2), "the pattern at half speed"),
        (Break(2, 1, ("kick",)), "break in bar 2, 1 voice goes on"),
        (Shape("velocity", HATS, "accents", figure="off-beats"), "velocity of closed hat: off-beats"),
        (NudgeHits((("kick", 0),), -5), "1 hit 5 ms earlier"),
    ):
        assert edit.description(TWO_BARS) == words


@given(st.integers(1, 6))
def test_a_shuffle_deals_the_sounds_out_anew_and_leaves_the_places(times):
    pattern = Pattern(3840, tuple(Hit(voice, 240 * n, 60 + n, 0.5 * n) for n, voice in enumerate(list(SLICES)[:12])))
    now = pattern
    seen = {tuple(hit.voice for hit in now.hits)}
    for _ in range(times):
        places = tuple((hit.voice, hit.tick) for hit in now.hits)
        now = apply_edit(now, TurnHits(places, "shuffle", 240, 0, 3840))
        assert [(h.tick, h.velocity, h.offset_ms) for h in now.hits] == [
            (h.tick, h.velocity, h.offset_ms) for h in pattern.hits
        ]
        assert sorted(hit.voice for hit in now.hits) == sorted(hit.voice for hit in pattern.hits)
        order = tuple(hit.voice for hit in now.hits)
        assert order not in seen
        seen.add(order)


def test_what_can_only_lie_one_way_is_not_shuffled():
    pattern = Pattern(3840, (Hit("kick", 0, 90), Hit("kick", 480, 90)))
    with pytest.raises(EditRefusedError, match="dealt out otherwise"):
        apply_edit(pattern, TurnHits((("kick", 0), ("kick", 480)), "shuffle", 240, 0, 960))
