"""Listening, against loops rendered from patterns whose every hit is known, and against what is no loop at all."""

from dataclasses import replace

import numpy as np
import pytest

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import AudioRefusedError, BadValueError, NoHitsError
from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.listen.drifting_tempo import followed, measured_tempi_bpm
from easy_pocket.core.listen.groove import extract_template, found_swing_percent
from easy_pocket.core.listen.loop_analysis import (
    Corrections,
    analyze_loop,
    at_double_tempo,
    at_half_tempo,
    with_span,
)
from easy_pocket.core.listen.nearest_attack import attack_near
from easy_pocket.core.listen.onsets import Onsets, detect_onsets
from easy_pocket.core.listen.ranked_readings import in_sixteenths, rank_readings
from easy_pocket.core.listen.reading import Grid, Reading
from easy_pocket.core.listen.tempo import compound_evidence
from easy_pocket.core.pattern.timebase import Metre
from tests.drums import ROCK, SWUNG, beat, drifting, merged_ms, rendered

WALTZ = {
    "kick": "X.....|x....x|X.....|x.....",
    "snare": "..x.x.|..x.x.|..x.x.|..x.xx",
    "ride": "x.x.x.|x.x.xx|x.x.x.|x.x.xx",
}
SHUFFLE = {
    "kick": "X.....x.....|X....xx.....",
    "snare": "...X.....X..|...X.....X..",
    "ride": "x.xx.xx.xx.x|x.xx.xx.xx.x",
}
SIX_EIGHT = {
    "kick": "X....x|X.....|X....x|X.....",
    "snare": "...X..|...X..|...X..|...X.x",
    "hat_closed": "xooxoo|xooxoo|xooxoo|xooxoo",
}

LOOPS = {
    "rock": (beat(ROCK), 112.0, Feel(), "4/4", 2),
    "swung": (beat(SWUNG), 88.5, Feel(swing_percent=60), "4/4", 2),
    "waltz": (beat(WALTZ, Metre(3, 4), 480), 138.0, Feel(), "3/4", 4),
    "shuffle": (beat(SHUFFLE, step=320), 118.3, Feel(), "4/4", 2),
    "six_eight": (beat(SIX_EIGHT, Metre(6, 8), 480), 87.0, Feel(), "6/8", 4),
}


@pytest.fixture(scope="module", params=sorted(LOOPS))
def loop(request):
    pattern, tempo_bpm, feel, metre, bars = LOOPS[request.param]
    audio, performance = rendered(pattern, tempo_bpm, feel)
    return audio, performance, tempo_bpm, metre, bars


def test_hits_are_found_within_a_few_ms(loop):
    audio, performance, *_ = loop
    onsets = detect_onsets(audio)
    truth = merged_ms(performance)
    heard = onsets.time_s * 1000
    distance = np.abs(heard[None, :] - truth[:, None])
    assert (distance.min(axis=1) < 8).mean() >= 0.95
    assert (distance.min(axis=0) < 8).mean() >= 0.95
    assert np.median(distance.min(axis=1)) < 1.0


def test_tempo_metre_and_bars_are_read(loop):
    audio, _, tempo_bpm, metre, bars = loop
    reading = analyze_loop(audio).reading
    assert (str(reading.metre), reading.bars) == (metre, bars)
    assert reading.tempo_bpm == pytest.approx(tempo_bpm, rel=0.001)
    assert 0 < reading.confidence <= 1


