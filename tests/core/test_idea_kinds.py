"""Rolls, mixing, density, borrowing, build-ups, sounds that run backwards; distance, syncopation and limbs."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.feel.density import sounding_at
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import only_sounding, perform
from easy_pocket.core.ideas.borrow import borrow, fitted
from easy_pocket.core.ideas.build_up import build_up, stages
from easy_pocket.core.ideas.distance import distance, distances, within
from easy_pocket.core.ideas.fill_settings import FillSettings
from easy_pocket.core.ideas.fills import fills
from easy_pocket.core.ideas.idea_context import IdeaContext, window
from easy_pocket.core.ideas.imported_fill import bring_fill
from easy_pocket.core.ideas.mix import WAYS, mix
from easy_pocket.core.ideas.playable import faults, limbs_used, unplayable
from easy_pocket.core.ideas.rolls import FIGURES, RATE_TICKS, RollSettings, roll, rolls, strokes_of
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.metrical import syncopation, weights
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.sound.backwards import backwards
from easy_pocket.core.sound.events import MASTER_GAIN, play_events
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.samples import house_kits
from tests.core.idea_scenes import BEATS, KIT, beat, limbs_can, scene, with_lock


def test_metrical_weights_are_those_of_the_metre() -> None:
    assert weights(range(0, 3840, 480), Metre(4, 4)).tolist() == [0, -3, -2, -3, -1, -3, -2, -3]
    assert weights(range(0, 2880, 480), Metre(6, 8)).tolist() == [0, -2, -2, -1, -2, -2]
    assert weights([0, 320, 640, 160], Metre(4, 4)).tolist() == [0, -3, -3, -4]


def test_a_kick_before_a_silent_beat_is_syncopated_and_on_it_is_not() -> None:
    on, before = (Pattern(3840, (Hit("kick", 0, 100), Hit("kick", tick, 100))) for tick in (1920, 1680))
    assert syncopation(on) == 0
    assert syncopation(before) == pytest.approx(
        (-1 + 4 + 2) / 4
    )  # the half bar is silent: 3 levels stronger, 2 for the kick


def test_distance_counts_hits_voices_and_velocity_classes() -> None:
    one = Pattern(3840, (Hit("kick", 0, 100), Hit("snare", 960, 100), Hit("kick", 1920, 100), Hit("snare", 2880, 100)))
    assert distance(one, one) == 0
    assert distance(one, Pattern(3840, one.hits[:3])) == pytest.approx(0.25)
    assert distance(one, one.with_hits((*one.hits[:3], Hit("rim", 2880, 100)))) == pytest.approx(0.25)
    assert distance(one, one.with_hits((*one.hits[:3], Hit("snare", 2880, 30)))) == pytest.approx(0.125)
    assert distance(one, Pattern(3840, (Hit("ride", 480, 90),))) == 1


@given(st.sampled_from(tuple(BEATS)), st.sampled_from(tuple(BEATS)), st.sampled_from(tuple(BEATS)))
def test_distance_is_symmetric_and_between_0_and_1(a: str, b: str, c: str) -> None:
    table = distances([beat(name).hits for name in (a, b, c)])
    assert np.allclose(table, table.T)
    assert np.all((table >= 0) & (table <= 1))
    assert (table[0, 1] == 0) == (a == b)


@given(
    st.lists(st.tuples(st.integers(0, 40), st.sampled_from(("snare", "tom_low", "hat_closed", "kick"))), max_size=12)
)
@settings(max_examples=200, deadline=None)
def test_limbs_find_a_fault_exactly_when_no_way_of_playing_it_does(struck: list[tuple[int, str]]) -> None:
    hits = [Hit(voice, slot * 60, 96) for slot, voice in sorted(set(struck))]
    tick_ms = 60_000 / (120 * 960)
    found = faults([hit.tick * tick_ms for hit in hits], [hit.voice for hit in hits])
    assert (not found) == limbs_can(hits, 120.0, 0, 100_000)


def test_what_cannot_be_played_is_listed_in_words() -> None:
    pattern = Pattern(3840, tuple(Hit(voice, 960, 96) for voice in ("snare", "tom_low", "ride")))
    assert unplayable(pattern, 100.0)[0].endswith("at 1.2: more than two strokes for two hands at once")
    flam = Pattern(3840, (Hit("snare", 960, 96, articulation=Articulation(ornament="flam")), Hit("crash", 960, 96)))
    assert unplayable(flam, 100.0)  # the grace stroke takes the other hand
    assert limbs_used(["kick", "snare"]) == "two hands, one foot"


def test_a_roll_has_the_rates_ramps_and_landing_asked_for() -> None:
    here = scene()
    idea = roll(here, RollSettings("snare", 1920, 3840, ("16", "32", "16T", "64"), (40, 120), (0, 1200)))
    strokes = [hit for hit in within(idea.pattern(), 1920, 3840) if hit.voice == "snare"]
    gaps = np.diff([hit.tick for hit in strokes])
    for cell, ticks in enumerate((240, 120, 160, 60)):
        inside = [
            g for g, hit in zip(gaps, strokes[:-1], strict=True) if 1920 + 480 * cell <= hit.tick < 2300 + 480 * cell
        ]
        assert ticks in inside
    velocity = [hit.velocity for hit in strokes]
    assert velocity == sorted(velocity)
    assert velocity[0] == 40
    cents = [hit.articulation.tune_cents for hit in strokes]
    assert cents == sorted(cents)
    landing = idea.pattern().at("snare", 3840)
    assert landing is not None
    assert landing.velocity == 120


@pytest.mark.parametrize("figure", FIGURES, ids=lambda figure: figure.name)
def test_every_figure_of_the_house_rolls(figure: object) -> None:
    names = [
        idea.words
        for batch in (0, 1)
        for idea in rolls(scene(), RollSettings("hat_closed", 0, 1920), batch=batch).ideas
    ]
    assert len(names) == len(set(names)) == len(FIGURES)
    assert any(figure.name in name for name in names)  # type: ignore[attr-defined]


@given(st.lists(st.sampled_from(tuple(RATE_TICKS)), min_size=1, max_size=8), st.integers(0, 8))
def test_strokes_stay_in_the_span_and_gaps_leave_the_last_one(rates: list[str], gap: int) -> None:
    ticks = strokes_of(RollSettings("snare", 960, 4800, tuple(rates), gap=gap))
    assert all(960 <= tick < 4800 for tick in ticks)
    assert len(set(ticks)) == len(ticks)


def test_a_roll_leaves_what_is_locked() -> None:
    here = IdeaContext(with_lock(beat("straight"), "snare", 960), KIT, 104.0)
    idea = roll(here, RollSettings("snare", 0, 1920, ("32",)))
    assert idea.pattern().at("snare", 960) == here.pattern.at("snare", 960)
    with pytest.raises(EditRefusedError, match="No stroke of this roll fits"):
        roll(
            IdeaContext(replace(here.pattern, locked_voices=frozenset({"snare"})), KIT, 104.0),
            RollSettings("snare", 0, 1920),
        )


@pytest.mark.parametrize("way", WAYS)
def test_a_mix_has_hits_of_both_and_the_ending_of_the_second(way: str) -> None:
    here = scene("straight")
    begin, end = window(here, 4)
    one, other = (idea.pattern() for idea in fills(here, FillSettings(ending="hit4"), 2, begin, end).ideas[:2])
    after = mix(here, one, other, way, begin, end).pattern()
    inside = within(after, begin, end)
    assert set(inside) <= {*within(one, begin, end), *within(other, begin, end)}
    last = max(hit.tick for hit in within(other, begin, end))
    assert [h for h in inside if h.tick >= last] == [h for h in within(other, begin, end) if h.tick >= last]
    assert within(after, 0, begin) == within(other, 0, begin)


@given(st.sampled_from(tuple(BEATS)), st.integers(0, 100), st.integers(0, 100))
def test_density_is_lossless_nested_and_repeatable(name: str, percent: int, more: int) -> None:
    pattern = beat(name)
    low = sounding_at(pattern, {"kick": percent})
    high = sounding_at(pattern, {"kick": min(100, percent + more)})
    assert np.all(high[low])
    assert np.array_equal(low, sounding_at(pattern, {"kick": percent}))
    assert sounding_at(pattern, {}).all()
    columns = pattern.arrays
    mine = columns.voice_index == columns.voices.index("kick")
    assert low[mine].sum() == np.ceil(mine.sum() * percent / 100 - 1e-9)
    assert low[~mine].all()


def test_thinning_leaves_the_backbeat_and_the_strong_beats_last() -> None:
    pattern = beat("straight")
    heard = [hit for hit, on in zip(pattern.hits, sounding_at(pattern, dict.fromkeys(KIT, 50.0)), strict=True) if on]
    assert {hit.tick for hit in heard if hit.voice == "hat_closed"} == set(range(0, 7680, 960))
    assert all(hit.velocity > 100 for hit in heard if hit.voice == "snare")


def test_a_thinner_performance_sounds_its_strongest_hits_and_comes_back_whole() -> None:
    kit, pattern = house_kits()["boathouse"], beat("straight")
    whole, thin = (
        play_events(perform(pattern, FeelScopes(Feel(density_percent=d)), tempo_bpm=104), kit) for d in (None, 40.0)
    )
    assert {(e.voice, e.start_s) for e in thin} < {(e.voice, e.start_s) for e in whole}
    assert len(whole) == len(pattern.hits)
    played = perform(pattern, FeelScopes(Feel(density_percent=40.0)), tempo_bpm=104)
    assert len(only_sounding(played).played_ms) == len(thin)
    assert len(played.hits.tick) == len(pattern.hits)


def test_a_line_is_fitted_from_three_to_four_beats_and_from_thirds_to_quarters() -> None:
    waltz = fitted(beat("waltz"), "snare", Pattern(3840))
    assert [hit.tick for hit in waltz] == [960, 1920]
    six = fitted(beat("six"), "hat_closed", Pattern(3840))
    assert all(hit.tick % 240 == 0 for hit in six)
    assert fitted(beat("straight"), "kick", Pattern(3840), 480)[0].tick == 0


def test_borrowing_replaces_that_voice_and_nothing_else() -> None:
    here = scene("straight")
    idea = borrow(here, beat("waltz"), "hat_closed", "ride", "Slack Water")
    after = idea.pattern()
    assert [h for h in after.hits if h.voice != "ride"] == [h for h in here.pattern.hits if h.voice != "ride"]
    assert any(hit.voice == "ride" for hit in after.hits)
    assert idea.words == "closed hat on ride of Slack Water, from 3/4 to 4/4"
    with pytest.raises(EditRefusedError, match="Slack Water has no bell to borrow"):
        borrow(here, beat("waltz"), "bell", "ride", "Slack Water")


@given(st.sampled_from(tuple(BEATS)), st.integers(2, 6), st.integers(20, 100))
@settings(max_examples=40, deadline=None)
def test_energy_rises_at_every_stage_and_the_last_is_the_whole(name: str, count: int, percent: int) -> None:
    pattern = beat(name)
    made = stages(pattern, count, from_percent=percent)
    assert all(one.energy < other.energy for one, other in itertools.pairwise(made))
    assert made[-1].hits == pattern.hits
    after = build_up(pattern, made).pattern()
    assert after.length_ticks == count * pattern.length_ticks
    last = (count - 1) * pattern.length_ticks
    assert [replace(h, tick=h.tick - last) for h in after.hits if h.tick >= last] == list(pattern.hits)


def test_the_order_in_which_voices_come_in_can_be_chosen() -> None:
    made = stages(beat("straight"), 3, ("snare", "kick"))
    assert made[0].voices == ("snare",)
    with pytest.raises(BadValueError, match="Bell has no hits here"):
        stages(beat("straight"), 3, ("bell",))


def test_a_sound_backwards_ends_with_its_attack() -> None:
    sound = np.linspace(1, 0, 1000, dtype=np.float32)[:, None]
    turned = backwards(sound, 1500)
    assert np.array_equal(turned[500:, 0], sound[::-1, 0])
    assert not turned[:500].any()
    assert backwards(sound, 400)[-1, 0] == 1.0


def test_a_lead_in_sounds_backwards_to_the_sample_in_the_mixdown() -> None:
    kit = house_kits()["boathouse"]
    articulation = Articulation(backwards=True, length_ticks=960)
    pattern = Pattern(3840, (Hit("crash", 2880, 110, articulation=articulation),))
    performance = perform(pattern, tempo_bpm=120.0)
    (event,) = play_events(performance, kit, loop=True)
    assert event.start_s == pytest.approx(1.5)
    assert event.audio.endswith(f"-r{round(0.5 * 44100)}")
    audio = mixdown([event], kit, 2.0).samples
    voice = kit.voice("crash")
    expected = backwards(voice_audio(voice, event.stretch), 22050)
    gain = event.gain * MASTER_GAIN
    loudest = np.abs(audio[-2205:]).max() / (np.abs(expected[-2205:]).max() * gain)
    assert 0.6 < loudest < 1.1  # panned
    assert not audio[: round(1.5 * 44100) - 1].any()
    with pytest.raises(BadValueError, match="needs a length"):
        Articulation(backwards=True)


def test_a_fill_from_elsewhere_keeps_its_rhythm_offsets_and_dynamics() -> None:
    hits = tuple(Hit("conga_low", tick, 60 + tick // 40, 3.5) for tick in (0, 240, 700, 1440))
    here = scene()
    after = bring_fill(here, Pattern(3840, hits), 5760, 7680, "landing.mid").pattern()
    taken = [hit for hit in within(after, 5760, 7680) if hit.voice == "tom_mid"]  # what this kit has for a conga
    assert [(h.tick - 5760, h.velocity, h.offset_ms) for h in taken] == [(h.tick, h.velocity, 3.5) for h in hits]
    assert within(after, 0, 5760) == within(here.pattern, 0, 5760)
    with pytest.raises(EditRefusedError, match="has no hits there"):
        bring_fill(here, Pattern(3840, hits), 5760, 7680, "landing.mid", from_tick=1920)


def test_every_idea_of_a_window_says_whether_it_can_be_played_how_dense_and_how_far() -> None:
    here = scene("straight", tempo_bpm=150.0)
    begin, end = window(here)
    wall = Pattern(1920, tuple(Hit(v, t, 100) for t in range(0, 1920, 120) for v in ("snare", "tom_low", "ride")))
    found = [
        *rolls(here, RollSettings("snare", begin, end, ("64",))).ideas[:1],
        bring_fill(here, wall, begin, end, "wall.mid"),
        *fills(here, FillSettings(density=(4, 4), playable=False, subdivision="16"), 1, begin, end).ideas[:1],
    ]
    assert [idea.tags[0] for idea in found[:2]] == ["not for two hands"] * 2
    inside = within(found[2].pattern(), begin, end)
    can = limbs_can(inside, 150.0, begin, end)
    assert found[2].tags[0] == ("playable" if can else "not for two hands")
    for idea in found:
        assert [word in " ".join(idea.tags) for word in ("a beat", "syncopation", "% new")] == [True] * 3
        assert idea.facts["density"] == pytest.approx(len(within(idea.pattern(), begin, end)) / 2)
