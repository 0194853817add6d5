"""What is compiled finds the same as the plain way."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import numpy.typing as npt
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage, signal

from easy_pocket.core import compiled as compiling
from easy_pocket.core.audio import Audio
from easy_pocket.core.listen import attacks, candidates, flux, tempo
from easy_pocket.core.listen.attacks import UPPER_HZ, refine
from easy_pocket.core.listen.beat_tracking import HOP_S, TIGHTNESS, _best_chains
from easy_pocket.core.listen.block_energy import loud_energy, mean_between
from easy_pocket.core.listen.candidates import RISE_HOP, rises
from easy_pocket.core.listen.grid_fit import GRIDS, LOOSENESS_S, SHORTEST_SLOT_S, SWINGS, _best_grids, grid_fit
from easy_pocket.core.listen.lanes import filtered, measure_bands
from easy_pocket.core.listen.preparation import BANDS_HZ, BLOCK, WARM_UP, filter_of, prepare
from easy_pocket.core.listen.signals import RATE_HZ

seeds = st.integers(0, 1 << 30)


def noise(count: int, seed: int) -> npt.NDArray[np.float32]:
    """With a swell, so that a stretch mistaken for another shows."""
    dice = np.random.default_rng(seed)
    return (dice.normal(0, 0.1, count) * (1 + np.sin(np.arange(count) / 700))).astype(np.float32)


@settings(max_examples=25, deadline=None)
@given(count=st.integers(BLOCK, 40_000), seed=seeds)
def test_energy_of_bands_is_that_of_a_filter_run_from_end_to_end(count: int, seed: int) -> None:
    samples = noise(count, seed)
    filters = np.stack([filter_of("band", band_hz) for band_hz in BANDS_HZ[2:]])
    found = np.full((3, count // BLOCK), np.nan, dtype=np.float32)
    measure_bands(samples, filters, WARM_UP, BLOCK, found)
    for sections, energy in zip(filters, found, strict=True):
        band = signal.sosfilt(sections.astype(np.float64), samples)[: count // BLOCK * BLOCK]
        wanted = (band.reshape(-1, BLOCK) ** 2).sum(axis=1)
        np.testing.assert_allclose(energy, wanted, rtol=1e-3, atol=1e-5 * wanted.max())


@settings(max_examples=25, deadline=None)
@given(count=st.integers(1, 20_000), seed=seeds)
def test_a_signal_filtered_in_stretches_is_that_filtered_from_end_to_end(count: int, seed: int) -> None:
    samples, sections = noise(count, seed), filter_of("high", UPPER_HZ)
    wanted = signal.sosfilt(sections.astype(np.float64), samples)
    np.testing.assert_allclose(filtered(samples, sections[0], 512), wanted, atol=1e-6)


@settings(max_examples=25, deadline=None)
@given(count=st.integers(1, 9000), seed=seeds)
def test_flux_is_the_mean_rise_over_the_bands(count: int, seed: int) -> None:
    samples = noise(count, seed)
    half, frames = flux.FLUX_WINDOW // 2, (flux.FLUX_WINDOW // 2 + count) // flux.FLUX_HOP + 1
    padded = np.concatenate([np.zeros(half), samples, np.zeros(flux.FLUX_WINDOW)])
    cut = np.stack([padded[at * flux.FLUX_HOP :][: flux.FLUX_WINDOW] for at in range(frames)])
    power = np.abs(np.fft.rfft(cut * np.hanning(flux.FLUX_WINDOW), axis=1)) ** 2
    level = np.stack([power[:, first:last].mean(axis=1) for first, last in flux._bands()[0].tolist()], axis=1)
    level_db = 10 * np.log10(level + level.max() * 10 ** (flux.FLUX_FLOOR_DB / 10))
    before = ndimage.maximum_filter1d(level_db, 3, axis=1)
    wanted = np.zeros(frames)
    lag = flux.FLUX_LAG
    wanted[lag:] = np.maximum(level_db[lag:] - before[:-lag], 0).mean(axis=1)
    np.testing.assert_allclose(flux.flux_db(samples), wanted, atol=2e-3)


@settings(max_examples=50, deadline=None)
@given(seed=seeds, stretches=st.lists(st.tuples(st.integers(0, 60), st.integers(0, 60)), min_size=1, max_size=20))
def test_mean_energy_between_two_blocks(seed: int, stretches: list[tuple[int, int]]) -> None:
    blocks = np.random.default_rng(seed).random((5, 60)).astype(np.float32)
    begin, end = np.array([min(one) for one in stretches]), np.array([max(one) for one in stretches])
    wanted = [[band[b:e].mean() if e > b else 0.0 for b, e in zip(begin, end, strict=True)] for band in blocks]
    np.testing.assert_allclose(mean_between(blocks, begin, end), wanted, rtol=1e-5)


def test_loud_is_what_a_hundredth_of_the_stretches_exceed() -> None:
    blocks = np.ones((2, 1400), dtype=np.float32)
    blocks[0, :14] = 5.0  # one of a hundred stretches
    blocks[1, :70] = 3.0  # five of them
    np.testing.assert_allclose(loud_energy(blocks, 14), [1.04, 3.0])  # the first lies between two of them
    assert loud_energy(blocks[:, :13], 14).tolist() == [0.0, 0.0]


@settings(max_examples=25, deadline=None)
@given(seed=seeds, period=st.integers(5, 40))
def test_the_best_chain_of_beats_is_that_of_trying_all_before(seed: int, period: int) -> None:
    frames = np.random.default_rng(seed).random(300) ** 4
    back = np.arange(-2 * period, -round(period / 2) + 1)
    cost = -TIGHTNESS * np.log(-back / period) ** 2
    score, came_from = _best_chains(frames, cost, 2 * period)
    for frame in range(300):
        before = frame + back
        gains = np.where(before >= 0, score[np.maximum(before, 0)], 0.0) + cost
        at = int(gains.argmax())
        follows = gains[at] > 0 and before[at] >= 0
        assert came_from[frame] == (before[at] if follows else -1)
        assert score[frame] == pytest.approx(frames[frame] + (gains[at] if follows else 0.0))


def test_clicks_that_speed_up_are_followed_click_by_click() -> None:
    clicks = np.cumsum(np.linspace(52, 44, 20)).round().astype(int)
    frames = np.zeros(clicks[-1] + 1)
    frames[clicks] = 10.0
    back = np.arange(-96, -23)
    _, came_from = _best_chains(frames, -TIGHTNESS * np.log(-back / 48) ** 2, 96)
    assert [int(came_from[click]) for click in clicks[1:]] == clicks[:-1].tolist()
    assert HOP_S * np.diff(clicks).mean() == pytest.approx(0.48, abs=0.01)


@settings(max_examples=40, deadline=None)
@given(seed=seeds, beat_s=st.floats(0.3, 1.0), phase_s=st.floats(-0.2, 0.2))
def test_the_best_grid_is_the_best_of_all_tried_one_by_one(seed: int, beat_s: float, phase_s: float) -> None:
    dice = np.random.default_rng(seed)
    times_s = np.sort(np.rint(dice.random(12) * 16) * beat_s / 4 + phase_s + dice.normal(0, 0.004, 12))
    weights = 0.1 + dice.random(12)
    best = -1.0
    for per_beat, cost, swings in GRIDS:
        slot_s = beat_s / per_beat
        for percent in SWINGS if swings else SWINGS[:1]:
            if slot_s < SHORTEST_SLOT_S or (per_beat == 2 and percent > 60):
                continue
            places = np.arange(-8, 60)[:, None] * 2 * slot_s + np.array([0.0, percent / 50 * slot_s])
            off_s = np.abs(times_s[:, None] - phase_s - places.ravel()).min(axis=1)
            close = weights @ np.exp(-0.5 * (off_s / LOOSENESS_S) ** 2) / weights.sum()
            chance = min(LOOSENESS_S * np.sqrt(2 * np.pi) / slot_s, 0.9)
            best = max(best, (close - chance) / (1 - chance) - cost - 0.02 * (percent > 52))
    fit, grid = grid_fit(times_s, weights, beat_s, phase_s)
    assert fit == pytest.approx(best, abs=1e-5)
    assert grid.per_beat in {one[0] for one in GRIDS}


@pytest.mark.parametrize("shift", [0, 7, 511, 4000])
def test_an_attack_is_found_at_its_first_loud_sample_wherever_it_lies(shift: int) -> None:
    samples = np.zeros((3 * RATE_HZ, 1), dtype=np.float32)
    struck = np.array([100, 30_000, 70_000, 100_000]) + shift
    for at in struck:
        samples[at : at + 1500, 0] = noise(1500, 3) + 0.5 * (-1.0) ** np.arange(1500)
    prepared = prepare(Audio(samples, RATE_HZ, "clicks"))
    starts, over_db = refine(prepared, struck + prepared.context + 300)
    np.testing.assert_allclose(starts - prepared.context, struck, atol=3)
    assert (over_db > 40).all()


def test_a_rise_stands_where_something_begins() -> None:
    samples = noise(RATE_HZ, 5)[:, None] * np.float32(1e-3)
    samples[20_000:] *= 100
    prepared = prepare(Audio(samples, RATE_HZ, "step"))
    found = rises(prepared)
    step = (prepared.context + 20_000) // RISE_HOP
    assert 20 < found[step - 2 : step + 3].max() < 41
    assert abs(100 + int(found[100:].argmax()) - step) <= 2
    assert np.abs(found[step - 100 : step - 20]).max() < 6


PIECE = noise(200, 4)
FILTERS = np.stack([filter_of("band", band_hz) for band_hz in BANDS_HZ[2:]])
AT = np.array([3, 150])
KERNELS = [
    (measure_bands, (PIECE, FILTERS, 64, BLOCK, np.zeros((3, 12), dtype=np.float32))),
    (filtered, (PIECE, filter_of("high", UPPER_HZ)[0], 64)),
    (flux._cut_frames, (PIECE, -30, np.ones(64, dtype=np.float32), np.zeros((2, 64), dtype=np.float32))),
    (
        flux._add_up_bands,
        (PIECE.reshape(2, 100), np.array([[0, 9], [9, 40]]), np.ones(2, np.float32), np.zeros((2, 2), np.float32)),
    ),
    (flux._rises, (PIECE.reshape(20, 10), 2)),
    (mean_between, (np.abs(PIECE.reshape(5, 40)), np.array([-4, 7, 30]), np.array([5, 7, 99]))),
    (_best_chains, (np.abs(PIECE.astype(float)), -np.arange(9.0), 12)),
    (attacks._starts, (PIECE, PIECE, AT, np.array([-40, -20, -20, 30]))),
    (candidates._mean_rises, (np.abs(PIECE.reshape(2, 100)), 25, 4, 22, 2, 14)),
    (candidates._highest, (PIECE.astype(float), AT, -2, 3)),
    (_best_grids, (np.arange(8) * 0.25, np.full(8, 0.125), np.array([0.5, 0.7]), np.zeros(2))),
    (
        tempo._evidence,
        (np.abs(PIECE[:8]).astype(float), np.abs(PIECE[8:16]).astype(float), 0.5, 2, 4, tempo._backbeats(4)),
    ),
]


@pytest.mark.parametrize(("kernel", "arguments"), KERNELS, ids=[kernel.__name__ for kernel, _ in KERNELS])
def test_compiled_it_finds_what_the_same_lines_find_uncompiled(kernel: Any, arguments: tuple[Any, ...]) -> None:
    plain, fast = copy.deepcopy(arguments), copy.deepcopy(arguments)
    wanted, found = kernel.__wrapped__(*plain), kernel(*fast)
    for one, other in zip((*plain, wanted), (*fast, found), strict=True):  # what it was given may be written into
        if one is not None:
            for a, b in zip(
                one if isinstance(one, tuple) else (one,), other if isinstance(other, tuple) else (other,), strict=True
            ):
                np.testing.assert_allclose(b, a, rtol=1e-4, atol=1e-6)


def test_where_no_folder_can_be_written_it_is_compiled_all_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    import numba

    asked = []

    def njit(**options: object) -> object:
        asked.append(options.get("cache", False))
        if options.get("cache"):
            raise RuntimeError("cannot cache function: no locator available")
        return lambda function: function

    monkeypatch.setattr(numba, "njit", njit)
    assert compiling.compiled(lambda x: x + 1)(3) == 4
    assert asked == [True, False]
