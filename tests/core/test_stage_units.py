"""Units of a chain against answers that are known: curves, times, levels, and loops written out sample by sample."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.sound.loudness import hit_loudness_lufs
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.compressor import compressed, kept, reduction_db, static_reduction_db
from easy_pocket.core.stage.curves import BeatMap, duck_curve, gate_curve, step_times_s, sway_wave
from easy_pocket.core.stage.drive import driven, drum_noise
from easy_pocket.core.stage.echo import echoes
from easy_pocket.core.stage.filters import bell, cut, response_db, second_order_cut, shelf
from easy_pocket.core.stage.recursions import peak_follow
from easy_pocket.core.stage.rooms import impulse_response
from easy_pocket.core.stage.stage import Unit, default_room
from easy_pocket.core.stage.unit_fields import UNITS
from easy_pocket.core.stage.units import PROCESSES, Music, Strikes, curve_of, swayed_pan, tone_sections, widened

HZ = np.geomspace(20, 16_000, 200)
COMPRESSOR = {
    name: float(one.default) for name, one in UNITS["compressor"].fields.items() if not isinstance(one.default, str)
}


@pytest.mark.parametrize(("slope", "order"), [("6", 1), ("12", 2), ("18", 3), ("24", 4)])
@pytest.mark.parametrize("high", [True, False])
@given(hz=st.floats(30, 12_000))
@settings(max_examples=15)
def test_a_cut_is_a_butterworth_filter(slope: str, order: int, high: bool, hz: float) -> None:
    known = signal.butter(order, hz, "high" if high else "low", fs=RATE_HZ, output="sos")
    mine, theirs = response_db(cut(hz, int(slope), high=high), HZ), response_db(known, HZ)
    heard = theirs > -90
    assert np.abs(mine - theirs)[heard].max() < 0.1


@given(hz=st.floats(60, 10_000), gain_db=st.floats(-18, 18), quality=st.floats(0.4, 6))
def test_a_bell_lifts_its_middle_and_leaves_the_ends(hz: float, gain_db: float, quality: float) -> None:
    sections = bell(hz, gain_db, quality)
    assert response_db(sections, np.array([hz]))[0] == pytest.approx(gain_db, abs=0.01)
    assert abs(response_db(sections, np.array([1e-3]))[0]) < 0.01
    # Half of its gain (in dB) is reached where the analogue one has it, below the middle; warped like it.
    warped = np.tan(np.pi * hz / RATE_HZ)
    size = 10 ** (gain_db / 40)
    at = np.array([0.5, 0.8, 1.0]) * warped
    s = 1j * at / warped
    analogue = 20 * np.log10(np.abs((s * s + s * size / quality + 1) / (s * s + s / (size * quality) + 1)))
    assert response_db(sections, np.arctan(at) * RATE_HZ / np.pi) == pytest.approx(analogue, abs=0.02)


@given(hz=st.floats(100, 8_000), gain_db=st.floats(-18, 18), high=st.booleans())
def test_a_shelf_lifts_one_end_and_half_of_it_in_the_middle(hz: float, gain_db: float, high: bool) -> None:
    low, middle, top = response_db(shelf(hz, gain_db, high=high), np.array([0.01, hz, RATE_HZ / 2 - 0.01]))
    assert (low, top) == pytest.approx((0, gain_db) if high else (gain_db, 0), abs=0.01)
    assert middle == pytest.approx(gain_db / 2, abs=0.01)


def test_a_second_order_cut_is_three_db_down_at_its_corner() -> None:
    assert response_db(second_order_cut(900, 2**-0.5, high=False), np.array([900.0]))[0] == pytest.approx(
        -3.01, abs=0.01
    )


def test_tone_leaves_out_what_does_nothing() -> None:
    assert len(tone_sections(Unit("tone"))) == 0
    cuts = Unit("tone", settings={"low_cut_hz": 120.0, "low_cut_slope": "24", "bell_1_db": -3.0})
    assert len(tone_sections(cuts)) == 3


@given(values=st.lists(st.floats(0, 40), min_size=1, max_size=1400), keep=st.floats(0.5, 0.9999), whole=st.booleans())
@settings(max_examples=40)
def test_the_follower_is_the_loop_it_stands_for(values: list[float], keep: float, whole: bool) -> None:
    share = 1 - keep if whole else 0.0
    y, known = 0.0, []
    for x in values:
        y = max(x, keep * y + share * x)
        known.append(y)
    assert peak_follow(np.array(values), keep, share) == pytest.approx(np.array(known), rel=1e-9, abs=1e-12)


@given(level_db=st.floats(-60, 0), threshold_db=st.floats(-50, -5), ratio=st.floats(1, 20), knee_db=st.floats(0, 20))
def test_a_steady_level_is_taken_down_by_the_static_curve(
    level_db: float, threshold_db: float, ratio: float, knee_db: float
) -> None:
    steady = np.full((2, RATE_HZ // 5), 10 ** (level_db / 20))
    found = reduction_db(
        steady, {**COMPRESSOR, "threshold_db": threshold_db, "ratio": ratio, "knee_db": knee_db, "release_ms": 20}
    )
    known = static_reduction_db(np.array([level_db]), threshold_db, ratio, knee_db)[0]
    assert found[-1] == pytest.approx(known, abs=0.1)
    over = level_db - threshold_db
    if over > knee_db / 2:
        assert known == pytest.approx(over * (1 - 1 / ratio))
    if over < -knee_db / 2:
        assert known == 0


@pytest.mark.parametrize(("attack_ms", "release_ms"), [(2, 60), (10, 120), (30, 400)])
def test_attack_and_release_reach_63_percent_in_their_times(attack_ms: float, release_ms: float) -> None:
    loud = np.full((2, RATE_HZ), 1.0)
    chosen = {**COMPRESSOR, "threshold_db": -20.0, "ratio": 20.0, "knee_db": 0.0}
    rising = reduction_db(loud, {**chosen, "attack_ms": attack_ms, "release_ms": release_ms})
    reached = np.flatnonzero(rising >= (1 - np.exp(-1)) * rising[-1])[0] / RATE_HZ * 1000
    assert reached == pytest.approx(attack_ms, rel=0.05)
    falling = np.concatenate([loud, np.full((2, 2 * RATE_HZ), 1e-4)], axis=1)
    back = reduction_db(falling, {**chosen, "attack_ms": 0.1, "release_ms": release_ms})[RATE_HZ:]
    gone = np.flatnonzero(back <= np.exp(-1) * back[0])[0] / RATE_HZ * 1000
    assert gone == pytest.approx(release_ms, rel=0.05)


def test_mix_and_lift_and_a_side_that_is_silent() -> None:
    tone = 0.5 * np.sin(np.arange(8000) / 9)[None, :] * np.ones((2, 1))
    chosen = {**COMPRESSOR, "threshold_db": -40.0, "ratio": 8.0}
    assert compressed(tone, tone, {**chosen, "mix_percent": 0.0})[0] == pytest.approx(tone)
    by_nothing, taken = compressed(tone, np.zeros_like(tone), {**chosen, "makeup_db": 6.0})
    assert taken.max() == 0
    assert by_nothing == pytest.approx(tone * 10 ** (6 / 20))
    assert kept(10.0) ** (RATE_HZ / 100) == pytest.approx(np.exp(-1))


@pytest.mark.parametrize("character", ["round", "lean", "fold", "crush"])
@pytest.mark.parametrize("amount", [0.0, 30.0, 70.0])
def test_drive_is_as_loud_after_as_before_and_moves_no_hit(character: str, amount: float) -> None:
    noise = np.stack([drum_noise()] * 2)
    after = driven(noise, {"character": character, "amount_percent": amount})
    assert hit_loudness_lufs(after.T) == pytest.approx(hit_loudness_lufs(noise.T), abs=0.3)
    # Where a hit begins is where it began: half of its first rise within a tenth of a millisecond.
    hit = np.zeros((2, 4000))
    hit[:, 1000:1040] = 0.8
    bent = np.abs(driven(hit, {"character": character, "amount_percent": amount})[0])
    edge = np.flatnonzero(bent > 0.25 * bent.max())[0]
    assert abs(edge - 1000) <= 5


def test_round_drive_adds_odd_harmonics_and_lean_even_ones() -> None:
    time = np.arange(RATE_HZ) / RATE_HZ
    tone = 0.4 * np.sin(2 * np.pi * 500 * time)[None, :] * np.ones((2, 1))

    def level(character: str, hz: int) -> float:
        after = driven(tone, {"character": character, "amount_percent": 40.0})[0]
        return float(20 * np.log10(np.abs(np.fft.rfft(after * np.hanning(RATE_HZ)))[hz] + 1e-9))

    assert level("round", 1500) - level("round", 500) > -30
    assert level("round", 1000) - level("round", 500) < -80
    assert level("lean", 1000) - level("lean", 500) > -40
    # Oversampled: nothing folds back of a high tone.
    high = 0.4 * np.sin(2 * np.pi * 9000 * time)[None, :] * np.ones((2, 1))
    spectrum = np.abs(
        np.fft.rfft(driven(high, {"character": "round", "amount_percent": 60.0})[0] * np.hanning(RATE_HZ))
    )
    assert 20 * np.log10(spectrum[RATE_HZ - 27_000] / spectrum[9000]) < -40


BEATS = BeatMap.steady(0.5, 4.0)
DUCK = {name: one.default for name, one in UNITS["duck"].fields.items()}


@given(st.lists(st.floats(0, 3.99), max_size=8), st.floats(-30, -1), st.floats(0, 20))
def test_a_duck_is_at_its_depth_when_the_hit_comes_and_never_deeper(
    times: list[float], depth: float, ahead: float
) -> None:
    chosen = {**DUCK, "depth_db": depth, "ahead_ms": ahead, "attack_ms": max(ahead, 0.5)}
    curve = duck_curve(np.array(times), np.full(len(times), 100.0), chosen, 4.0, loops=True)
    assert curve.times_s[0] == 0
    assert curve.times_s[-1] == 4.0
    assert (np.diff(curve.times_s) > 0).all()
    assert curve.values.min() >= 10 ** (depth / 20) - 1e-9
    assert curve.values.max() <= 1 + 1e-12
    for time in times:
        at = (time + 0.002 + max(chosen["attack_ms"] - ahead, 0) / 1000) % 4.0
        assert np.interp(at, curve.times_s, curve.values) == pytest.approx(10 ** (depth / 20), rel=0.02)


def test_a_duck_goes_round_in_a_loop_and_softer_hits_duck_less() -> None:
    chosen = {**DUCK, "depth_db": -12.0, "release_ms": 200.0}
    late = duck_curve(np.array([3.95]), np.array([127.0]), chosen, 4.0, loops=True)
    assert late.values[0] < 0.6
    once = duck_curve(np.array([3.95]), np.array([127.0]), chosen, 4.0, loops=False)
    assert once.values[0] == 1
    soft = duck_curve(np.array([1.0]), np.array([63.5]), {**chosen, "velocity_percent": 100.0}, 4.0, loops=True)
    assert 20 * np.log10(soft.values.min()) == pytest.approx(-6, abs=0.01)


def test_a_gate_opens_and_closes_by_its_steps_and_follows_the_tempo() -> None:
    chosen = {**{k: v.default for k, v in UNITS["gate"].fields.items()}, "steps": "10", "step_beats": 1.0}
    chosen = {**chosen, "attack_ms": 1.0, "release_ms": 1.0, "closed_db": -60.0}
    slower = BeatMap(np.array([0.0, 4, 8]), np.array([0.0, 2.0, 6.0]))  # the second half at half the tempo
    curve = gate_curve(chosen, slower)
    seen = [round(20 * np.log10(float(np.interp(at, curve.times_s, curve.values)))) for at in (0.2, 0.7, 2.5, 3.5, 5.5)]
    assert seen == [0, -60, 0, -60, -60]


@pytest.mark.parametrize("shape", ["sine", "triangle", "saw", "square"])
@given(every=st.floats(0.5, 16), phase=st.floats(0, 100))
def test_a_sway_goes_from_side_to_side_and_never_jumps(shape: str, every: float, phase: float) -> None:
    curve = sway_wave({"shape": shape, "every_beats": every, "phase_percent": phase}, BEATS)
    assert np.abs(curve.values).max() <= 1 + 1e-9
    wave = curve.at(4 * RATE_HZ)
    assert np.abs(np.diff(wave)).max() < 0.05
    if every <= 4:
        assert wave.max() == pytest.approx(1, abs=0.03)
        assert wave.min() == pytest.approx(-1, abs=0.03)


def test_pan_keeps_power_and_width_keeps_the_middle() -> None:
    rng = np.random.default_rng(5)
    sides = rng.standard_normal((2, 20_000))
    assert swayed_pan(sides, np.zeros(20_000)) == pytest.approx(sides)
    right = swayed_pan(sides, np.ones(20_000))
    assert np.abs(right[0]).max() < 1e-9
    assert right[1] == pytest.approx(sides.sum(axis=0))
    assert widened(sides, 0)[0] == pytest.approx(sides.mean(axis=0))
    assert widened(sides, 180).sum(axis=0) == pytest.approx(sides.sum(axis=0))


def test_the_echo_falls_on_the_beat_also_after_a_change_of_tempo() -> None:
    click = np.zeros((2, 6 * RATE_HZ))
    burst = np.hanning(400) * np.sin(2 * np.pi * 1000 * np.arange(400) / RATE_HZ)
    click[:, :400] = click[:, 4 * RATE_HZ : 4 * RATE_HZ + 400] = burst
    music = Music(BeatMap(np.array([0.0, 4, 8]), np.array([0.0, 4.0, 6.0])), loops=False)
    chosen = {"low_cut_hz": 20.0, "high_cut_hz": 20_000.0, "feedback_percent": 50.0, "sides_percent": 0.0}
    back = echoes(click, chosen, music.echo_delays(1.0))
    comes = [at / 2 for at in range(12) if np.abs(back[0, at * RATE_HZ // 2 : at * RATE_HZ // 2 + 400]).max() > 0.1]
    assert comes == [1.0, 2.0, 3.0, 4.5, 5.0, 5.5]
    first, second = (np.abs(back[0, at * RATE_HZ : at * RATE_HZ + 400]).max() for at in (1, 2))
    assert second / first == pytest.approx(0.5, abs=0.02)
    sides = echoes(click, {**chosen, "sides_percent": 100.0}, [(0, RATE_HZ)])
    loud = np.abs(sides).reshape(2, 6, RATE_HZ).max(axis=2)
    assert (loud[0] > loud[1]).tolist()[1:4] == [True, False, True]


@pytest.mark.parametrize("size", ["booth", "room", "hall"])
@pytest.mark.parametrize("length_s", [0.3, 0.9, 2.5])
def test_a_room_is_as_long_as_it_says(size: str, length_s: float) -> None:
    response = impulse_response({**default_room("short"), "length_s": length_s, "size": size, "low_cut_hz": 20.0})
    middle = signal.sosfilt(signal.butter(2, (500, 1400), "band", fs=RATE_HZ, output="sos"), response, axis=1)
    for channel in middle:
        left = np.cumsum(channel[::-1] ** 2)[::-1]
        fall_db = 10 * np.log10(left / left[0] + 1e-20)
        start, end = np.flatnonzero(fall_db < -5)[0], np.flatnonzero(fall_db < -35)[0]
        assert (end - start) / RATE_HZ * 2 == pytest.approx(length_s, rel=0.1)
    assert abs(np.corrcoef(response)[0, 1]) < 0.5


def test_rooms_are_equally_loud_and_the_same_every_time() -> None:
    noise = np.stack([drum_noise()] * 2)
    loud = [
        hit_loudness_lufs(
            signal.oaconvolve(noise, impulse_response({**default_room("short"), "length_s": s, "size": z}), axes=1).T
        )
        for s, z in ((0.3, "booth"), (1.0, "room"), (3.0, "hall"))
    ]
    assert max(loud) - min(loud) < 4
    room = default_room("long")
    assert (impulse_response(room) == impulse_response({**room, "level_db": 3.0})).all()
    assert impulse_response({**room, "pre_delay_ms": 50.0})[:, : int(0.049 * RATE_HZ)].max() == 0


@pytest.mark.parametrize("kind", list(UNITS))
def test_every_unit_takes_silence_and_the_ends_of_its_ranges(kind: str) -> None:
    strikes = Strikes(("part:1:kick",), np.array([0]), np.array([0.5]), np.array([100.0]))
    music = Music(BeatMap.steady(0.5, 1.0), strikes)
    noise = np.random.default_rng(2).uniform(-1, 1, (2, RATE_HZ))
    for end in ("low", "high"):
        values = {
            name: getattr(one, end) for name, one in UNITS[kind].fields.items() if not isinstance(one.default, str)
        }
        unit = Unit(kind, settings=values)
        for line in (np.zeros((2, RATE_HZ)), noise):
            after = PROCESSES[kind](line, unit, music, line)
            assert after.shape == line.shape
            assert np.isfinite(after).all()
            assert np.abs(after).max() < 1e3


def test_a_duck_by_a_silent_line_steps_back_on_its_steps() -> None:
    beats = BeatMap.steady(0.5, 4.0)
    unit = Unit("duck", settings={"by": "", "steps": "1000", "step_beats": 0.5, "depth_db": -12.0})
    curve = curve_of(unit, Music(beats))
    assert curve is not None
    at = np.interp(np.arange(0, 4.0, 0.25) + 0.005, curve.times_s, 20 * np.log10(curve.values))
    assert np.allclose(at[::4], -12.0, atol=0.01)
    assert (at[2::4] > -0.1).all()
    assert step_times_s({"steps": "", "step_beats": 0.5}, beats).size == 0
    # Through a change of tempo the steps stay on their beats.
    moved = BeatMap(np.array([0.0, 4.0, 8.0]), np.array([0.0, 2.0, 3.0]))
    assert step_times_s({"steps": "01", "step_beats": 1.0}, moved).tolist() == [0.5, 1.5, 2.25, 2.75]
    with pytest.raises(BadValueError, match="Steps of a duck"):
        Unit("duck", settings={"steps": "12"})
