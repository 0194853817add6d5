"""Slices: the loop comes back, and set to another time its hits fall where they should."""

import numpy as np
import pytest

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.slice_kit import slice_kit
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.listen.other_tempo import at_tempo
from easy_pocket.core.listen.slices import cut_slices, rebuilt, retimed, slice_audio
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.mixdown import mixdown
from tests.drums import ROCK, SWUNG, beat, rendered


@pytest.fixture(scope="module")
def loop():
    audio, performance = rendered(beat(SWUNG), 96.0, Feel(swing_percent=60))
    return audio, performance, analyze_loop(audio)


def residual_db(one, other):
    error = one.samples.astype(np.float64) - other.samples
    return 10 * np.log10(np.mean(error**2) / np.mean(one.samples.astype(np.float64) ** 2) + 1e-20)


@pytest.mark.parametrize("by", ["hits", "grid"])
def test_put_one_after_another_the_slices_are_the_loop(loop, by):
    audio, _, heard = loop
    slices = cut_slices(heard.onsets, heard.reading, by)
    assert residual_db(audio, rebuilt(audio, slices)) < -60
    assert sum(map(len, slice_audio(audio, slices))) == len(audio.samples)


def test_at_its_own_times_the_loop_comes_back(loop):
    audio, _, heard = loop
    slices = cut_slices(heard.onsets, heard.reading)
    same = retimed(audio, slices, slices.attack_s, slices.duration_s, wraps=True)
    assert residual_db(audio, same) < -60
    assert residual_db(audio, at_tempo(audio, slices, heard.reading, heard.reading.tempo_bpm)) < -60


@pytest.mark.parametrize("tempo_bpm", [80.0, 110.0, 140.0])
def test_at_another_tempo_the_hits_are_heard_there(loop, tempo_bpm):
    audio, _, heard = loop
    moved = at_tempo(audio, cut_slices(heard.onsets, heard.reading), heard.reading, tempo_bpm)
    assert len(moved.samples) == round(len(audio.samples) * heard.reading.tempo_bpm / tempo_bpm)
    again = analyze_loop(moved)
    wanted = heard.onsets.time_s * heard.reading.tempo_bpm / tempo_bpm
    apart = np.abs(again.onsets.time_s[:, None] - wanted[None]).min(axis=0)
    assert (apart < 0.004).mean() > 0.95
    assert again.reading.tempo_bpm == pytest.approx(tempo_bpm, rel=0.01)


def test_slices_can_be_set_on_the_straight_grid(loop):
    audio, _, heard = loop
    slices = cut_slices(heard.onsets, heard.reading)
    slot_s = heard.reading.slot_s
    straight = np.rint(heard.reading.nearest_places(heard.reading.slot_at(slices.attack_s)) - 0.2) * slot_s
    moved = analyze_loop(retimed(audio, slices, straight, slices.duration_s, wraps=True))
    offset = moved.onsets.time_s / slot_s
    assert np.abs(offset - np.rint(offset)).max() * slot_s < 0.006


def test_a_louder_slice_does_not_click_where_it_is_cut(loop):
    audio, _, heard = loop
    fast = at_tempo(audio, cut_slices(heard.onsets, heard.reading), heard.reading, 150.0)
    jumps = np.abs(np.diff(fast.samples, axis=0)).max()
    assert jumps <= np.abs(np.diff(audio.samples, axis=0)).max() * 1.3


def test_what_cannot_be_cut_is_refused_in_words(loop):
    _, _, heard = loop
    with pytest.raises(BadValueError, match="hits or grid"):
        cut_slices(heard.onsets, heard.reading, "feeling")
    with pytest.raises(BadValueError, match="number of slots in a slice is 99"):
        cut_slices(heard.onsets, heard.reading, "grid", 99)
    with pytest.raises(BadValueError, match="no hit to cut at"):
        cut_slices(heard.onsets.take(np.zeros(len(heard.onsets), dtype=bool)), heard.reading)


def test_a_recording_is_cut_over_its_bars_only():
    audio, _ = rendered(beat(SWUNG), 96.0)
    lead = np.zeros((int(0.7 * audio.rate_hz), audio.samples.shape[1]), dtype=np.float32)
    ragged = Audio(np.concatenate([lead, audio.samples, lead[:20000]]), audio.rate_hz, "ragged.wav")
    heard = analyze_loop(ragged)
    slices = cut_slices(heard.onsets, heard.reading)
    assert slices.start_s[0] > 0.6
    moved = at_tempo(ragged, slices, heard.reading, heard.reading.tempo_bpm)
    bars_s = heard.reading.slots_per_bar * heard.reading.bars * heard.reading.slot_s
    assert len(moved.samples) == pytest.approx(bars_s * ragged.rate_hz, abs=2)


@pytest.mark.parametrize(("by", "slots"), [("hits", 1), ("grid", 1), ("grid", 2)])
def test_a_kit_of_slices_and_its_pattern_are_the_loop_again(by, slots):
    audio, _ = rendered(beat(ROCK), 112.0)
    heard = analyze_loop(audio)
    kit, samples, pattern = slice_kit(audio, heard, "x", by, slots)
    assert len(kit.voices) == len(pattern.hits) == len(cut_slices(heard.onsets, heard.reading, by, slots))
    performance = perform(pattern, tempo_bpm=heard.reading.tempo_bpm)
    played = mixdown(
        play_events(performance, kit), kit, performance.length_ms / 1000, samples=samples.__getitem__
    ).samples
    loop = np.roll(audio.samples, -round(heard.reading.bar_one_s * audio.rate_hz), axis=0)[: len(played)]
    gain = float((played[:, :1] * loop[:, :1]).sum() / (loop[:, :1] ** 2).sum())
    residual_db = 10 * np.log10(((played / gain - loop) ** 2).mean() / (loop**2).mean() + 1e-15)
    assert residual_db < -60


def test_more_slices_than_a_kit_holds_are_refused_in_words():
    audio, _ = rendered(beat(ROCK), 112.0)
    long = Audio(np.concatenate([audio.samples] * 5), audio.rate_hz, "long")
    heard = analyze_loop(long)
    with pytest.raises(BadValueError, match="a kit holds 64"):
        slice_kit(long, heard, "x", "grid", 1)
