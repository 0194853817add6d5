"""Where something stirs, and which of those places are hits."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bench.made_loops import made_loops
from easy_pocket.core.audio import Audio
from easy_pocket.core.listen.attacks import refine
from easy_pocket.core.listen.bar_context import BARS_PICTURE
from easy_pocket.core.listen.candidates import PICTURE, detect_candidates
from easy_pocket.core.listen.hit_classifier import MERGE_S, Network, needed_log_odds, network, select_separated
from easy_pocket.core.listen.onsets import chosen, detect_onsets, sound_log_odds
from easy_pocket.core.listen.preparation import prepare
from easy_pocket.core.listen.signals import RATE_HZ
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.samples import house_kits, shipped_samples

GAP = int(MERGE_S * RATE_HZ)


def struck(times_s, levels, length_s=2.0, seed=3, decay=900):
    """Short brushes of noise, each as loud as said, over a floor 70 dB down."""
    dice = np.random.default_rng(seed)
    x = 10 ** (-70 / 20) * dice.standard_normal(round(length_s * RATE_HZ))
    for time_s, level in zip(times_s, levels, strict=True):
        at = round(time_s * RATE_HZ)
        x[at : at + 6_000] += level * dice.standard_normal(6_000) * np.exp(-np.arange(6_000) / decay)
    return Audio((0.5 * x / np.abs(x).max()).astype(np.float32), RATE_HZ, "struck")


@st.composite
def places(draw):
    gaps = draw(st.lists(st.integers(60, 6_000), min_size=1, max_size=60))
    odds = draw(st.lists(st.floats(-9, 9), min_size=len(gaps), max_size=len(gaps)))
    return np.cumsum(gaps), np.array(odds), draw(st.floats(-5, 5))


@settings(max_examples=200)
@given(places())
def test_the_likeliest_places_are_kept_and_none_lies_near_a_likelier_one(drawn):
    at, odds, needed = drawn
    kept = select_separated(at, odds, needed)
    assert np.all(odds[kept] >= needed)
    assert np.all(np.diff(at[kept]) > GAP)
    for index in set(np.flatnonzero(odds >= needed).tolist()) - set(kept.tolist()):
        near = kept[np.abs(at[kept] - at[index]) <= GAP]
        assert len(near)
        assert odds[near].max() >= odds[index]


def test_a_network_is_its_weighted_units():
    one = Network(
        np.array([1.0, 0.0]), np.array([2.0, 1.0]), np.array([[1.0, -1.0], [0.5, 0.0]]), np.array([0.0, 0.25]),
        np.array([2.0, 4.0]), -1.0,
    )  # fmt: skip
    # (3, 1) is (1, 1) in widths: units 1.5 and -0.75, the second is silent; (-99, 0) counts as (-4, 0).
    assert one.of(np.array([[3.0, 1.0], [-99.0, 0.0]])).tolist() == [2.0, 4 * 4.25 - 1.0]


@pytest.mark.parametrize(("name", "size"), [("sound", PICTURE), ("bars", BARS_PICTURE), ("together", PICTURE)])
def test_the_fitted_networks_fit_their_pictures(name, size):
    one = network(name)
    assert one.middle.shape == one.width.shape == (size,)
    assert one.weights.shape == (size, len(one.out))
    assert np.all(one.width > 0)


def test_more_sensitivity_needs_less():
    assert np.all(np.diff([needed_log_odds(value) for value in np.linspace(0, 1, 11)]) < 0)


def test_every_stroke_is_offered_to_the_millisecond():
    times_s = np.array([0.1, 0.35, 0.6, 0.85, 1.1, 1.35, 1.6])
    prepared = prepare(struck(times_s, [1, 0.3, 0.1, 1, 0.05, 0.6, 0.03]))
    found = detect_candidates(prepared)
    offered_s = (found.at - prepared.context) / RATE_HZ
    assert np.abs(offered_s[None] - times_s[:, None]).min(axis=1).max() < 0.001
    assert np.all(np.diff(found.at) > 0)
    assert found.pictures.shape == (len(found), PICTURE)
    assert np.isfinite(found.pictures).all()


def test_a_picture_does_not_depend_on_how_loud_the_audio_is():
    audio = struck([0.2, 0.7, 1.2], [1, 0.4, 0.1])
    loud, soft = (
        detect_candidates(prepare(Audio((audio.samples * gain).astype(np.float32), RATE_HZ, "x")))
        for gain in (1.0, 0.02)
    )
    assert loud.at.tolist() == soft.at.tolist()
    np.testing.assert_allclose(loud.pictures, soft.pictures, atol=0.2)


def test_the_attack_is_where_the_stroke_begins():
    at_s = 0.5
    prepared = prepare(struck([at_s], [1.0]))
    starts, over_db = refine(prepared, np.array([prepared.context + round((at_s + 0.012) * RATE_HZ)]))
    assert abs((starts[0] - prepared.context) / RATE_HZ - at_s) < 0.001
    assert over_db[0] > 40


def test_a_flam_is_two_hits_and_the_body_behind_an_attack_is_none():
    flam_s = detect_onsets(struck([0.3, 0.338, 0.9, 0.938, 1.5], [0.6, 1.0, 0.6, 1.0, 1.0], decay=500)).time_s
    assert [round(float(time), 2) for time in flam_s] == [0.3, 0.34, 0.9, 0.94, 1.5]
    t = np.arange(RATE_HZ * 2 // 3) / RATE_HZ
    click = np.exp(-t / 0.002) * np.random.default_rng(1).standard_normal(len(t))
    body = np.sin(2 * np.pi * 58 * t) * np.minimum(t / 0.02, 1) * np.exp(-t / 0.08)
    x = np.zeros(2 * RATE_HZ)
    for at_s in (0.2, 0.7, 1.2):
        x[round(at_s * RATE_HZ) :][: len(t)] += 0.5 * click + body
    kick_s = detect_onsets(Audio((0.5 * x / np.abs(x).max()).astype(np.float32), RATE_HZ, "kicks")).time_s
    assert kick_s == pytest.approx([0.2, 0.7, 1.2], abs=0.003)


def test_what_starts_at_the_seam_is_the_first_hit():
    audio = struck([0.0, 0.5, 1.0, 1.5], [1, 1, 1, 1])
    assert detect_onsets(audio).time_s == pytest.approx([0.0, 0.5, 1.0, 1.5], abs=0.002)


def test_nothing_is_within_a_merge_of_another_and_all_lie_in_the_audio():
    prepared = prepare(struck([0.1, 0.11, 0.13, 0.5, 0.52], [1, 0.9, 0.8, 1, 1]))
    found = detect_candidates(prepared)
    heard = chosen(prepared, found, sound_log_odds(found), 1.0)
    assert np.all(np.diff(heard.time_s) > MERGE_S)
    assert np.all((heard.time_s >= 0) & (heard.time_s < 2.0))


def test_drums_struck_together_count_with_their_middle_as_far_as_it_is_heard():
    """A hat, and a kick that comes a little after it; then both the other way round."""
    boathouse = house_kits()["boathouse"]
    kick, hat = (voice_audio(boathouse.voice(name), 6, shipped_samples).mean(axis=1) for name in ("kick", "hat_closed"))
    for first, second in ((hat, kick), (kick, hat)):
        told_ms = []
        for late_ms in (0.0, 6.0, 12.0):
            x = np.zeros(3 * RATE_HZ)
            for at_s in (0.2, 0.8, 1.4, 2.0):
                for sound, shift_ms in ((first, 0.0), (second, late_ms)):
                    at = round((at_s + shift_ms / 1000) * RATE_HZ)
                    x[at : at + len(sound)] += sound[: len(x) - at]
            heard = detect_onsets(Audio((0.5 * x / np.abs(x).max()).astype(np.float32), RATE_HZ, "two"))
            assert len(heard) == 4
            assert np.all(heard.middle_ms < late_ms / 2 + 1.5)  # never later than it can be
            told_ms.append(heard.middle_ms.mean())
        assert told_ms[0] < 1.0
        assert max(told_ms[:2]) < told_ms[2]


def test_loops_made_for_the_fit_use_the_sounds_they_are_given():
    """They once did not, and everything was fitted to our own kits alone."""
    asked = []

    def click(voice, dice):
        asked.append(voice)
        return np.eye(1, RATE_HZ, 200)[0]

    (plain,), (given,) = list(made_loops(1, 5)), list(made_loops(1, 5, sound_of=click))
    assert {hit["voice"] for hit in given.truth["hits"]} == set(asked)
    assert plain.truth["tempo_bpm"] == given.truth["tempo_bpm"]
    assert not np.allclose(
        plain.audio.samples[: len(given.audio.samples)], given.audio.samples[: len(plain.audio.samples)]
    )
