"""Crowding: who hides whom, known from sounds that are made so."""

from __future__ import annotations

import numpy as np
import pytest

from easy_pocket.core.sound.models import RATE_HZ
from easy_pocket.core.stage.crowding import BANDS_HZ, MOST_CHANGE_DB, SILENT_DB, crowding, levels_of, spread

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
