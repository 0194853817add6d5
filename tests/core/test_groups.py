"""Hits sorted by sound: kick, snare and hats told in loops, simultaneous ones parted, the beat they make."""

import numpy as np
import pytest
from scipy import signal

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.listen.drum_classifier import onset_pictures
from easy_pocket.core.listen.loop_analysis import Corrections, analyze_loop
from easy_pocket.core.listen.loop_beat import beat_from_groups
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.sound_groups import (
    current_groups,
    group_hits,
    merge_groups,
    mono_samples,
    split_group,
    stored_groups,
    with_kit_voices,
)
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.demo.bollard import VOICE_OF, bollard_mouth, written
from tests.drums import beat, rendered

FUNK = {
    "kick": "X.....x.X...x...|X..x....X.x.....",
    "snare": "....X.......X...|....X.......X...",
    "hat_closed": "x.x.x.x.x.x.x.x.|x.x.x.x.x.x.x.x.",
}


@pytest.fixture(scope="module", params=["boathouse", "signal_box"])
def loop(request):
    audio, performance = rendered(beat(FUNK), 100.0, Feel(swing_percent=56), request.param)
    return audio, performance, analyze_loop(audio, Corrections(bars=2, metre=Metre(4, 4)))


def test_kick_snare_and_hat_are_told_and_what_sounds_at_once_is_parted(loop):
    audio, performance, heard = loop
    found = beat_from_groups(heard.onsets, heard.reading, group_hits(audio, heard.onsets))
    wanted = {(hit.voice, hit.tick) for hit in performance_hits(performance)}
    told = {(hit.voice, hit.tick) for hit in found.pattern.hits}
    assert len(wanted & told) / len(wanted) > 0.9
    assert len(wanted & told) / len(told) > 0.9


def performance_hits(performance):
    voices = performance.hits.voices
    return [
        Hit(voices[v], int(t), int(vel))
        for v, t, vel in zip(performance.hits.voice_index, performance.hits.tick, performance.velocity, strict=True)
    ]


def test_the_beat_keeps_offsets_and_dynamics(loop):
    audio, performance, heard = loop
    found = beat_from_groups(heard.onsets, heard.reading, group_hits(audio, heard.onsets))
    true_ms = {
        (performance.hits.voices[v], int(t)): float(ms)
        for v, t, ms in zip(performance.hits.voice_index, performance.hits.tick, performance.offset_ms, strict=True)
    }
    apart = [
        hit.offset_ms - true_ms[hit.voice, hit.tick] for hit in found.pattern.hits if (hit.voice, hit.tick) in true_ms
    ]
    assert np.median(np.abs(apart)) < 1.5
    kicks = {hit.tick: hit.velocity for hit in found.pattern.hits if hit.voice == "kick"}
    assert kicks[0] > kicks[1440]  # X against x
    assert found.certainty.shape == (len(found.pattern.hits),)


def test_groups_can_be_given_to_a_few_voices(loop):
    audio, _, heard = loop
    groups = with_kit_voices(group_hits(audio, heard.onsets), ("kick", "rim"))
    assert {group.voice for group in groups} <= {"kick", "rim"}
    assert next(group.voice for group in groups if group.kind == "snare") == "rim"


def mouth(times, kinds, rate=44_100):
    """A mouth's boom, tss and kh: no drum of any kit."""
    dice = np.random.default_rng(3)
    x = np.zeros(int((times[-1] + 0.6) * rate))
    t = np.arange(int(0.4 * rate)) / rate
    noise = dice.standard_normal(len(t))
    band = {k: signal.butter(2, b, "band", fs=rate, output="sos") for k, b in (("k", (700, 1600)), ("t", (5500, 9000)))}
    sounds = {
        "b": np.sin(2 * np.pi * (110 * t - 60 * t**2)) * np.exp(-t * 24) + 0.02 * noise * np.exp(-t * 60),
        "k": signal.sosfilt(band["k"], noise) * np.exp(-t * 40) * 2,
        "t": signal.sosfilt(band["t"], noise) * np.exp(-t * 60) * 2,
    }
    for time, kind in zip(times, kinds, strict=True):
        start = int(time * rate)
        x[start : start + len(t)] += sounds[kind] * (0.8 + 0.2 * dice.random())
    return Audio(x.astype(np.float32)[:, None] * 0.5, rate, "mouth.wav")


