"""A loop under the stack: to the sample at its own tempo, in time at others, ducked, cut and turned as asked."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.house_grooves import house_grooves
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.listen.layered_loop import EARLY_S, LayerSettings, duck_db, render_layered_loop, slice_times_s
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.listen.onsets import detect_onsets
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.core.sound.tones import RATE_HZ
from tests.drums import ROCK, SWUNG, beat, rendered

TEMPO = 112.0


@pytest.fixture(scope="module")
def loop():
    audio, _ = rendered(beat(ROCK), TEMPO)
    return audio, analyze_loop(audio)


def stack(tempo_bpm=TEMPO, bars=2, voices=("kick",)):
    hits = tuple(Hit(voice, bar * 3840 + slot, 100) for voice in voices for bar in range(bars) for slot in (0, 1920))
    return perform(Pattern(bars * 3840, hits), tempo_bpm=tempo_bpm)


def played(loop, performance=None, **settings):
    audio, heard = loop
    settings = LayerSettings(**{"level_db": 0.0, **settings})
    return render_layered_loop(audio, heard.onsets, heard.reading, settings, performance or stack())


def stereo(audio):
    return np.repeat(audio.samples, 2, axis=1) if audio.samples.shape[1] == 1 else audio.samples


def test_at_its_own_tempo_the_loop_is_itself(loop):
    audio, heard = loop
    own = played(loop, stack(heard.reading.tempo_bpm))
    start = round(heard.reading.bar_one_s * RATE_HZ)
    wanted = np.roll(stereo(audio), -start, axis=0)
    frames = min(len(own), len(wanted))
    assert abs(len(own) - len(wanted)) <= 1
    assert ((own[:frames] - wanted[:frames]) ** 2).mean() <= 1e-8 * (wanted**2).mean()


@pytest.mark.parametrize("how", ["slices", "stretch", "repitch"])
@pytest.mark.parametrize("tempo_bpm", [86.0, 128.0])
def test_at_another_tempo_its_hits_fall_where_the_bars_are(loop, how, tempo_bpm):
    audio, heard = loop
    out = played(loop, stack(tempo_bpm), how=how)
    found_s = detect_onsets(type(audio)(out, RATE_HZ)).time_s
    per_slot = 3840 / heard.reading.slots_per_bar
    wanted_s = np.sort(heard.reading.slot_at(heard.onsets.time_s) * per_slot * ms_per_tick(tempo_bpm) / 1000)
    wanted_s = wanted_s[wanted_s > 0.01]
    away_ms = 1000 * np.abs(found_s[:, None] - wanted_s[None]).min(axis=0)
    assert len(out) == round(2 * 3840 * ms_per_tick(tempo_bpm) / 1000 * RATE_HZ)
    assert np.median(away_ms) < 2
    assert (away_ms < 6).mean() > 0.75  # where slices lie closer together the next one covers a weak hit


def test_from_bar_to_bar_level_and_mute(loop):
    whole, cut = played(loop, stack(bars=4)), played(loop, stack(bars=4), from_bar=2, to_bar=3, level_db=-12.0)
    bar = round(3840 * ms_per_tick(TEMPO) / 1000 * RATE_HZ)
    assert not cut[:bar].any()
    assert not cut[3 * bar + 2 :].any()
    np.testing.assert_allclose(cut[bar : 3 * bar], whole[: 2 * bar] * 10 ** (-12 / 20), atol=1e-6)
    assert not played(loop, muted=True).any()


def test_three_eighths_over_four_quarters_begin_again_every_three(loop):
    out, whole = played(loop, stack(100.0, bars=4), cycle_ticks=1440, start_ticks=960), played(loop, stack(100.0))
    tick_frames = ms_per_tick(100.0) / 1000 * RATE_HZ
    start = round(960 * tick_frames)
    for turn in range(10):
        begin = round(turn * 1440 * tick_frames)
        length = round(1300 * tick_frames)  # the last ms before the seam are faded
        np.testing.assert_allclose(out[begin : begin + length], whole[start : start + length], atol=1e-6)


def test_the_low_cut_takes_the_low_and_leaves_the_high(loop):
    plain, cut = played(loop), played(loop, low_cut_hz=300.0)
    before, after = (np.abs(np.fft.rfft(x[:, 0])) ** 2 for x in (plain, cut))
    hz = np.fft.rfftfreq(len(plain), 1 / RATE_HZ)
    assert after[hz < 80].sum() < 0.01 * before[hz < 80].sum()
    assert after[hz > 2000].sum() == pytest.approx(before[hz > 2000].sum(), rel=0.05)


def test_room_is_made_for_the_kick_held_and_let_go():
    performance = stack()
    settings = LayerSettings(duck_voice="kick", duck_db=18.0, duck_hold_ms=30.0, duck_release_ms=100.0)
    frames = round(performance.length_ms / 1000 * RATE_HZ)
    gain_db = duck_db(settings, performance, frames)
    for at_ms in performance.loop_ms:
        at = round(at_ms / 1000 * RATE_HZ)
        assert gain_db[at] == pytest.approx(-18)  # the attack is clear
        assert gain_db[(at + round(0.029 * RATE_HZ)) % frames] == pytest.approx(-18)
        assert gain_db[at + round(0.080 * RATE_HZ)] == pytest.approx(-9, abs=0.3)
        assert gain_db[at + round(0.140 * RATE_HZ)] == 0
        assert gain_db[at - round(3 * EARLY_S * RATE_HZ)] == 0
    assert np.abs(np.diff(gain_db)).max() <= 18 / round(EARLY_S * RATE_HZ) + 1e-9  # never at once
    assert not duck_db(replace(settings, duck_voice="ride"), performance, frames).any()
    both = duck_db(replace(settings, duck_voice="ride,kick"), performance, frames)
    assert np.array_equal(both, gain_db)


def test_room_is_made_for_several_voices_the_deepest_counts():
    hits = (Hit("kick", 0, 110), Hit("snare", 960, 110))
    performance = perform(Pattern(1920, hits), tempo_bpm=120)
    frames = round(performance.length_ms / 1000 * RATE_HZ)
    one, other, both = (
        duck_db(LayerSettings(duck_voice=voices), performance, frames) for voices in ("kick", "snare", "kick,snare")
    )
    assert both == pytest.approx(np.minimum(one, other), abs=1e-9)
    assert (both < -6).sum() > 1.9 * (one < -6).sum()


@settings(max_examples=40)
@given(st.floats(0, 100), st.sampled_from(["grid", "groove", "stack"]), st.floats(60, 180))
def test_half_the_strength_goes_half_the_way(strength, to, tempo_bpm):
    audio, _ = rendered(beat(SWUNG), TEMPO, Feel(swing_percent=60))
    heard = analyze_loop(audio)
    performance = perform(beat(SWUNG), FeelScopes(Feel(swing_percent=54)), tempo_bpm=tempo_bpm)
    template = house_grooves()["dead_slow"]

    def times(percent):
        settings = LayerSettings(to=to, strength_percent=percent)
        return slice_times_s(heard.onsets.time_s, heard.reading, settings, performance, template)

    none, whole = times(0.0), times(100.0)
    np.testing.assert_allclose(times(strength), none + strength / 100 * (whole - none), atol=1e-9)


def test_to_the_grid_hits_lie_on_it_and_to_the_stack_on_its_hits(loop):
    _, heard = loop
    performance = perform(beat(ROCK), FeelScopes(Feel(swing_percent=58)), tempo_bpm=TEMPO)
    straight = slice_times_s(heard.onsets.time_s, heard.reading, LayerSettings(to="grid"), performance, None)
    slot_s = 3840 / heard.reading.slots_per_bar * ms_per_tick(TEMPO) / 1000
    np.testing.assert_allclose(straight / slot_s, np.rint(straight / slot_s), atol=1e-9)
    felt = slice_times_s(heard.onsets.time_s, heard.reading, LayerSettings(to="stack"), performance, None)
    away = np.abs(felt[:, None] * 1000 - performance.loop_ms[None]).min(axis=1)
    assert away.max() < 1e-6


@pytest.mark.parametrize(
    ("settings", "words"),
    [
        ({"how": "melt"}, "slices or stretch or repitch"),
        ({"to": "moon"}, "not to 'moon'"),
        ({"level_db": 40.0}, "level is 40"),
        ({"cycle_ticks": 7}, "too short"),
        ({"from_bar": 5, "to_bar": 3}, "before it begins"),
        ({"strength_percent": float("nan")}, "strength"),
        ({"duck_voice": "drawer"}, "drawer"),
    ],
)
def test_settings_out_of_range_are_refused_in_words(settings, words):
    with pytest.raises(BadValueError, match=words):
        LayerSettings(**settings)


def test_a_groove_that_is_not_chosen_is_asked_for(loop):
    with pytest.raises(BadValueError, match="none is chosen"):
        played(loop, to="groove")


@pytest.mark.parametrize("how", ["slices", "stretch", "repitch"])
@pytest.mark.parametrize("speed", [0.5, 2.0])
def test_at_half_or_double_speed_its_hits_fall_where_they_are_written(loop, how, speed):
    _, heard = loop
    bars = heard.reading.bars
    out = played(loop, stack(bars=max(round(bars / speed), 1)), how=how, speed=speed)
    found = detect_onsets(Audio(out, RATE_HZ))
    tick_s = ms_per_tick(TEMPO) / 1000
    places = heard.reading.slot_at(heard.onsets.time_s) * heard.reading.metre.bar_ticks / heard.reading.slots_per_bar
    wanted = np.mod(places / speed * tick_s, len(out) / RATE_HZ)
    near = np.abs(found.time_s[:, None] - wanted[None, :]).min(axis=0)
    assert (near < 0.01).mean() > 0.75  # a weak hit may be covered by the next one


def test_another_pitch_leaves_the_hits_where_they_are(loop):
    as_it_is, lower = played(loop), played(loop, pitch_semitones=-12)
    low_octave = [np.abs(np.fft.rfft(out[: 2 * RATE_HZ].mean(axis=1))) for out in (as_it_is, lower)]
    centre = [float((one * np.arange(len(one))).sum() / one.sum()) for one in low_octave]
    assert 0.4 < centre[1] / centre[0] < 0.7
    one, other = (detect_onsets(Audio(out, RATE_HZ)).time_s for out in (as_it_is, lower))
    near = np.abs(one[:, None] - other[None, :]).min(axis=1)
    assert (near < 0.006).mean() > 0.75


@pytest.mark.parametrize("settings", [{"speed": 3.0}, {"speed": float("nan")}, {"pitch_semitones": 40.0}])
def test_a_speed_or_pitch_out_of_range_is_refused(settings):
    with pytest.raises(BadValueError):
        LayerSettings(**settings)
