"""A loop that is stretched: its attacks stay where and what they are, what rings after them fills the room."""

import numpy as np
import pytest
from scipy import signal

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.listen.onsets import detect_onsets
from easy_pocket.core.listen.other_tempo import at_tempo, set_to
from easy_pocket.core.listen.slices import PRE_S, Slices, cut_slices, retimed
from easy_pocket.core.listen.stretch import ATTACK_S, BLEND_S, stretched
from tests.drums import ROCK, beat, rendered

RATE = 44_100


@pytest.fixture(scope="module")
def loop():
    audio, _ = rendered(beat(ROCK), 112.0)
    heard = analyze_loop(audio)
    return audio, heard, cut_slices(heard.onsets, heard.reading)


def ringing(hz=440.0, seconds=0.5, count=4):
    """Plucked tones, one after another: a click, then a tone that dies away slowly."""
    t = np.arange(round(seconds * RATE)) / RATE
    one = np.sin(2 * np.pi * hz * t) * np.exp(-t / 0.8) * np.minimum(t / 0.001, 1) * np.minimum((seconds - t) / 0.01, 1)
    audio = Audio(np.tile(one, count)[:, None].astype(np.float32), RATE)
    at = np.arange(count) * seconds
    return audio, Slices(at, at + seconds, at, count * seconds)


def loudest_hz(samples):
    spectrum = np.abs(np.fft.rfft(samples[:, 0] * np.hanning(len(samples)), 1 << 19))
    return np.fft.rfftfreq(1 << 19, 1 / RATE)[spectrum.argmax()]


def test_at_its_own_times_and_pitch_it_is_the_loop(loop):
    audio, _, cuts = loop
    same = stretched(audio, cuts, cuts.attack_s, cuts.duration_s)
    assert np.array_equal(same.samples, retimed(audio, cuts, cuts.attack_s, cuts.duration_s, wraps=True).samples)


@pytest.mark.parametrize("longer", [0.5, 0.8, 1.3, 2.0])
@pytest.mark.parametrize("semitones", [-7.0, 0.0, 5.0])
def test_hits_are_heard_where_they_were_set_at_any_pitch(loop, longer, semitones):
    audio, _, cuts = loop
    out = stretched(audio, cuts, cuts.attack_s * longer, cuts.duration_s * longer, semitones)
    assert len(out.samples) == round(cuts.duration_s * longer * audio.rate_hz)
    found_s = detect_onsets(out).time_s
    away = np.abs(found_s[:, None] - cuts.attack_s[None] * longer).min(axis=0)
    assert np.median(away) < 0.001
    assert (away < 0.004).mean() > 0.9


def test_attacks_stay_to_the_sample(loop):
    audio, _, cuts = loop
    out = stretched(audio, cuts, cuts.attack_s * 1.4, cuts.duration_s * 1.4).samples
    kept = round((ATTACK_S - BLEND_S) * audio.rate_hz) - 1
    for start_s, attack_s in zip(cuts.start_s[1:], cuts.attack_s[1:], strict=True):
        begin = round(start_s * audio.rate_hz)
        now = round((attack_s * 1.4 - (attack_s - start_s)) * audio.rate_hz)
        late = round(0.005 * audio.rate_hz)  # the end of what came before reaches over the first 4 ms
        was, is_now = audio.samples[begin + late : begin + kept], out[now + late : now + kept]
        assert np.array_equal(was, is_now)


@pytest.mark.parametrize("semitones", [-12.0, -3.0, 4.0, 12.0])
def test_the_pitch_goes_by_so_many_semitones_and_the_length_stays(semitones):
    audio, cuts = ringing()
    out = stretched(audio, cuts, cuts.attack_s, cuts.duration_s, semitones)
    assert len(out.samples) == len(audio.samples)
    assert loudest_hz(out.samples[: RATE // 2]) == pytest.approx(440 * 2 ** (semitones / 12), rel=0.01)


def test_what_rings_goes_on_up_to_the_next_hit_where_slices_would_leave_a_gap():
    audio, cuts = ringing()
    to_s, length_s = cuts.attack_s * 1.6, cuts.duration_s * 1.6
    gap = slice(round(0.6 * RATE), round(0.75 * RATE))  # the slice was 0.5 s, its room is 0.8 s
    assert not retimed(audio, cuts, to_s, length_s, wraps=True).samples[gap].any()
    rung = stretched(audio, cuts, to_s, length_s)
    assert np.sqrt(np.mean(rung.samples[gap] ** 2)) > 0.2
    assert loudest_hz(rung.samples[gap]) == pytest.approx(440, rel=0.02)


@pytest.mark.parametrize(("longer", "most"), [(0.6, 1.5), (1.5, 1.5), (3.0, 5.0)])
def test_it_does_not_click_where_attack_and_tail_meet(longer, most):
    audio, cuts = ringing()
    out = stretched(audio, cuts, cuts.attack_s * longer, cuts.duration_s * longer)
    high = signal.butter(4, 5000, "high", fs=RATE, output="sos")
    turns = [np.tile(x.samples[:, 0], 2) for x in (audio, out)]  # the second turn comes after a first one
    own, now = (np.abs(signal.sosfilt(high, x)[len(x) // 2 :]).max() for x in turns)
    assert now < most * own


def test_equal_calls_give_equal_samples_also_when_it_is_twice_as_long(loop):
    audio, _, cuts = loop
    one, other = (stretched(audio, cuts, cuts.attack_s * 3, cuts.duration_s * 3, 2.0) for _ in range(2))
    assert np.array_equal(one.samples, other.samples)


def test_a_hit_keeps_its_place_when_it_is_two_octaves_lower():
    audio, cuts = ringing()
    silent = np.zeros((round(PRE_S * RATE), 1), np.float32)
    later = Audio(np.concatenate([silent, audio.samples]), RATE)
    moved = Slices(cuts.start_s, cuts.end_s, cuts.attack_s + PRE_S, cuts.duration_s + PRE_S)
    out = stretched(later, moved, moved.attack_s, later.duration_s, -24.0).samples[:, 0]
    assert np.flatnonzero(np.abs(out) > 0.02)[0] == pytest.approx(PRE_S * RATE, abs=80)


def test_the_whole_loop_at_another_tempo_is_as_long_as_its_bars(loop):
    audio, heard, cuts = loop
    out = at_tempo(audio, cuts, heard.reading, 90.0, "stretch", 2.0)
    assert len(out.samples) == round(len(audio.samples) * heard.reading.tempo_bpm / 90)


def test_other_ways_and_pitches_are_refused_in_words(loop):
    audio, heard, cuts = loop
    with pytest.raises(BadValueError, match="'melt' is neither"):
        set_to(audio, cuts, cuts.attack_s, 2.0, "melt", 0.0)
    with pytest.raises(BadValueError, match="pitch is 30"):
        at_tempo(audio, cuts, heard.reading, 100.0, "stretch", 30.0)
