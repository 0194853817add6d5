"""Tighten, write it in, straight again: nothing is lost, and every distance is what was asked for."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.tighten import Tighten, tighten
from easy_pocket.core.feel.write_in import StraightAgain, write_in
from easy_pocket.core.pattern.edits import apply_edit
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick
from tests.drums import template

TEMPO = 104.0
TICK_MS = ms_per_tick(TEMPO)
STRAIGHT = FeelScopes()
LOOSE = FeelScopes(
    Feel(swing_percent=57, drift_ms=4, jitter_ms=2, touch=8, seed=41, ghost_percent=80, depth_percent=130),
    Feel(push_ms=3),
    {"snare": Feel(push_ms=9), "hat_closed": Feel(push_ms=-4, weaker_hand=True)},
)


def written(*rows):
    return Pattern(3840, tuple(Hit(voice, tick, velocity, ms) for voice, tick, velocity, ms in rows))


BEAT = written(
    *(("hat_closed", slot * 240, 70 + slot, float(slot % 5 - 2)) for slot in range(16)),
    ("kick", 0, 110, -6.0), ("kick", 1680, 90, 12.0), ("snare", 960, 112, 7.0), ("snare", 1440, 38, -3.0),
)  # fmt: skip

offsets = st.lists(st.floats(-60, 60), min_size=16, max_size=16)


@settings(max_examples=60, deadline=None)
@given(offsets, st.floats(0, 100), st.floats(0, 20))
def test_every_distance_shrinks_by_the_strength_or_is_left_alone(own_ms, strength, window):
    pattern = written(*(("rim", slot * 240, 80, ms) for slot, ms in enumerate(own_ms)))
    done = tighten(pattern, LOOSE, TEMPO, Tighten(strength_percent=strength, leave_alone_ms=window))
    before = done.from_ms - done.target_ms
    after = perform(done.after, LOOSE, tempo_bpm=TEMPO, loop=False)
    unordered = after.straight_ms + after.amounts_ms[:-1].sum(axis=0)
    wanted = np.where(np.abs(before) > window, before * (1 - strength / 100), before)
    np.testing.assert_allclose(unordered - done.target_ms, wanted, atol=1e-6)


def test_half_strength_halves_every_distance_to_the_grid_exactly():
    done = tighten(BEAT, STRAIGHT, TEMPO, Tighten(strength_percent=50))
    assert [hit.offset_ms for hit in done.after.hits] == pytest.approx([hit.offset_ms / 2 for hit in BEAT.hits])


def test_full_strength_lands_on_the_swung_grid_and_on_a_groove():
    swung = tighten(BEAT, STRAIGHT, TEMPO, Tighten("swing", 100, swing_percent=60))
    own = {hit.tick: hit.offset_ms for hit in swung.after.hits if hit.voice == "hat_closed"}
    assert own[240] == pytest.approx(0.1 * 480 * TICK_MS)
    assert own[480] == pytest.approx(0)
    groove = template([float(slot) - 8 for slot in range(16)], TEMPO)
    leant = tighten(BEAT, STRAIGHT, TEMPO, Tighten("groove", 100, template=groove))
    assert {hit.tick: hit.offset_ms for hit in leant.after.hits if hit.voice == "hat_closed"} == pytest.approx(
        {slot * 240: slot - 8.0 for slot in range(16)}
    )


def test_what_is_written_between_the_slots_goes_to_the_nearest_and_early_ones_wrap():
    pattern = written(("rim", 250, 80, 0.0), ("rim", 3800, 80, 0.0), ("rim", 1000, 80, 0.0))
    done = tighten(pattern, STRAIGHT, TEMPO, Tighten(strength_percent=50))
    hits = {hit.tick: hit.offset_ms for hit in done.after.hits}
    assert hits == pytest.approx({240: 5 * TICK_MS, 0: -20 * TICK_MS, 960: 20 * TICK_MS})
    again = tighten(done.after, STRAIGHT, TEMPO, Tighten(strength_percent=100))
    assert [hit.offset_ms for hit in again.after.hits] == pytest.approx([0, 0, 0])


def test_hits_that_would_collide_are_told_and_stay_and_a_grid_is_proposed():
    pattern = written(*(("hat_closed", slot * 160, 80, 4.0) for slot in range(24)), ("kick", 0, 100, 2.0))
    done = tighten(pattern, STRAIGHT, TEMPO, Tighten(strength_percent=100, step_ticks=240))
    assert done.proposed_grid == "16T"
    assert {collision.voice for collision in done.collisions} == {"hat_closed"}
    assert len(done.after.hits) == 25
    assert "16th triplets" in done.warning()
    clean = tighten(pattern, STRAIGHT, TEMPO, Tighten(strength_percent=100, step_ticks=160))
    assert (clean.collisions, clean.warning()) == ((), "")
    assert all(hit.offset_ms == pytest.approx(0) for hit in clean.after.hits)


ticks = st.lists(st.integers(0, 3839), min_size=1, max_size=30, unique=True)


@settings(max_examples=60, deadline=None)
@given(ticks, st.sampled_from([480, 320, 240, 192, 160, 120]))
def test_no_hit_is_ever_lost_or_given_a_second_in_its_place(places, step):
    pattern = written(*(("rim", tick, 80, float(tick % 9)) for tick in places))
    done = tighten(pattern, STRAIGHT, TEMPO, Tighten(strength_percent=100, step_ticks=step))
    assert len(done.after.hits) == len(places)
    if not done.collisions:
        assert all(hit.tick % step == 0 for hit in done.after.hits)
    else:
        finer = done.proposed_grid
        assert (
            finer is None
            or not tighten(
                pattern,
                STRAIGHT,
                TEMPO,
                Tighten(step_ticks={"8": 480, "8T": 320, "16": 240, "quint": 192, "16T": 160, "32": 120}[finer]),
            ).collisions
        )


def test_only_chosen_hits_move_and_locked_ones_never():
    chosen = tighten(BEAT, STRAIGHT, TEMPO, Tighten(strength_percent=100, places=(("kick", 1680),)))
    assert {(h.voice, h.tick) for h in BEAT.hits if h not in set(chosen.after.hits)} == {("kick", 1680)}
    locked = replace(BEAT, locked_voices=frozenset({"snare"}))
    done = tighten(locked, STRAIGHT, TEMPO, Tighten(strength_percent=100))
    assert done.after.at("snare", 960).offset_ms == 7.0
    assert done.after.at("kick", 0).offset_ms == pytest.approx(0)


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"strength_percent": 200}, "The strength is 200 %"),
        ({"strength_percent": float("nan")}, "The strength is nan"),
        ({"leave_alone_ms": -1}, "left alone is -1 ms"),
        ({"target": "groove"}, "No groove is chosen"),
        ({"step_ticks": 7}, "A grid of 7 ticks"),
        ({"target": "swing", "swing_percent": 90}, "Swing_percent|Swing is 90"),
    ],
)
def test_bad_settings_are_refused_in_words(asked, words):
    with pytest.raises(BadValueError, match=words):
        Tighten(**asked)


def test_nothing_to_tighten_is_said():
    with pytest.raises(EditRefusedError, match="no hits to tighten"):
        tighten(Pattern(3840), STRAIGHT, TEMPO, Tighten())
    with pytest.raises(EditRefusedError, match="is gone"):
        tighten(BEAT, STRAIGHT, TEMPO, Tighten(places=(("rim", 0),)))


def test_the_feel_written_in_is_played_the_same_without_it():
    before = perform(BEAT, LOOSE, tempo_bpm=TEMPO)
    inked = write_in(BEAT, LOOSE, TEMPO, STRAIGHT, before.hits.voices)
    after = perform(inked, STRAIGHT, tempo_bpm=TEMPO)
    np.testing.assert_allclose(after.played_ms, before.played_ms, atol=1e-6)
    assert after.velocity.tolist() == before.velocity.tolist()


def test_one_voice_written_in_leaves_the_others_to_the_feel():
    before = perform(BEAT, LOOSE, tempo_bpm=TEMPO)
    then = FeelScopes(LOOSE.stack, LOOSE.part, {**LOOSE.voices, "snare": LOOSE.neutral("snare")})
    inked = write_in(BEAT, LOOSE, TEMPO, then, ["snare"])
    after = perform(inked, then, tempo_bpm=TEMPO)
    np.testing.assert_allclose(after.played_ms, before.played_ms, atol=1e-6)
    snare = [i for i, hit in enumerate(inked.hits) if hit.voice == "snare"]
    assert after.amounts_ms[:4, snare].sum(axis=0) == pytest.approx([0, 0])
    assert [h for h in inked.hits if h.voice != "snare"] == [h for h in BEAT.hits if h.voice != "snare"]


def test_a_swing_too_wide_for_an_own_offset_moves_the_place():
    slow = Pattern(3840, (Hit("rim", 480, 80),))
    feel = FeelScopes(Feel(swing_percent=75, swing_unit=8))
    inked = write_in(slow, feel, 24.0, STRAIGHT, ["rim"])
    assert inked.hits[0].tick == 720
    assert inked.hits[0].offset_ms == pytest.approx(0, abs=1e-6)


def test_straight_again_puts_hits_on_the_grid_and_keeps_their_velocity():
    loose = written(("rim", 250, 81, 5.0), ("rim", 240, 82, -3.0), ("snare", 970, 83, 9.0), ("kick", 0, 84, 0.0))
    done = apply_edit(loose, StraightAgain((), 240))
    assert [(h.voice, h.tick, h.velocity, h.offset_ms) for h in done.hits] == [
        ("kick", 0, 84, 0.0), ("rim", 240, 82, 0.0), ("rim", 250, 81, 0.0), ("snare", 960, 83, 0.0)
    ]  # fmt: skip
    with pytest.raises(EditRefusedError, match="straight on the grid already"):
        apply_edit(done, StraightAgain((("kick", 0),), 240))


def test_a_grid_too_coarse_for_what_is_played_is_told_and_a_finer_one_proposed():
    """16ths played loosely on one voice each, so that none collide at 8ths."""
    voices = ("kick", "snare", "rim", "hat_closed", "ride", "crash")
    own_ms = (3.0, -5.0, 8.0, -2.0, 6.0, 1.0)
    pattern = written(*((voice, 480 * k + 240, 90, own_ms[k]) for k, voice in enumerate(voices)), ("clap", 0, 90, 4.0))
    done = tighten(pattern, STRAIGHT, TEMPO, Tighten(step_ticks=480))
    assert done.collisions == ()
    assert (done.too_coarse.hits, done.too_coarse.of_hits, done.too_coarse.hits_on_finer) == (6, 7, 0)
    assert done.proposed_grid == "16"
    assert done.warning() == "At 8ths, 6 of 7 hits move by more than half a 16th; on 16ths none would move that far."
    finer = tighten(pattern, STRAIGHT, TEMPO, Tighten(step_ticks=240))
    assert (finer.too_coarse, finer.proposed_grid, finer.warning()) == (None, None, "")


def test_triplets_are_offered_for_triplets():
    voices = ("kick", "snare", "rim", "hat_closed", "ride")
    pattern = written(*((voice, 960 * k + 320 + 320 * (k % 2), 90, 2.0) for k, voice in enumerate(voices[:4])))
    assert tighten(pattern, STRAIGHT, TEMPO, Tighten(step_ticks=480)).proposed_grid == "8T"


@settings(max_examples=60, deadline=None)
@given(offsets)
def test_a_grid_that_fits_is_never_called_too_coarse(own_ms):
    """Hits written on 16ths and played within a quarter of a 16th of them."""
    quarter_ms = 60 * TICK_MS
    played = (np.array(own_ms) / 60 * quarter_ms).tolist()
    pattern = written(*(("rim", slot * 240, 80, ms) for slot, ms in enumerate(played)))
    assert tighten(pattern, STRAIGHT, TEMPO, Tighten(step_ticks=240)).too_coarse is None
