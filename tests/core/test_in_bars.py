"""Faint hits are believed where the bars speak for them, and nowhere else."""

import numpy as np
import pytest

from easy_pocket.core.audio import Audio
from easy_pocket.core.listen.bar_context import select_with_bars
from easy_pocket.core.listen.candidates import detect_candidates
from easy_pocket.core.listen.loop_analysis import Corrections, analyze_loop
from easy_pocket.core.listen.onsets import chosen, detect_prepared_onsets, sound_log_odds
from easy_pocket.core.listen.preparation import prepare
from easy_pocket.core.listen.ranked_readings import rank_readings
from tests.drums import beat, rendered

TEMPO = 96.0
GHOSTS = {
    "kick": "X......x..X.....|X......x..X.....",
    "snare": "....X.......X...|....X.......X...",
    "hat_closed": "x.x.x.x.x.x.x.x.|x.x.x.x.x.x.x.x.",
}
SLOTS = (9, 15, 25, 31)  # the ghosts: the same places of both bars


def with_ghosts(level_db, slots=SLOTS, late_ms=0.0):
    """A beat under some hiss, with short soft brushes of the snare on slots of their own."""
    audio, _ = rendered(beat(GHOSTS), TEMPO)
    x = audio.samples.mean(axis=1).astype(np.float64)
    dice = np.random.default_rng(7)
    x += 10 ** (-52 / 20) * dice.standard_normal(len(x))
    loudest = np.abs(x).max()
    for slot in slots:
        at = round((slot * 60 / TEMPO / 4 + late_ms / 1000) * 44_100)
        brush = dice.standard_normal(3_000) * np.exp(-np.arange(3_000) / 500)
        x[at : at + 3_000] += loudest * 10 ** (level_db / 20) * brush / np.abs(brush).max()
    return Audio((x / np.abs(x).max() * 0.9).astype(np.float32), 44_100, "ghosts")


def found_at(audio, slots, late_ms=0.0, corrections=None):
    times = analyze_loop(audio, corrections).onsets.time_s
    return [
        slot for slot in slots if np.abs(times - slot * 60 / TEMPO / 4 - late_ms / 1000).min() < 0.012
    ]  # fmt: skip


@pytest.mark.parametrize("level_db", [-25, -28])
def test_ghosts_far_under_the_backbeat_are_heard_where_both_bars_have_them(level_db):
    audio = with_ghosts(level_db)
    assert found_at(audio, SLOTS) == list(SLOTS)


def only_in_bars(audio):
    """Times of hits that are heard because the bars speak for them, and of those heard alone."""
    alone_s = detect_prepared_onsets(prepare(audio)).time_s
    heard_s = analyze_loop(audio).onsets.time_s
    return heard_s[np.abs(heard_s[:, None] - alone_s).min(axis=1) > 0.002], alone_s


def test_the_bars_add_only_what_was_played():
    added = 0
    for level_db in (-29, -31, -33, -36):
        new, _ = only_in_bars(with_ghosts(level_db))
        struck = np.array(SLOTS) * 60 / TEMPO / 4
        assert all(np.abs(struck - time).min() < 0.012 for time in new)
        added += len(new)
    assert added > 0


def test_what_no_other_bar_has_or_lies_off_its_place_is_not_believed():
    one, _ = only_in_bars(with_ghosts(-33, slots=(9,)))
    assert not len(one)
    astray, _ = only_in_bars(with_ghosts(-31, slots=(9, 25), late_ms=45.0))
    assert not len(astray)


def test_a_faint_hit_is_doubtful_and_its_removal_stays():
    audio = with_ghosts(-31)
    heard = analyze_loop(audio)
    first = detect_prepared_onsets(prepare(audio))
    new = [time for time in heard.onsets.time_s if np.abs(first.time_s - time).min() > 0.002]
    assert new
    certainty = heard.onsets.certainty[np.isin(heard.onsets.time_s, new)]
    assert certainty.max() < 0.7
    again = analyze_loop(audio, Corrections(removed_s=(new[0],)))
    assert np.abs(again.onsets.time_s - new[0]).min() > 0.002
    assert len(again.onsets) == len(heard.onsets) - 1


def test_less_sensitivity_hears_less():
    audio = with_ghosts(-31)
    counts = [len(analyze_loop(audio, Corrections(sensitivity=value)).onsets) for value in (0.0, 0.25, 0.5)]
    assert counts == sorted(counts)
    assert counts[0] < counts[2]


def test_bars_that_would_leave_nothing_are_not_listened_to():
    prepared = prepare(with_ghosts(-25))
    found = detect_candidates(prepared)
    alone = chosen(prepared, found, sound_log_odds(found), 0.5)
    unlikely = np.full(len(found), -8.0)
    assert select_with_bars(prepared, found, unlikely, alone, rank_readings(alone)[0], 0.0) is alone