def test_three_sounds_of_a_mouth_become_three_voices():
    times, kinds = np.arange(16) * 0.15 + 0.05, "btktbbktbtktbttt"
    audio = mouth(times, kinds)
    heard = analyze_loop(audio).onsets
    nearest = np.abs(heard.time_s[:, None] - times[None]).argmin(axis=0)
    assert np.abs(heard.time_s[nearest] - times).max() < 0.01
    onsets = heard.take(nearest)
    groups = group_hits(audio, onsets, 3)
    voice_of = {index: group.voice for group in groups for index in group.hits}
    bright = {"b": set(), "k": set(), "t": set()}
    for index, kind in enumerate(kinds):
        bright[kind].add(voice_of[index])
    assert [len(voices) for voices in bright.values()] == [1, 1, 1]
    assert len(set.union(*bright.values())) == 3


def test_a_mouth_is_said_to_be_no_drum_and_a_kit_to_be_one(loop):
    audio = mouth(np.arange(16) * 0.15 + 0.05, "btktbbktbtktbttt")
    groups = group_hits(audio, analyze_loop(audio).onsets)
    assert [group.is_drum for group in groups] == [False] * 3
    assert [group.voice for group in groups] == ["kick", "snare", "hat_closed"]
    kit, _, heard = loop
    assert all(group.is_drum for group in group_hits(kit, heard.onsets))


def table(times, kinds, rate=44_100):
    """A flat hand, a knuckle and a pen on a board: knocks through resonances, no damped sines as the fit draws them."""
    dice = np.random.default_rng(8)
    x = np.zeros(int((times[-1] + 0.6) * rate))
    t = np.arange(int(0.3 * rate)) / rate
    knock = dice.standard_normal(len(t)) * np.exp(-t * 900)
    modes = {
        "p": ((95, 12), (170, 14), (260, 18)),
        "k": ((410, 14), (690, 16), (1150, 20)),
        "n": ((2300, 9), (3900, 8)),
    }
    sounds = {}
    for kind, resonances in modes.items():
        rung = sum(
            signal.lfilter(*signal.iirpeak(hz, q, fs=rate), knock) / (1 + k) for k, (hz, q) in enumerate(resonances)
        )
        sounds[kind] = rung / np.abs(rung).max() + 0.1 * knock / np.abs(knock).max()
    for time, kind in zip(times, kinds, strict=True):
        start = int(time * rate)
        x[start : start + len(t)] += sounds[kind] * (0.7 + 0.3 * dice.random())
    return Audio(x.astype(np.float32)[:, None] * 0.5, rate, "table.wav")


def test_a_table_is_said_to_be_no_drum_and_its_three_sounds_are_told():
    times, kinds = np.arange(16) * 0.17 + 0.05, "pnknppknpnknpnkn"
    audio = table(times, kinds)
    onsets = analyze_loop(audio).onsets
    nearest = np.abs(onsets.time_s[:, None] - times[None]).argmin(axis=0)
    groups = group_hits(audio, onsets.take(np.sort(nearest)))
    assert not any(group.is_drum for group in groups)
    voice_of = {kinds[index]: group.voice for group in groups for index in group.hits}
    assert voice_of == {"p": "kick", "k": "snare", "n": "hat_closed"}


GHOSTED = {
    "kick": "X......x..X.....|X......x..X.....",
    "snare": "....X..-.-..X..-|....X..-.-..X..-",
    "hat_closed": "xoxoxoxoxoxoxoxo|xoxoxoxoxoxoxoxo",
}


@pytest.mark.parametrize("kit", ["boathouse", "signal_box"])
def test_soft_snares_under_hats_are_found(kit):
    audio, performance = rendered(beat(GHOSTED), 96.0, Feel(), kit)
    heard = analyze_loop(audio, Corrections(bars=2, metre=Metre(4, 4)))
    found = beat_from_groups(heard.onsets, heard.reading, group_hits(audio, heard.onsets))
    wanted = {hit.tick for hit in performance_hits(performance) if hit.voice == "snare"}
    told = {hit.tick for hit in found.pattern.hits if hit.voice == "snare"}
    assert len(wanted) == 10
    assert len(told & wanted) >= 8
    assert len(told - wanted) <= 1