def test_the_groove_put_in_is_the_groove_taken_out():
    lean_ms = [0, 12, -5, 18, 4, 9, -7, 14, 0, 15, -4, 10, 6, 8, -6, 16]
    pattern = beat({"snare": "XxXxXxXxXxXxXxXx|XxXxXxXxXxXxXxXx"})
    leaned = pattern.with_hits(
        type(h)(h.voice, h.tick, h.velocity, float(lean_ms[h.tick // 240 % 16])) for h in pattern.hits
    )
    audio, _ = rendered(leaned, 96.0)
    heard = analyze_loop(audio, Corrections(bars=2, metre=Metre(4, 4)))
    lane = extract_template(heard.onsets, heard.reading, "back").lanes["all"]
    error = lane.offsets - np.array(lean_ms)
    assert np.sqrt(np.mean((error - error.mean()) ** 2)) < 1.0
    assert abs(error.mean()) < 1.0
    assert not any(lane.guessed)


@pytest.mark.parametrize("swing", [50.0, 56.0, 62.0])
def test_swing_is_measured(swing):
    audio, _ = rendered(beat(SWUNG), 92.0, Feel(swing_percent=swing))
    heard = analyze_loop(audio)
    assert found_swing_percent(heard.onsets, heard.reading) == pytest.approx(swing, abs=1.5)


def test_no_off_beats_no_swing():
    audio, _ = rendered(beat({"kick": "X...x...X...x...", "snare": "....X.......X..."}), 100.0)
    heard = analyze_loop(audio, Corrections(bars=1, metre=Metre(4, 4)))
    assert found_swing_percent(heard.onsets, heard.reading) is None


def test_empty_slots_carry_a_guess_of_their_swing_phase():
    audio, _ = rendered(beat(SWUNG), 88.5, Feel(swing_percent=60))
    lane = (template := extract_template((h := analyze_loop(audio)).onsets, h.reading, "t")).lanes["all"]
    assert template.slots_per_bar == 16
    assert lane.guessed[1]
    assert lane.count[1] == 0
    assert lane.offset_ms[1] == pytest.approx(np.mean([lane.offset_ms[i] for i in (3, 7, 11, 15)]), abs=8)


def test_a_recording_that_is_not_trimmed_gets_its_tempo_and_its_one():
    audio, _performance = rendered(beat(ROCK), 112.0)
    quiet = np.zeros((int(0.7 * 44_100), 2), np.float32)
    late = Audio(
        np.concatenate([quiet, audio.samples, audio.samples[: 44_100 // 3] * 0, quiet[:9000]]), 44_100, "ragged"
    )
    reading = analyze_loop(late).reading
    assert not reading.trimmed
    assert reading.tempo_bpm == pytest.approx(112.0, rel=0.01)
    assert reading.bar_one_s == pytest.approx(0.7, abs=0.02)


def times(lines, count):
    return {voice: "|".join([line] * count) for voice, line in lines.items()}


@pytest.mark.parametrize(
    ("lines", "metre", "tempo_bpm", "speeds"),
    [
        (ROCK, Metre(4, 4), 101.0, (0.99, 1.01)),
        (SWUNG, Metre(4, 4), 92.0, (1.04, 0.96)),
        (ROCK, Metre(4, 4), 168.0, (1.0, 1.02, 1.0, 0.98, 1.0)),
        (SWUNG, Metre(4, 4), 88.0, (0.97, 1.0, 1.03)),
    ],
)
def test_a_recording_whose_tempo_moves_gets_its_own_bar_lines(lines, metre, tempo_bpm, speeds):
    audio, bars_s = drifting(beat(times(lines, 4), metre), tempo_bpm, speeds)
    reading = analyze_loop(audio).reading
    assert (reading.bars, reading.metre) == (8, metre)
    assert np.abs(np.array(reading.bar_lines_s) - bars_s).max() < 0.015
    slowest, fastest = reading.tempo_range_bpm
    assert slowest == pytest.approx(tempo_bpm * min(speeds), rel=0.012)
    assert fastest == pytest.approx(tempo_bpm * max(speeds), rel=0.012)
    assert reading.confidence > 0.6


def test_the_groove_of_a_drifting_recording_is_the_player_s_not_the_drift():
    audio, _ = drifting(beat(times(SWUNG, 4)), 92.0, (0.97, 1.03), Feel(swing_percent=58, swing_unit=16))
    heard = analyze_loop(audio)
    lane = extract_template(heard.onsets, heard.reading, "t").lanes["all"]
    late_ms = 60_000 / 92 / 2 * 0.08
    offsets = [lane.offset_ms[slot] - lane.offset_ms[slot - 1] for slot in (3, 7, 11, 15)]
    assert np.mean(offsets) == pytest.approx(late_ms, abs=6)
    assert np.ptp(lane.offset_ms[::2]) < 10


def test_a_loose_but_steady_player_does_not_drift():
    straight = beat(times(ROCK, 4))
    scatter_ms = np.random.default_rng(4).normal(0, 7, len(straight.hits)).tolist()
    loose = replace(
        straight, hits=tuple(replace(hit, offset_ms=ms) for hit, ms in zip(straight.hits, scatter_ms, strict=True))
    )
    audio, _ = rendered(loose, 104.0)
    quiet = np.zeros((30_000, 2), np.float32)
    reading = analyze_loop(Audio(np.concatenate([quiet, audio.samples, quiet[:9000]]), 44_100)).reading
    assert not reading.drifts
    assert reading.tempo_bpm == pytest.approx(104.0, rel=0.002)


def test_setting_the_one_or_the_bars_of_a_drifting_recording_keeps_its_curve():
    audio, bars_s = drifting(beat(times(ROCK, 4)), 101.0, (0.98, 1.02))
    halved_reading = analyze_loop(audio, Corrections(bars=4)).reading
    assert np.array(halved_reading.bar_lines_s) == pytest.approx(bars_s[::2], abs=0.01)
    later = analyze_loop(audio, Corrections(one_s=float(bars_s[1]) + 0.01)).reading
    assert later.bars == 7
    assert np.array(later.bar_lines_s) == pytest.approx(bars_s[1:], abs=0.01)


def test_noise_under_a_loop_and_a_soft_clip_change_little():
    audio, performance = rendered(beat(SWUNG), 88.5)
    noise = np.random.default_rng(2).standard_normal(audio.samples.shape) * 10 ** (-50 / 20)
    rough = Audio(np.tanh(1.6 * (audio.samples + noise)).astype(np.float32), 44_100)
    truth, heard = merged_ms(performance), detect_onsets(rough).time_s * 1000
    assert (np.abs(heard[None, :] - truth[:, None]).min(axis=1) < 8).mean() >= 0.9


@pytest.mark.parametrize("rate_hz", [8_000, 22_050, 48_000, 192_000])
def test_the_rate_of_the_file_does_not_matter(rate_hz):
    import soxr

    audio, _ = rendered(beat(ROCK), 112.0)
    other = Audio(soxr.resample(audio.samples, 44_100, rate_hz), rate_hz)
    reading = analyze_loop(other).reading
    assert (reading.tempo_bpm, reading.bars) == (pytest.approx(112.0, rel=0.002), 2)


def test_what_was_overruled_stays_overruled():
    audio, _ = rendered(beat(ROCK), 112.0)
    first = analyze_loop(audio)
    gone_s, new_s = float(first.onsets.time_s[3]), float(first.onsets.time_s[5]) + 0.05
    corrections = Corrections(removed_s=(gone_s,), added_s=(new_s,), bars=4, metre=Metre(4, 4), sensitivity=0.6)
    again = analyze_loop(audio, corrections)
    assert np.abs(again.onsets.time_s - gone_s).min() > 0.002
    assert np.abs(again.onsets.time_s - new_s).min() < 1e-9
    assert (again.reading.bars, again.reading.tempo_bpm) == (4, pytest.approx(224.0, rel=0.001))
    assert again.reading.confidence == 1.0


def test_what_is_in_an_ignored_span_is_no_hit_but_one_added_by_hand_is():
    audio, _ = rendered(beat(ROCK), 112.0)
    plain = analyze_loop(audio).onsets.time_s
    inside = (plain >= 1.0) & (plain < 2.0)
    assert 3 < inside.sum() < len(plain)
    heard = analyze_loop(audio, Corrections(ignored_s=((1.0, 2.0),)))
    np.testing.assert_allclose(heard.onsets.time_s, plain[~inside])
    assert heard.reading.bars == 2
    again = analyze_loop(audio, Corrections(ignored_s=((1.0, 2.0),), added_s=(float(plain[inside][0]),)))
    np.testing.assert_allclose(again.onsets.time_s, plain[~inside | (plain == plain[inside][0])])
    with pytest.raises(NoHitsError, match="take one of them back"):
        analyze_loop(audio, Corrections(ignored_s=((0.0, 600.0),)))


def test_spans_that_touch_become_one():
    spans = with_span(((1.0, 2.0), (4.0, 5.0)), 1.5, 3.0)
    assert spans == ((1.0, 3.0), (4.0, 5.0))
    assert with_span(spans, 2.5, 4.5) == ((1.0, 5.0),)
    assert with_span((), 0.5, 0.7) == ((0.5, 0.7),)


def test_a_groove_is_taken_from_the_bars_and_in_the_slots_one_chose():
    late = beat(ROCK)
    second = replace(late, hits=tuple(replace(hit, offset_ms=12.0 * (hit.tick >= 3840)) for hit in late.hits))
    heard = analyze_loop(rendered(second, 112.0)[0])
    first, last = (extract_template(heard.onsets, heard.reading, "x", from_bars=[bar]) for bar in (1, 2))
    both = extract_template(heard.onsets, heard.reading, "x")
    apart = np.subtract(last.lanes["all"].offset_ms, first.lanes["all"].offset_ms)
    sounded = ~np.array(first.lanes["all"].guessed) & ~np.array(last.lanes["all"].guessed)
    assert np.median(apart[sounded]) == pytest.approx(12, abs=1.5)
    assert sum(first.lanes["all"].count) + sum(last.lanes["all"].count) == sum(both.lanes["all"].count)
    eighths = extract_template(heard.onsets, heard.reading, "x", per_beat=2)
    assert (eighths.slots_per_bar, len(eighths.lanes["all"].offset_ms)) == (8, 8)
    with pytest.raises(BadValueError, match="bar to take the groove from is 3"):
        extract_template(heard.onsets, heard.reading, "x", from_bars=[3])


def test_the_one_snaps_to_the_grid_so_a_late_hit_does_not_move_it():
    audio, _ = rendered(beat(ROCK), 120.0)
    reading = analyze_loop(audio, Corrections(one_s=0.507)).reading
    assert reading.bar_one_s == pytest.approx(0.5, abs=1e-3)


def test_half_and_double_keep_the_audio_whole():
    reading = analyze_loop(rendered(beat(ROCK), 112.0)[0]).reading
    assert at_half_tempo(reading) == (1, Metre(4, 4))
    assert at_double_tempo(reading) == (4, Metre(4, 4))
    one_bar = analyze_loop(
        rendered(beat({"kick": "X.x.X.x.", "snare": "..X...X."}, step=480), 100.0)[0],
        Corrections(bars=1, metre=Metre(3, 4)),
    )
    with pytest.raises(BadValueError, match="cannot be halved"):
        at_half_tempo(one_bar.reading)


def test_a_hit_added_by_hand_goes_to_the_attack():
    audio, _performance = rendered(beat({"snare": "X...x...X...x..."}), 100.0)
    assert attack_near(audio.mono(), audio.rate_hz, 0.612) == pytest.approx(0.6, abs=0.001)
    assert attack_near(audio.mono(), audio.rate_hz, 0.33) == 0.33


def test_more_sensitivity_hears_more():
    audio, _ = rendered(beat(SWUNG), 88.5)
    counts = [len(detect_onsets(audio, sensitivity)) for sensitivity in (0.1, 0.5, 1.0)]
    assert counts == sorted(counts)
    assert counts[0] < counts[2]


@pytest.mark.parametrize(
    ("audio", "words"),
    [
        (
            Audio(np.zeros(44_100, np.float32), 44_100, "still.wav"),
            "still.wav holds no hits: its loudest sample is digital silence",
        ),
        (
            Audio(np.eye(1, 44_100, 2000, dtype=np.float32)[0], 44_100, "click.wav"),
            "1 hit was heard; a beat needs at least two",
        ),
        (Audio(np.sin(np.arange(88_200) * 0.05).astype(np.float32), 44_100, "tone.wav"), "tone.wav"),
        (
            Audio((0.3 * np.sin(2 * np.pi * 440 * np.arange(4 * 44_100) / 44_100)).astype(np.float32), 44_100, "even"),
            "even holds no hits: nothing in it begins at once as a hit does",
        ),
    ],
)
def test_what_holds_no_beat_is_refused_in_words(audio, words):
    with pytest.raises(NoHitsError, match=words):
        analyze_loop(audio)


@pytest.mark.parametrize("seed", range(4))
def test_noise_is_never_read_with_confidence(seed):
    hiss = np.random.default_rng(seed).standard_normal(44_100 * 3).astype(np.float32) * 0.2
    onsets = detect_onsets(Audio(hiss, 44_100, "hiss"), sensitivity=0.9)
    assert len(onsets) >= 2
    assert rank_readings(onsets)[0].confidence < 0.5


def test_unusable_audio_is_refused_in_words():
    with pytest.raises(AudioRefusedError, match=r"1 samples? that are no numbers"):
        Audio(np.array([0.0] * 99 + [np.nan], np.float32), 44_100)
    with pytest.raises(AudioRefusedError, match="holds 1 sample; at least 64"):
        Audio(np.zeros(1, np.float32), 44_100)
    with pytest.raises(AudioRefusedError, match=r"at most 10 can be used"):
        Audio(np.zeros(601 * 8000, np.float32), 8000)


def test_channels_out_of_phase_are_heard_all_the_same():
    audio, _ = rendered(beat(ROCK), 112.0)
    left = audio.samples[:, 0]
    assert analyze_loop(Audio(np.stack([left, -left], axis=1), 44_100)).reading.tempo_bpm == pytest.approx(
        112, rel=0.001
    )


def test_the_demo_loop_holds_the_groove_it_was_made_with():
    from easy_pocket.core.formats.audio_file import read_audio
    from easy_pocket.demo import quayside
    from easy_pocket.demo.load import QUAYSIDE_BREAK

    heard = analyze_loop(read_audio(QUAYSIDE_BREAK, "quayside-break.flac"))
    assert (str(heard.reading.metre), heard.reading.bars) == ("4/4", 2)
    assert heard.reading.tempo_bpm == pytest.approx(quayside.TEMPO_BPM, rel=0.001)
    lane = extract_template(heard.onsets, heard.reading, "Rope Walk").lanes["all"]
    swing_ms = (2 * quayside.SWING_PERCENT / 100 - 1) * 60_000 / quayside.TEMPO_BPM / 4
    struck: dict[int, list[float]] = {}
    for hit in quayside.written().hits:  # what is struck together counts with its middle
        slot = hit.tick // 240
        struck.setdefault(slot, []).append(hit.offset_ms + swing_ms * (slot % 2))
    made = np.array([np.mean(struck.get(slot, []) + struck.get(slot + 16, []) or [np.nan]) for slot in range(16)])
    heard_slots = [slot for slot in range(16) if not lane.guessed[slot]]
    starts = replace(heard.onsets, middle_ms=np.zeros(len(heard.onsets)))
    of_starts = extract_template(starts, heard.reading, "Rope Walk").lanes["all"]
    error, without = (
        np.sqrt(np.nanmean((one.offsets[heard_slots] - made[heard_slots]) ** 2)) for one in (lane, of_starts)
    )
    assert error < 1.8
    assert error < 0.7 * without


def test_a_tempo_map_is_measured_and_followed_on_request():
    """Bars that differ by half a percent are read as one tempo; asked for, each gets the line its hits have."""
    tempi = np.array([100.0, 100.5, 100.0, 99.6, 100.2, 100.0])
    lines = np.concatenate([[0.3], 0.3 + np.cumsum(4 * 60 / tempi)])
    slots = np.arange(6 * 8)
    times = np.interp(slots / 8, np.arange(7), lines)
    strength = np.where(slots % 2, 0.5, 1.0)
    bands = np.where((slots % 4 == 0)[:, None], [0.8, 0.1, 0.1], [0.1, 0.3, 0.6])
    heard = Onsets(times, strength, np.full(len(slots), 30.0), bands, float(lines[-1]))
    reading = Reading(100.05, Metre(4, 4), 6, 0.3, Grid(2), 0.9, 1.0, 0.8, trimmed=False)
    measured = measured_tempi_bpm(heard, reading)
    assert np.abs(measured - tempi).max() < 0.25
    laid = followed(heard, reading)
    assert laid.drifts
    assert np.abs(laid.slot_at(times) - slots).max() < 0.02
    assert np.abs(reading.slot_at(times) - slots).max() > 0.02
    assert followed(heard, replace(reading, bars=1)) == replace(reading, bars=1)


def of_times(times_s, length_s, low=(), strength=None):
    """Hits at known times; those named in `low` are kicks, the others hats."""
    times_s = np.asarray(times_s, dtype=float)
    bands = np.where(np.isin(np.arange(len(times_s)), low)[:, None], [0.8, 0.1, 0.1], [0.05, 0.15, 0.8])
    loud = np.ones(len(times_s)) if strength is None else np.asarray(strength, dtype=float)
    return Onsets(times_s, loud, np.full(len(times_s), 30.0), bands, length_s)


def test_a_sixteenth_between_eighths_bends_no_slot():
    """Eighths 10 ms late, and one 16th between two of them: it says nothing about either."""
    eighths = np.arange(16) * 0.25 + 0.01
    reading = Reading(120.0, Metre(4, 4), 2, 0.0, Grid(2), 0.9, 1.0, 0.9)
    lane = extract_template(of_times(np.sort([*eighths, 0.375]), 4.0), reading, "t").lanes["all"]
    assert lane.offsets == pytest.approx(np.full(8, 10.0), abs=1e-6)
    assert sum(lane.count) == 16


def test_a_loud_bar_says_more_of_a_groove_but_not_all():
    times = np.array([0.0, 0.5, 1.0, 1.5, 2.012, 2.5, 3.0, 3.5])
    reading = Reading(120.0, Metre(4, 4), 2, 0.0, Grid(1), 0.9, 1.0, 0.9)
    loud = [0.25, 1, 1, 1, 1, 1, 1, 1]
    lane = extract_template(of_times(times, 4.0, strength=loud), reading, "t").lanes["all"]
    assert lane.offset_ms[0] == pytest.approx(12 * 1 / 1.5)  # the roots of 1 and a quarter: 1 against a half


@pytest.mark.parametrize(("sixteenths", "per_beat"), [((), 3), ((5.5,), 3), ((5.5, 11.5), 6)])
def test_six_eight_gets_sixteenths_when_some_are_played(sixteenths, per_beat):
    place = np.sort([*range(12), *sixteenths])
    reading = Reading(90.0, Metre(6, 8), 2, 0.0, Grid(3), 0.9, 1.0, 0.9)
    heard = of_times(place * reading.slot_s, reading.length_s)
    assert in_sixteenths(heard, reading).grid.per_beat == per_beat
    assert in_sixteenths(heard, replace(reading, metre=Metre(3, 4))).grid.per_beat == 3


def test_a_beat_that_nobody_plays_is_no_beat():
    """6/8 in 8ths, read as triplets of a 4/4 half of whose beats are empty; and a real shuffle, read so too."""
    eighths = of_times(np.arange(24) * 0.25, 6.0)
    assert compound_evidence(eighths, Metre(6, 8), 0.75, Grid(3)) == 0.0
    across = compound_evidence(of_times(np.arange(0, 24, 2) * 0.25, 6.0), Metre(4, 4), 0.75, Grid(3))
    shuffled = of_times(np.sort([*np.arange(8) * 0.75, *(np.arange(8) * 0.75 + 0.5)]), 6.0)
    assert compound_evidence(shuffled, Metre(4, 4), 0.75, Grid(3)) == 0.0
    assert across < -0.4
    later = replace(shuffled, time_s=shuffled.time_s + 0.31)  # a recording that is not cut on its one
    assert compound_evidence(later, Metre(4, 4), 0.75, Grid(3), 0.31) == 0.0
