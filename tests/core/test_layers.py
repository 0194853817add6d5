"""What a layer does to its sound, on sounds whose answer is known."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.sound.fold_layers import folded
from easy_pocket.core.sound.kit import KitVoice, plain_voice, voice_audio
from easy_pocket.core.sound.layer import Layer, folded_to_mono, layer_audio
from easy_pocket.core.sound.layer_check import layer_check, most_punch
from easy_pocket.core.sound.sound import sampled
from easy_pocket.core.sound.spectrum import THIRD_HZ, third_energy
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.sound.velocity import stretches

HARD = 7


def tone(hz, seconds=0.3, level=0.8):
    t = np.arange(int(seconds * RATE_HZ)) / RATE_HZ
    return (level * np.sin(2 * np.pi * hz * t) * np.exp(-t / 0.1)).astype(np.float32)[:, None]


def stereo(left, right):
    return np.concatenate([left, right], axis=1).astype(np.float32)


AUDIO = {
    "a200": tone(200.0),
    "a1000": tone(1000.0),
    "wide": stereo(tone(300.0), tone(450.0)),
    "opposed": stereo(tone(300.0), -tone(300.0)),
    "noise": np.random.default_rng(3).normal(0, 0.2, (8000, 1)).astype(np.float32),
}
SOURCE = AUDIO.__getitem__


def audio(layer, velocity=120, brightness=0.0):
    return layer_audio(layer, velocity, brightness, SOURCE)


def strongest_hz(x):
    spectrum = np.abs(np.fft.rfft(x[:, 0], 1 << 17))
    return float(np.argmax(spectrum)) * RATE_HZ / (1 << 17)


@pytest.mark.parametrize(("cents", "hz"), [(0, 1000), (1200, 2000), (-1200, 500), (700, 1498.3), (50, 1029.3)])
def test_tune_moves_the_pitch(cents, hz):
    assert strongest_hz(audio(Layer(sampled("a1000"), tune_cents=cents))) == pytest.approx(hz, rel=0.004)


def test_start_length_and_fade_in_cut_where_they_say():
    plain = audio(Layer(sampled("noise")))
    started = audio(Layer(sampled("noise"), start_ms=20.0))
    np.testing.assert_array_equal(started, plain[882:])
    short = audio(Layer(sampled("noise"), length_ms=30.0))
    assert len(short) == 1323 + 176  # 30 ms and 4 ms of fading out
    np.testing.assert_array_equal(short[:1323], plain[:1323])
    assert abs(float(short[-1, 0])) < 1e-6
    faded = audio(Layer(sampled("noise"), fade_in_ms=10.0))
    assert faded[0, 0] == 0
    assert np.abs(faded[:100]).max() < 0.3 * np.abs(plain[:100]).max()
    np.testing.assert_array_equal(faded[441:], plain[441:])


def test_reverse_polarity_and_level():
    plain = audio(Layer(sampled("noise")))
    np.testing.assert_array_equal(audio(Layer(sampled("noise"), reverse=True)), plain[::-1])
    np.testing.assert_array_equal(audio(Layer(sampled("noise"), invert=True)), -plain)
    np.testing.assert_allclose(audio(Layer(sampled("noise"), level_db=-6.0)), plain * 10 ** (-0.3), rtol=1e-5)


def test_cuts_take_away_what_lies_outside():
    def share_below(x, hz):
        energy = third_energy(x)
        return energy[hz > THIRD_HZ].sum() / energy.sum()

    plain = share_below(audio(Layer(sampled("noise"))), 1000)
    assert share_below(audio(Layer(sampled("noise"), low_cut_hz=2000)), 1000) < 0.25 * plain
    assert share_below(audio(Layer(sampled("noise"), high_cut_hz=1000)), 1000) > 6 * plain


def test_mono_keeps_the_loudness_and_never_cancels():
    for name in ("wide", "opposed"):
        both = AUDIO[name]
        folded_one = folded_to_mono(both)
        assert folded_one.shape[1] == 1
        assert (folded_one**2).sum() == pytest.approx((both**2).sum(), rel=1e-4)
    assert audio(Layer(sampled("wide"))).shape[1] == 2
    assert audio(Layer(sampled("wide"), mono=True)).shape[1] == 1


def test_a_layer_sounds_only_in_its_velocities():
    voice = KitVoice("snare", (Layer(sampled("a200")), Layer(sampled("a1000"), velocity_low=96)), velocity_bright=0)
    soft, hard = voice_audio(voice, 2, SOURCE), voice_audio(voice, HARD, SOURCE)
    near_1000 = (THIRD_HZ > 800) & (THIRD_HZ < 1250)
    assert third_energy(soft)[near_1000].sum() < 1e-3 * third_energy(soft).sum()
    assert third_energy(hard)[near_1000].sum() > 0.1 * third_energy(hard).sum()
    silent = KitVoice("snare", (Layer(sampled("a200"), velocity_low=120),))
    assert not voice_audio(silent, 0, SOURCE).any()


@pytest.mark.parametrize(("low", "high"), [(90, 127), (1, 89), (33, 33), (2, 126)])
def test_the_velocities_of_a_layer_are_kept_to_the_one(low, high):
    ranged = Layer(sampled("a1000"), velocity_low=low, velocity_high=high)
    voice = KitVoice("snare", (Layer(sampled("a200")), ranged), velocity_bright=0)
    near_1000 = (THIRD_HZ > 800) & (THIRD_HZ < 1250)
    for velocity in range(1, 128):
        energy = third_energy(voice_audio(voice, int(voice.stretch_of[velocity]), SOURCE))
        heard = bool(energy[near_1000].sum() > 0.1 * energy.sum())
        assert heard == (low <= velocity <= high), velocity


@given(st.lists(st.integers(1, 127), max_size=8))
def test_stretches_cover_every_velocity_once(borders):
    found = stretches(borders)
    assert [velocity for one in found for velocity in range(one.low, one.high + 1)] == list(range(1, 128))
    assert {one.low for one in found} >= set(borders)
    assert all(one.low <= one.middle <= one.high + 1 for one in found)


def test_limits_are_said_in_words():
    with pytest.raises(BadValueError, match="delay of a layer is 900 ms; it must lie between 0 and 200 ms"):
        Layer(sampled("a200"), delay_ms=900)
    with pytest.raises(BadValueError, match="from velocity 90 to 40"):
        Layer(sampled("a200"), velocity_low=90, velocity_high=40)
    with pytest.raises(BadValueError, match="number of layers"):
        KitVoice("snare", tuple(Layer(sampled("a200")) for _ in range(5)))


# Layer check -------------------------------------------------------------------------------------------------------
def two(first, second, **changes):
    return KitVoice("snare", (Layer(sampled(first)), Layer(sampled(second), **changes)), velocity_bright=0)


def test_a_layer_turned_over_cancels_and_is_proposed_to_be_turned_back():
    # The second is a little softer, so that something is left of the sum.
    check = layer_check(two("a200", "a200", invert=True, level_db=-3.0), HARD, SOURCE)
    name, value = check.worst
    assert name in ("160", "200", "250")
    assert value < -8
    assert check.proposal is not None
    assert check.proposal.delay_ms == 0
    expected_db = 20 * np.log10((1 + 10 ** (-0.15)) / (1 - 10 ** (-0.15)))
    assert check.proposal.gain_db == pytest.approx(expected_db, abs=0.2)


def test_a_late_copy_is_proposed_to_come_as_early_as_the_other():
    check = layer_check(two("noise", "noise", delay_ms=3.0), HARD, SOURCE)
    assert check.proposal is not None
    moved = two("noise", "noise", delay_ms=3.0).layers[check.proposal.layer]
    assert check.proposal.layer in (0, 1)
    after_ms = 3.0 if check.proposal.layer == 0 else 0.0  # either the early one waits, or the late one comes
    assert check.proposal.delay_ms == pytest.approx(after_ms, abs=0.03)
    assert check.proposal.invert is moved.invert
    assert check.proposal.gain_db > 2


def test_one_layer_has_nothing_to_cancel():
    check = layer_check(plain_voice("snare", sampled("a200")), HARD, SOURCE)
    assert check.worst is None
    assert check.proposal is None


@given(st.integers(0, 5), st.floats(0, 5), st.booleans())
def test_what_is_proposed_does_what_it_says(seed, delay_ms, invert):
    """The gain promised is the gain the sum has when the proposal is taken."""
    dice = np.random.default_rng(seed)
    lines = np.zeros((2, 6000, 1))
    shift = round(delay_ms * RATE_HZ / 1000)
    shape = np.exp(-np.arange(4000) / 800)
    lines[0, :4000, 0] = dice.normal(0, 1, 4000) * shape
    lines[1, shift : shift + 4000, 0] = (0.6 * lines[0, :4000, 0] + 0.4 * dice.normal(0, 1, 4000) * shape) * (
        -1 if invert else 1
    )
    proposal = most_punch(lines, [0.0, shift * 1000 / RATE_HZ], [False, False])
    if proposal is None:
        return
    moved = lines.copy()
    by = round((proposal.delay_ms - [0.0, shift * 1000 / RATE_HZ][proposal.layer]) * RATE_HZ / 1000)
    moved[proposal.layer] = np.roll(moved[proposal.layer], by, axis=0) * (-1 if proposal.invert else 1)
    frames = int(0.06 * RATE_HZ)
    gain_db = 10 * np.log10((moved[:, :frames].sum(axis=0) ** 2).sum() / (lines[:, :frames].sum(axis=0) ** 2).sum())
    assert gain_db == pytest.approx(proposal.gain_db, abs=0.05)
    assert gain_db >= 0.5


# Fold --------------------------------------------------------------------------------------------------------------
def test_folded_layers_sound_as_the_layers_did():
    voice = KitVoice(
        "snare",
        (
            Layer(sampled("a200"), tune_cents=300, level_db=-2),
            Layer(sampled("noise"), delay_ms=8, low_cut_hz=400, velocity_low=77, velocity_high=101),
            Layer(sampled("wide"), level_db=-9, fade_in_ms=12),
        ),
        drive=0.3,
    )
    sound, level_db, audio_by_key = folded(voice, SOURCE)
    one = replace(voice, layers=(Layer(sound, "folded", level_db=level_db),), drive=0.0, velocity_bright=1.0)
    assert len(voice.stretches) == 10
    for velocity in range(1, 128):
        was = voice_audio(voice, int(voice.stretch_of[velocity]), SOURCE)
        now = voice_audio(one, int(one.stretch_of[velocity]), audio_by_key.__getitem__)
        assert was.shape == now.shape
        difference = np.sqrt(((was - now) ** 2).mean() / (was**2).mean())
        assert 20 * np.log10(difference + 1e-12) < -80, velocity
