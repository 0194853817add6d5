"""Crowding: who hides whom, known from sounds that are made so."""

from __future__ import annotations

import numpy as np
import pytest

from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.crowding import BANDS_HZ, MOST_CHANGE_DB, SILENT_DB, apart_db, crowding, levels_of, spread

LENGTH = 2 * RATE_HZ


def burst(hz: float, at_s: float, level: float = 0.3, length_s: float = 0.2) -> np.ndarray:
    line = np.zeros((2, LENGTH))
    time = np.arange(int(length_s * RATE_HZ)) / RATE_HZ
    start = int(at_s * RATE_HZ)
    line[:, start : start + len(time)] += level * np.sin(2 * np.pi * hz * time) * np.exp(-time / 0.08)
    return line


@pytest.mark.parametrize("hz", [80.0, 440.0, 3000.0])
def test_a_tone_lies_in_its_band_at_its_level(hz: float) -> None:
    tone = 0.5 * np.sin(2 * np.pi * hz * np.arange(LENGTH) / RATE_HZ) * np.ones((2, 1))
    levels = levels_of(tone)[10]
    assert abs(np.log2(BANDS_HZ[int(np.argmax(levels))] / hz)) < 0.2
    assert 10 * np.log10((10 ** (levels / 10)).sum()) == pytest.approx(20 * np.log10(0.5) - 3.0, abs=1.5)


def test_excitation_falls_by_10_db_a_band_upwards_and_25_downwards() -> None:
    levels = np.full((1, len(BANDS_HZ)), SILENT_DB)
    levels[0, 12] = 0
    excited = spread(levels)[0]
    assert excited[13:16].tolist() == [-10, -20, -30]
    assert excited[9:12].tolist() == [-75, -50, -25]


def test_a_soft_tone_beside_a_loud_one_is_hidden_and_a_far_one_is_not() -> None:
    lines = {"kick": burst(70, 0.5, 0.8), "tom": burst(80, 0.5, 0.1), "hat": burst(8000, 0.5, 0.1)}
    found = crowding(lines)
    assert [(pair.hidden, pair.by) for pair in found.pairs] == [("tom", "kick")]
    pair = found.pairs[0]
    assert pair.low_hz < 90 < 2 * pair.high_hz
    assert pair.moments == 1
    assert pair.over_db > 6
    assert pair.lost > 0.4


def test_what_does_not_sound_together_is_not_in_the_way() -> None:
    assert crowding({"kick": burst(70, 0.2, 0.8), "tom": burst(80, 1.2, 0.1)}).pairs == ()
    assert crowding({"kick": burst(70, 0.2, 0.8), "silence": np.zeros((2, LENGTH))}).pairs == ()
    assert crowding({}).pairs == ()


def test_a_proposal_helps_and_changes_little() -> None:
    rich = burst(70, 0.5, 0.8) + burst(900, 0.5, 0.10) + burst(2500, 0.5, 0.1)
    found = crowding({"loop": rich, "rim": burst(900, 0.5, 0.03)})
    (pair,) = found.pairs
    assert (pair.hidden, pair.by) == ("rim", "loop")
    assert pair.proposal is not None
    assert pair.proposal.where == "loop"
    assert pair.proposal.unit.kind == "tone"
    assert 600 < pair.proposal.unit.number("bell_1_hz") < 1400
    gain = pair.proposal.unit.number("bell_1_db")
    changed = burst(70, 0.5, 0.8) + burst(900, 0.5, 0.10 * 10 ** (gain / 20)) + burst(2500, 0.5, 0.1)
    after = [one.lost for one in crowding({"loop": changed, "rim": burst(900, 0.5, 0.03)}).pairs if one.hidden == "rim"]
    assert not after or after[0] < 0.75 * pair.lost
    assert abs(10 * np.log10((changed**2).sum() / (rich**2).sum())) < MOST_CHANGE_DB


def test_at_one_ear_a_sound_that_stands_aside_has_the_better_of_another() -> None:
    assert apart_db(0.0, 0.0) == pytest.approx(0.0)
    assert apart_db(0.5, 0.5) == pytest.approx(0.0)
    assert apart_db(1.0, 0.0) == pytest.approx(3.0, abs=0.02)
    assert apart_db(0.0, 1.0) == pytest.approx(20.99, abs=0.02)  # the ear the other is turned from
    assert apart_db(-0.4, 0.4) == pytest.approx(apart_db(0.4, -0.4))


def test_what_cannot_be_cut_or_ducked_is_moved_aside_and_then_less_is_hidden() -> None:
    # The same tone, so that a cut or a duck that helps would change the other one too much.
    lines = {"one": burst(900, 0.5, 0.09), "other": burst(900, 0.5, 0.2)}
    pans = {"one": 0.0, "other": 0.0}
    (pair,) = crowding(lines, pans=pans).pairs
    assert pair.proposal is not None
    assert pair.proposal.unit is None
    assert pair.proposal.where == "other"  # turned from one ear it leaves that to what it hid
    assert pair.proposal.pan in (0.35, 0.6)
    after = crowding(lines, pans={**pans, "other": pair.proposal.pan}).pairs
    assert not after or after[0].lost <= 2 / 3 * pair.lost
    # What is to stay in the middle is not moved.
    (kept,) = crowding(lines, pans=pans, fixed=["other"]).pairs
    assert kept.proposal is None or kept.proposal.where == "one"


def test_a_short_sound_that_cannot_go_aside_is_laid_back() -> None:
    lines = {"one": burst(900, 0.52, 0.06, length_s=0.03), "other": burst(900, 0.5, 0.2, length_s=0.012)}
    pans = {"one": 1.0, "other": 1.0}
    found = crowding(lines, pans=pans, fixed=["other"]).pairs
    laid = [pair for pair in found if pair.proposal and pair.proposal.later_ms]
    for pair in laid:
        moved = np.roll(lines[pair.hidden], round(pair.proposal.later_ms / 1000 * RATE_HZ), axis=1)
        after = crowding({**lines, pair.hidden: moved}, pans=pans).pairs
        assert not after or after[0].lost <= 2 / 3 * pair.lost + 1e-9
    assert laid, [pair.proposal for pair in found]