def test_open_hats_are_told_from_closed_ones():
    lines = {**FUNK, "hat_closed": "x.x.x...x.x.x...|x.x.x...x.x.x...", "hat_open": "......x.......x.|......x.......x."}
    audio, performance = rendered(beat(lines), 100.0, Feel(), "boathouse")
    heard = analyze_loop(audio, Corrections(bars=2, metre=Metre(4, 4)))
    found = beat_from_groups(heard.onsets, heard.reading, group_hits(audio, heard.onsets))
    told = {hit.tick for hit in found.pattern.hits if hit.voice == "hat_open"}
    true = {hit.tick for hit in performance_hits(performance) if hit.voice == "hat_open"}
    assert told <= true
    assert len(told) >= 3


def test_pictures_do_not_depend_on_how_loud_the_recording_is(loop):
    audio, _, heard = loop
    mono, times_s = mono_samples(audio).astype(np.float64), heard.onsets.time_s
    assert onset_pictures(0.02 * mono, times_s) == pytest.approx(onset_pictures(mono, times_s), abs=1e-6)


@pytest.mark.parametrize("count", [2, 4, 6])
def test_as_many_groups_as_are_asked_for(loop, count):
    audio, _, heard = loop
    groups = group_hits(audio, heard.onsets, count)
    assert len(groups) == count
    assert {index for group in groups for index in group.hits} == set(range(len(heard.onsets)))


def test_a_group_split_and_joined_again_is_the_same(loop):
    audio, _, heard = loop
    group = group_hits(audio, heard.onsets)[0]
    one, other = split_group(group, onset_pictures(mono_samples(audio), heard.onsets.time_s))
    assert one.hits
    assert other.hits
    assert set(merge_groups(one, other).hits) == set(group.hits)
    with pytest.raises(BadValueError, match="nothing to split"):
        split_group(type(group)("x", "hat", "hat_closed", (1,), (1.0,)), np.zeros((2, 142)))
    with pytest.raises(BadValueError, match="number of groups is 9"):
        group_hits(audio, heard.onsets, 9)


def test_groups_are_kept_by_time_when_hits_come_and_go(loop):
    audio, _, heard = loop
    groups = group_hits(audio, heard.onsets)
    kept = stored_groups([type(g)(g.name, g.kind, "rim", g.hits, g.certainty) for g in groups], heard.onsets)
    fewer = np.ones(len(heard.onsets), dtype=bool)
    fewer[3] = False
    again = current_groups(audio, heard.onsets.take(fewer), kept)
    assert {group.voice for group in again} == {"rim"}
    assert {index for group in again for index in group.hits} == set(range(int(fewer.sum())))
    back = current_groups(audio, heard.onsets, stored_groups(again, heard.onsets.take(fewer)))
    assert {index for group in back for index in group.hits} == set(range(len(heard.onsets)))


def test_no_hits_make_no_groups():
    none = Onsets(np.zeros(0), np.zeros(0), np.zeros(0), np.zeros((0, 3)), 1.0)
    assert group_hits(Audio(np.zeros((44100, 1), np.float32), 44_100, "x"), none) == ()


def test_the_mouth_of_the_demo_is_kick_snare_and_hat_without_training():
    audio = bollard_mouth()
    heard = analyze_loop(audio)
    assert (round(heard.reading.tempo_bpm), heard.reading.bars) == (92, 2)
    true_s = np.array([time_s for time_s, _ in written()])
    told = {}
    for group in group_hits(audio, heard.onsets):
        for index in group.hits:
            nearest = int(np.abs(true_s - heard.onsets.time_s[index]).argmin())
            told.setdefault(nearest, set()).add(group.voice)
    wanted = {number: {VOICE_OF[mark]} for number, (_, mark) in enumerate(written())}
    assert told == wanted
