"""Hits laid into a mix: each where, as loud and on the side it was told, nothing lost round the seam of a loop."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as few
from hypothesis import strategies as st

from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN, Event
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.core.sound.mixdown import add_hits, mixdown, pan_gains, panned
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.samples import house_kits

KIT = house_kits()["boathouse"]
SNARE = KIT.voice("snare")
TOP = len(SNARE.stretches) - 1
LENGTH_S = 2.0


def event(start_s=0.5, gain=1.0, pan=0.0, cut_s=None, **more):
    return Event("snare", TOP, "", start_s, gain, pan, cut_s, **more)


def plain(one):
    """The sound of an event by itself, at its level and pan, from its own beginning."""
    return panned(MASTER_GAIN * one.gain * voice_audio(SNARE, TOP), one.pan)


@given(st.floats(-1, 1))
def test_pan_keeps_the_power_of_what_has_one_channel(pan):
    left, right = pan_gains(pan)
    assert left**2 + right**2 == pytest.approx(1.0)
    assert (left >= right) == (pan <= 1e-12) or abs(pan) < 1e-9


@pytest.mark.parametrize(("pan", "silent"), [(-1.0, 1), (1.0, 0)])
def test_at_the_far_side_the_other_is_silent(pan, silent):
    mono = np.ones((100, 1), dtype=np.float32)
    stereo = np.ones((100, 2), dtype=np.float32)
    assert np.abs(panned(mono, pan)[silent]).max() < 1e-6
    assert np.abs(panned(stereo, pan)[silent]).max() < 1e-6
    assert panned(stereo, pan)[1 - silent] == pytest.approx(np.full(100, 2.0))


def test_in_the_middle_two_channels_stay_as_they_are():
    stereo = np.stack([np.arange(50.0), -np.arange(50.0)], axis=1)
    assert panned(stereo, 0.0) == pytest.approx(stereo.T)


@pytest.mark.parametrize("start_s", [0.0, 0.25, 1.1])
def test_a_hit_lies_at_its_sample_and_is_as_loud_as_told(start_s):
    one = event(start_s, gain=0.5, pan=-0.4)
    mixed = mixdown([one], KIT, LENGTH_S, loop=False).samples.T
    wanted = plain(one)
    start = round(start_s * RATE_HZ)
    count = min(wanted.shape[1], mixed.shape[1] - start)
    assert mixed[:, start : start + count] == pytest.approx(wanted[:, :count], abs=1e-6)
    assert np.abs(mixed[:, :start]).max(initial=0) == 0.0


@pytest.mark.parametrize("start_s", [1.5, 1.9, 1.99])
def test_in_a_loop_what_rings_past_the_end_goes_on_at_the_start(start_s):
    one = event(start_s)
    looped = mixdown([one], KIT, LENGTH_S, loop=True).samples
    once = mixdown([one], KIT, LENGTH_S, loop=False).samples
    frames = round(LENGTH_S * RATE_HZ)
    assert looped.shape == (frames, 2)
    folded = np.zeros((frames, 2))
    for first in range(0, len(once), frames):
        piece = once[first : first + frames]
        folded[: len(piece)] += piece
    assert looped == pytest.approx(folded, abs=2e-5)


@few(max_examples=20)
@given(
    st.lists(st.builds(event, st.floats(0, 1.99), st.floats(0, 1), st.floats(-1, 1)), min_size=1, max_size=6),
    st.booleans(),
)
def test_a_mix_is_the_sum_of_its_hits(listed, loop):
    frames = round(LENGTH_S * RATE_HZ)
    together, apart = np.zeros((2, frames)), np.zeros((2, frames))
    add_hits(together, listed, SNARE, loop=loop)
    for one in listed:
        add_hits(apart, [one], SNARE, loop=loop)
    assert together == pytest.approx(apart, abs=1e-6)


def test_a_hit_that_is_cut_off_is_faded_out_and_silent_after():
    cut_s = 0.55
    mixed = mixdown([event(0.5, cut_s=cut_s)], KIT, LENGTH_S, loop=False).samples
    free = mixdown([event(0.5)], KIT, LENGTH_S, loop=False).samples
    cut, fade = round(cut_s * RATE_HZ), int(CUT_FADE_S * RATE_HZ)
    assert mixed[:cut] == pytest.approx(free[:cut], abs=1e-6)
    assert np.abs(mixed[cut + fade + 1 :]).max(initial=0) == 0.0
    assert np.abs(free[cut + fade + 1 :]).max() > 1e-4
    steps = np.abs(np.diff(mixed[cut : cut + fade, 0]))
    assert steps.max() <= np.abs(np.diff(free[: cut + fade, 0])).max() + 1e-6


def test_a_hit_played_faster_is_shorter_and_higher():
    slow = mixdown([event(0.0)], KIT, LENGTH_S, loop=False).samples
    fast = mixdown([event(0.0, rate=1.5)], KIT, LENGTH_S, loop=False).samples

    def brightness(x):
        power = np.abs(np.fft.rfft(x[: RATE_HZ // 2, 0])) ** 2
        return (power * np.fft.rfftfreq(RATE_HZ // 2, 1 / RATE_HZ)).sum() / power.sum()

    def half_way(x):
        energy = np.cumsum((x**2).sum(axis=1))
        return int(np.searchsorted(energy, energy[-1] * 0.9))

    assert brightness(fast) > 1.1 * brightness(slow)
    assert half_way(fast) < half_way(slow)


def test_a_hit_backwards_ends_where_it_would_have_begun():
    frames = 8000
    mixed = mixdown([event(0.5, back=frames)], KIT, LENGTH_S, loop=False).samples
    start = round(0.5 * RATE_HZ)
    forward = plain(event()).T[:frames]
    assert mixed[start : start + frames][::-1][: len(forward) // 2] == pytest.approx(
        forward[: len(forward) // 2], abs=1e-5
    )


def test_nothing_played_is_silence_of_the_right_length():
    assert mixdown([], KIT, 1.0, loop=True).samples.shape == (RATE_HZ, 2)
    assert np.abs(mixdown([], KIT, 1.0, loop=False).samples).max() == 0.0


def test_a_layer_lies_under_it_from_the_start_as_loud_as_a_hit_would_be():
    layer = np.full((RATE_HZ, 2), 0.25, dtype=np.float32)
    mixed = mixdown([], KIT, LENGTH_S, loop=True, layers=[layer]).samples
    assert mixed[:RATE_HZ] == pytest.approx(MASTER_GAIN * layer)
    assert np.abs(mixed[RATE_HZ:]).max() == 0.0
