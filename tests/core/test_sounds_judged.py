"""The synthesized kits measure as played drums do."""

from __future__ import annotations

import numpy as np
import pytest

from bench.sounds import centroid_hz, judged, struck, t60_s
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.tones import RATE_HZ


def test_every_figure_lies_where_played_drums_do() -> None:
    found = judged()
    wrong = [f"{name}: {words} {value:.2f}" for name, words, value, fine in found if not fine]
    assert len(found) > 85
    assert not wrong


def test_a_decay_is_measured_as_it_is() -> None:
    t = np.arange(2 * RATE_HZ) / RATE_HZ
    noise = np.random.default_rng(1).standard_normal(len(t))
    assert t60_s(noise * 10 ** (-3 * t / 0.5)) == pytest.approx(0.5, rel=0.05)


@pytest.mark.parametrize("kit", ["boathouse", "signal_box"])
@pytest.mark.parametrize("role", ["crash", "ride"])
def test_cymbals_darken_while_they_ring_and_end_without_a_tone(kit: str, role: str) -> None:
    x = struck(HOUSE_KITS[kit].voice(role), 110)
    places = [centroid_hz(x, begin, begin + 0.2) for begin in (0.05, 0.5, 1.0)]
    assert places[-1] < (places[0] if role == "crash" else 1.1 * places[0])
    end = x[-int(0.3 * RATE_HZ) :]
    power = np.abs(np.fft.rfft(end * np.hanning(len(end)))) ** 2
    assert power.max() < 0.5 * power.sum()  # no single tone is left
