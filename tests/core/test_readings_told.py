"""Two readings that are close are both offered, with what speaks for each; what usually holds decides between them."""

from __future__ import annotations

import numpy as np
import pytest

from easy_pocket.caches import ByteCache
from easy_pocket.core.audio import Audio
from easy_pocket.core.cache import ResultCache
from easy_pocket.core.listen.kept_listening import kept_again, to_keep
from easy_pocket.core.listen.listened import Listened, listen
from easy_pocket.core.listen.loop_analysis import (
    Corrections,
    analyze_again,
    analyze_listened,
    analyze_loop,
)
from easy_pocket.core.listen.nearest_attack import attack_near
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.ranked_readings import plain_readings, rank_readings
from easy_pocket.core.listen.reading import Grid, Reading
from easy_pocket.core.listen.reading_habits import HABITS, habits_of
from easy_pocket.core.listen.reading_reasons import is_close, reasons
from easy_pocket.core.listen.waveform import as_int16
from easy_pocket.core.pattern.timebase import Metre
from tests.drums import ROCK, beat, rendered

FOUR = Metre(4, 4)


def struck(ticks: list[int], low: list[int], tempo_bpm: float, bars: int) -> Onsets:
    """Hits of equal strength; those of `low` are low, all others middle."""
    beat_s = 60 / tempo_bpm
    bands = np.array([[0.9, 0.1, 0.0] if tick in low else [0.1, 0.8, 0.1] for tick in ticks])
    count = len(ticks)
    return Onsets(np.array(ticks) / 960 * beat_s, np.ones(count), np.full(count, 20.0), bands, bars * 4 * beat_s)


def test_what_is_told_is_what_stands_there() -> None:
    onsets = struck([0, 960, 1920, 2880, 3840, 4800, 5760, 6720], [0, 1920, 3840, 5760], 100, 2)
    reading = Reading(100.0, FOUR, 2, 0.0, Grid(4), 1.0, 1.0, 1.0)
    assert reasons(onsets, reading) == (
        "a low sound on the one of every bar", "a snare or clap on 2 and 4", "every beat is struck",
    )  # fmt: skip
    twice = Reading(200.0, FOUR, 4, 0.0, Grid(2, 58.0), 1.0, 1.0, 1.0)
    assert "8 of 16 beats are not struck" in reasons(onsets, twice)
    assert "a snare or clap on 3" in reasons(onsets, twice)
    bare = struck([240, 720], [], 100, 1)
    assert reasons(bare, Reading(100.0, FOUR, 1, 0.0, Grid(4, 56.0), 1.0, 1.0)) == (
        "4 of 4 beats are not struck", "hits lie 18 ms from 16ths swung 56 %",
    )  # fmt: skip
    assert reasons(bare, Reading(50.0, FOUR, 1, 0.0, Grid(4), 1.0, 1.0))[-1] == "slow to count, 50 beats a minute"


@pytest.mark.parametrize(("second", "close"), [(0.3, True), (0.05, False)])
def test_a_reading_is_close_when_it_is_nearly_as_likely(second: float, close: bool) -> None:
    readings = [Reading(100.0, FOUR, 2, 0.0, Grid(4), 1.0, 1.0, share) for share in (0.6, second)]
    assert is_close(readings) == close
    assert not is_close(readings[:1])


def test_habits_count_what_they_say() -> None:
    onsets = struck([0, 960, 1920, 2880], [0, 1920], 112, 1)
    habits = dict(zip(HABITS, habits_of(onsets, Reading(112.0, FOUR, 1, 0.0, Grid(4), 1.0, 1.0)), strict=True))
    assert habits["faster than usual"] == habits["slower than usual"] == 0
    assert habits["hits a beat"] == 0  # one: its logarithm
    assert (habits["one bar"], habits["not trimmed"], habits["compound"]) == (1, 0, 0)
    assert habits["middle on beats"] == pytest.approx(1.0)
    assert habits["beats not struck"] == 0
    double = dict(zip(HABITS, habits_of(onsets, Reading(224.0, FOUR, 2, 0.0, Grid(2), 1.0, 1.0)), strict=True))
    assert double["faster than usual"] == pytest.approx(1.0)
    assert double["beats not struck"] == pytest.approx(0.5)


def test_half_and_double_tempo_are_decided_by_what_usually_holds() -> None:
    """A plain rock beat from 66 to 150 bpm: its own tempo comes first, half or double is offered next."""
    first = offered = 0
    for tempo_bpm in (66, 72, 78, 84, 92, 100, 112, 124, 138, 150):
        onsets = analyze_loop(rendered(beat(ROCK), float(tempo_bpm))[0]).onsets
        ranked = [reading.tempo_bpm for reading in rank_readings(onsets)]
        first += abs(ranked[0] / tempo_bpm - 1) < 0.01
        offered += any(abs(other / tempo_bpm - 1) < 0.01 for other in ranked[:2])
        assert {round(one.tempo_bpm, 3) for one in plain_readings(onsets)} >= {round(one, 3) for one in ranked}
    assert first >= 9
    assert offered == 10


def test_what_was_listened_to_is_not_listened_to_again() -> None:
    audio, _ = rendered(beat(ROCK), 112.0)
    asked = []

    def load() -> Listened:
        asked.append(1)
        return listen(audio)

    before = ResultCache.provider
    ResultCache.provide(lambda name, most_bytes: ByteCache(name, most_bytes))
    try:
        for corrections in (
            Corrections(),
            Corrections(sensitivity=0.3),
            Corrections(bars=1),
            Corrections(added_s=(0.7,)),
        ):
            again = analyze_again("rock", load, corrections)
            afresh = analyze_loop(audio, corrections)
            assert again.reading == afresh.reading
            assert again.onsets.digest == afresh.onsets.digest
    finally:
        ResultCache.provide(before)
    assert len(asked) == 1


@pytest.mark.parametrize("time_s", [0.52, 1.6, 2.7])
def test_an_attack_is_found_by_what_is_near_alone(time_s: float) -> None:
    audio, _ = rendered(beat(ROCK), 112.0)
    long = Audio(np.tile(audio.samples, (3, 1)), audio.rate_hz, "long.wav")
    later = time_s + 2 * audio.duration_s
    found_s = attack_near(long.mono(), long.rate_hz, later) - 2 * audio.duration_s
    assert found_s == pytest.approx(attack_near(audio.mono(), audio.rate_hz, time_s), abs=5e-4)
    as_drawn = attack_near(as_int16(audio.mono()), audio.rate_hz, time_s)
    assert as_drawn == pytest.approx(attack_near(audio.mono(), audio.rate_hz, time_s), abs=5e-4)


def test_what_was_kept_of_listening_reads_as_what_was_heard() -> None:
    audio, _ = rendered(beat(ROCK), 112.0)
    heard = listen(audio)
    again = kept_again(to_keep(heard))
    for corrections in (Corrections(), Corrections(sensitivity=0.8), Corrections(added_s=(0.7,))):
        one, other = analyze_listened(heard, corrections), analyze_listened(again, corrections)
        assert other.onsets.time_s.tolist() == one.onsets.time_s.tolist()
        assert other.onsets.strength == pytest.approx(one.onsets.strength, rel=1e-4)
        assert (other.reading.tempo_bpm, other.reading.bars) == (one.reading.tempo_bpm, one.reading.bars)
        assert other.reading.score == pytest.approx(one.reading.score, abs=1e-6)


def test_a_place_beyond_the_end_or_in_silence_stays_where_it_is() -> None:
    silent = np.zeros(44_100, dtype=np.int16)
    assert attack_near(silent, 44_100, 0.5) == 0.5
    assert attack_near(silent, 44_100, 9.0) == 9.0


@pytest.mark.parametrize("seed", range(4))
def test_a_slow_six_eight_with_a_ragged_start_is_no_fast_three_four(seed: int) -> None:
    """Eighths at 135 a minute: kick on the first, snare on the fourth, the odd tom between the last two."""
    dice = np.random.default_rng(seed)
    low, middle, high = (0.8, 0.15, 0.05), (0.2, 0.5, 0.3), (0.03, 0.07, 0.9)
    eighth_s, hits = 60 / 135, []
    for bar in range(4):
        of_bar = [(0.0, 0.9, low), (3.0, 1.0, middle), (1.0, 0.2, high), (2.0, 0.2, high), (4.0, 0.25, high)]
        of_bar += [(5.0, 0.5, middle), (5.5, 0.5, middle)] if bar % 2 else [(5.0, 0.2, high)]
        hits += [(1.12 + (bar * 6 + at) * eighth_s, strength, bands) for at, strength, bands in of_bar]
    hits.sort()
    times_s = np.array([at for at, _, _ in hits]) + dice.normal(0, 0.004, len(hits))
    bands = np.array([bands for _, _, bands in hits])
    onsets = Onsets(times_s, np.array([strength for _, strength, _ in hits]), np.full(len(hits), 30.0), bands, 12.6)
    best = rank_readings(onsets)[0]
    assert (str(best.metre), best.bars) == ("6/8", 4)
    assert best.tempo_bpm == pytest.approx(67.5, rel=0.01)
    assert best.bar_one_s == pytest.approx(1.12, abs=0.03)
