"""Drum sounds computed from a few settings: `model(settings, strength, noise) -> mono float64` at 44.1 kHz.

strength is 0-1, how hard the sound is struck: harder is brighter and longer as well as louder (level itself is set
by the kit). noise is a seeded generator, so a sound is the same on every machine.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from scipy import signal

RATE_HZ = 44_100
Floats = npt.NDArray[np.float64]
Settings = Mapping[str, float]
Model = Callable[[Settings, float, np.random.Generator], Floats]


def _time(length_s: float) -> Floats:
    return np.arange(int(length_s * RATE_HZ)) / RATE_HZ


BLOCK = 512


def _decay(t: Floats, tau_s: float) -> Floats:
    """T as `_time` makes it, here and in `_tones`.

    A short run times one value for each block is many times faster than one exponential after another, and the same to
    1e-12.
    """
    rate = -1 / (tau_s * RATE_HZ)
    blocks = np.exp(rate * BLOCK * np.arange(-(-len(t) // BLOCK)))
    return np.asarray(np.outer(blocks, np.exp(rate * np.arange(BLOCK))).ravel()[: len(t)])


def _tones(t: Floats, hz: Floats, tau_s: Floats, phase: Floats, level: Floats) -> Floats:
    """Sines that die away, summed: one matrix product of the turns at each block with those within a block."""
    rate = -1 / (tau_s * RATE_HZ) + 2j * np.pi * hz / RATE_HZ
    starts = np.exp(np.outer(BLOCK * np.arange(-(-len(t) // BLOCK)), rate) + 1j * phase) * level
    within = np.exp(np.outer(rate, np.arange(BLOCK)))
    turned = np.hstack((starts.imag, starts.real)) @ np.vstack((within.real, within.imag))
    return np.asarray(turned.ravel()[: len(t)])


def _tone(t: Floats, hz: float, tau_s: float = np.inf, phase: float = 0.0) -> Floats:
    return _tones(t, *(np.array([value]) for value in (hz, tau_s, phase, 1.0)))


@lru_cache(maxsize=256)
def _sos(kind: str, low_hz: float, high_hz: float, order: int) -> Floats:
    corner = (low_hz, high_hz) if kind == "band" else (low_hz or high_hz)
    return np.asarray(signal.butter(order, corner, kind, fs=RATE_HZ, output="sos"))


def _high(x: Floats, hz: float, order: int = 2) -> Floats:
    return np.asarray(signal.sosfilt(_sos("high", round(hz), 0, order), x))


def _low(x: Floats, hz: float, order: int = 1) -> Floats:
    return np.asarray(signal.sosfilt(_sos("low", 0, round(min(hz, 20_000)), order), x))


def _band(x: Floats, low_hz: float, high_hz: float, order: int = 1) -> Floats:
    return np.asarray(signal.sosfilt(_sos("band", round(low_hz), round(high_hz), order), x))


def _swept_sine(t: Floats, start_hz: float, end_hz: float, sweep_s: float) -> Floats:
    """A sine falling from start to end, the fall dying away with sweep_s."""
    phase = end_hz * t + (start_hz - end_hz) * sweep_s * (1 - np.exp(-t / sweep_s))
    return np.asarray(np.sin(2 * np.pi * phase))


def _drive(x: Floats, amount: float) -> Floats:
    return np.asarray(np.tanh(x * (1 + 3 * amount)) / np.tanh(1 + 3 * amount))


def kick(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """tune_hz, sweep_hz, sweep_s, length_s (time constant), click 0-1, drive 0-1, skin 0-1 (noise of the head)."""
    t = _time(settings["length_s"] * 5)
    body = _swept_sine(
        t, settings["tune_hz"] + settings["sweep_hz"] * (0.6 + 0.4 * strength), settings["tune_hz"], settings["sweep_s"]
    )
    body *= _decay(t, settings["length_s"]) * (1 - 0.25 * np.exp(-t / 0.0012))
    body += 0.22 * _tone(t, settings["tune_hz"] * 1.59, settings["length_s"] * 0.35)
    hiss = noise.standard_normal(len(t))
    click = _low(_high(hiss, 1400), 2600 + 6500 * strength) * _decay(t, 0.0035)
    skin = _band(hiss, 180, 900) * _decay(t, 0.028)
    mixed = body + settings["click"] * (0.25 + 0.75 * strength) * 0.7 * click + settings["skin"] * 0.5 * skin
    return _drive(mixed, settings["drive"])


def snare(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """tune_hz, balance 0-1 (all shell to all wires), length_s, tone_hz (brightness), snap 0-1."""
    t = _time(max(settings["length_s"] * 5, 0.25))
    tune = settings["tune_hz"]
    shell = np.zeros_like(t)
    for ratio, level, tau in ((1.0, 1.0, 0.085), (1.62, 0.62, 0.06), (2.27, 0.3, 0.04), (3.1, 0.16, 0.03)):
        bend = 1 + 0.06 * strength * np.exp(-t / 0.012)
        shell += level * np.sin(2 * np.pi * np.cumsum(tune * ratio * bend) / RATE_HZ) * _decay(t, tau)
    hiss = noise.standard_normal(len(t))
    wires = _high(_low(hiss, settings["tone_hz"] * (0.45 + 0.55 * strength), 2), 900)
    wires = wires * (0.75 * _decay(t, settings["length_s"]) + 0.25 * _decay(t, settings["length_s"] * 2.2))
    snap = _high(hiss, 3500) * _decay(t, 0.004)
    buzz = 1 - 0.5 * np.exp(-t / 0.003)
    return np.asarray(
        1.6 * (1 - settings["balance"]) * 0.8 * shell
        + 1.6 * settings["balance"] * (0.55 + 0.45 * strength) * 0.75 * wires * buzz
        + settings["snap"] * strength * 0.9 * snap
    )


def rim(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """tune_hz, length_s, click 0-1: a stick across the edge, a few woody modes."""
    t = _time(0.22)
    x = np.zeros_like(t)
    for ratio, level in ((1.0, 1.0), (1.48, 0.7), (2.21, 0.5), (3.37, 0.3)):
        x += level * _tone(t, settings["tune_hz"] * ratio, settings["length_s"] / ratio**0.6)
    click = _high(noise.standard_normal(len(t)), 2500) * _decay(t, 0.0022)
    return np.asarray(0.5 * x + settings["click"] * (0.4 + 0.6 * strength) * click)


def clap(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """spread_s between hands, count of hands, length_s of the tail, tone_hz."""
    t = _time(settings["length_s"] * 5 + 0.1)
    hiss = noise.standard_normal(len(t))
    shaped = np.zeros_like(t)
    hands = int(settings["count"])
    for hand in range(hands):
        start_s = hand * settings["spread_s"] * (1 + 0.12 * noise.standard_normal() * (hand > 0))
        since = t - max(start_s, 0.0)
        tau = 0.0045 if hand < hands - 1 else settings["length_s"]
        shaped += np.where(since >= 0, np.exp(-np.maximum(since, 0) / tau), 0) * (0.7 + 0.3 * hand / max(hands - 1, 1))
    tone = settings["tone_hz"]
    x = _band(hiss, tone * 0.72, tone * 1.5) + 0.35 * _band(hiss, tone * 2, tone * 4.5) * (0.4 + 0.6 * strength)
    return np.asarray(x * shaped)


METAL_RATIOS = (1.0, 1.342, 1.523, 1.709, 2.061, 2.437, 2.893, 3.17)


def _metal(t: Floats, base_hz: float, noise: np.random.Generator) -> Floats:
    """A cloud of square-like partials that do not agree, as a struck cymbal's do not."""
    x = np.zeros_like(t)
    for ratio in METAL_RATIOS:
        phase = noise.uniform(0, 2 * np.pi)
        x += np.tanh(3 * _tone(t, base_hz * ratio, phase=phase))
    return x / len(METAL_RATIOS)


def hat(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """base_hz of the metal, bright_hz (high pass), length_s (tight to open), metal 0-1 against noise, chick 0-1."""
    t = _time(min(settings["length_s"] * 6 + 0.03, 2.2))
    bright = settings["bright_hz"] * (0.86 + 0.14 * strength)
    metal = _high(_metal(t, settings["base_hz"], noise), bright, 3)
    hiss = _high(noise.standard_normal(len(t)), bright * 1.12, 2)
    sizzle = settings["metal"] * 1.4 * metal + (1 - settings["metal"]) * 0.55 * hiss
    length = settings["length_s"] * (0.72 + 0.28 * strength)
    ring = 0.72 * _decay(t, length) + 0.28 * _decay(t, length * 0.22)
    tip = _band(noise.standard_normal(len(t)), 4500, 9500) * _decay(t, 0.0022)
    chick = _band(noise.standard_normal(len(t)), 700, 2600) * _decay(t, 0.011)
    x = sizzle * ring + (0.2 + 0.35 * strength) * tip + settings["chick"] * 0.8 * chick
    return _low(x, 9_000 + 10_000 * strength)


def tom(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """tune_hz, bend 0-1 (how far the pitch falls), length_s, stick 0-1."""
    t = _time(settings["length_s"] * 4.5)
    tune, bend = settings["tune_hz"], 1 + settings["bend"] * (0.35 + 0.65 * strength)
    x = _swept_sine(t, tune * bend, tune, 0.045) * _decay(t, settings["length_s"])
    x += 0.34 * _swept_sine(t, tune * 1.52 * bend, tune * 1.52, 0.035) * _decay(t, settings["length_s"] * 0.45)
    x += 0.14 * _tone(t, tune * 2.3, settings["length_s"] * 0.25)
    hiss = noise.standard_normal(len(t))
    stick = _low(_high(hiss, 900), 2500 + 5500 * strength) * _decay(t, 0.005)
    return np.asarray(x + settings["stick"] * (0.3 + 0.7 * strength) * 0.6 * stick)


def cymbal(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """base_hz, length_s, ping 0-1 (ride) against wash, bright_hz, swell_s (how long the wash takes to open)."""
    t = _time(settings["length_s"] * 3.2)
    partials = 34
    number = np.arange(partials)
    frequencies = (
        settings["base_hz"] * np.exp(np.linspace(0, 3.1, partials)) * (1 + 0.04 * noise.standard_normal(partials))
    )
    phases = noise.uniform(0, 2 * np.pi, partials)
    weights = np.where(number > partials // 2, 0.35 + 0.65 * strength, 1.0)
    heard = np.logical_and.accumulate(frequencies <= 18_000)
    tau_s = settings["length_s"] * (0.9 - 0.6 * number / partials)
    x = _tones(t, *(column[heard] for column in (frequencies, tau_s, phases, weights)))
    x = _high(x / 8, settings["bright_hz"] * 0.5)
    hiss = _high(noise.standard_normal(len(t)), settings["bright_hz"])
    opening = 1 - np.exp(-t / settings["swell_s"])
    wash = (
        hiss
        * (0.3 + 0.7 * opening)
        * (0.65 * _decay(t, settings["length_s"] * 0.55) + 0.35 * _decay(t, settings["length_s"]))
    )
    ping = np.zeros_like(t)
    for ratio, level in ((1.0, 1.0), (1.31, 0.6), (2.63, 0.45), (4.1, 0.3)):
        ping += level * _tone(t, settings["base_hz"] * 7.2 * ratio, 0.11 / ratio**0.5)
    tip = _high(noise.standard_normal(len(t)), 3000) * _decay(t, 0.0028)
    p = settings["ping"]
    mixed = (1 - 0.55 * p) * (0.55 * x + 0.28 * wash) + p * (0.22 * ping + 0.55 * tip * (0.4 + 0.6 * strength))
    return _low(mixed, 7_000 + 11_000 * strength)


def shaker(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """tone_hz, length_s, rise_s: seeds that take a moment to reach the far side."""
    t = _time(settings["length_s"] * 5 + settings["rise_s"] * 2)
    hiss = noise.standard_normal(len(t))
    grains = np.abs(_low(noise.standard_normal(len(t)), 260)) ** 0.6
    shape = (1 - np.exp(-t / settings["rise_s"])) * _decay(t, settings["length_s"])
    seeds = _band(hiss, settings["tone_hz"] * 0.7, min(settings["tone_hz"] * 1.9, 19_000))
    return np.asarray(_low(seeds * shape * (0.4 + grains), 8_000 + 9_000 * strength))


def tambourine(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """tone_hz of the jingles, length_s, skin 0-1."""
    t = _time(settings["length_s"] * 4)
    x = np.zeros_like(t)
    for _ in range(14):
        frequency = settings["tone_hz"] * noise.uniform(0.72, 1.75)
        start_s = noise.exponential(0.0035)
        tau_s = settings["length_s"] * noise.uniform(0.3, 1)
        jingle = _tone(t, frequency, tau_s, -2 * np.pi * frequency * start_s) * np.exp(start_s / tau_s)
        x += np.where(t >= start_s, jingle, 0.0)
    hiss = _high(noise.standard_normal(len(t)), settings["tone_hz"] * 0.9) * _decay(t, settings["length_s"] * 0.45)
    skin = _band(noise.standard_normal(len(t)), 250, 900) * _decay(t, 0.018)
    return _low(0.1 * x + 0.32 * hiss + settings["skin"] * skin, 9_000 + 9_000 * strength)


def conga(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """tune_hz, length_s, slap 0-1 (open tone to slap), bend 0-1: a hand on a tight skin over a long shell."""
    t = _time(settings["length_s"] * 4.5 + 0.06)
    tune, slap = settings["tune_hz"], settings["slap"]
    bend = 1 + 0.35 * settings["bend"] * (0.4 + 0.6 * strength)
    length = settings["length_s"] * (1 - 0.7 * slap)
    x = _swept_sine(t, tune * bend, tune, 0.02) * _decay(t, length)
    x += 0.3 * _tone(t, tune * 1.51, length * 0.5)
    x += (0.12 + 0.5 * slap) * _tone(t, tune * 2.74, length * 0.3)
    hiss = noise.standard_normal(len(t))
    palm = _band(hiss, 300, 1400) * _decay(t, 0.012)
    fingers = _band(hiss, 1500, 6000) * _decay(t, 0.006 + 0.012 * slap)
    return np.asarray(x * (1 - 0.45 * slap) + 0.35 * palm + (0.12 + 1.3 * slap) * (0.3 + 0.7 * strength) * fingers)


def wood(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """tune_hz, length_s, hollow 0-1: a stick on a slotted block."""
    t = _time(settings["length_s"] * 6 + 0.03)
    x = np.zeros_like(t)
    for ratio, level in (
        (1.0, 1.0),
        (1.47 + 0.2 * settings["hollow"], 0.5 * (1 - 0.6 * settings["hollow"])),
        (2.9, 0.2),
    ):
        x += level * _tone(t, settings["tune_hz"] * ratio, settings["length_s"] / ratio)
    tick = _band(noise.standard_normal(len(t)), 1800, 7000) * _decay(t, 0.002)
    return np.asarray(x + 0.5 * (0.3 + 0.7 * strength) * tick)


def bell(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """tune_hz, length_s, clang 0-1: a stick on a hand-held bell, two strong tones a rough fifth and more apart."""
    t = _time(settings["length_s"] * 5 + 0.05)
    tune, clang = settings["tune_hz"], settings["clang"]
    x = np.zeros_like(t)
    for ratio, level in ((1.0, 1.0), (1.506, 0.75), (2.14, 0.3), (3.03, 0.22 + 0.3 * clang), (4.58, 0.25 * clang)):
        bright = 1.0 if ratio < 2 else 0.35 + 0.65 * strength
        wave = np.tanh((1 + 2 * clang) * _tone(t, tune * ratio))
        x += level * bright * wave * (0.6 * _decay(t, settings["length_s"] / ratio**0.5) + 0.4 * _decay(t, 0.02))
    tip = _high(noise.standard_normal(len(t)), 3500) * _decay(t, 0.0015)
    return _low(x / 2 + 0.4 * strength * tip, 4_000 + 12_000 * strength)


def sweep(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """from_hz, to_hz, length_s, narrow 0-1: noise through a band that travels, for swells and falls."""
    length_s = settings["length_s"]
    t = _time(length_s + 0.05)
    hiss = noise.standard_normal(len(t))
    # The band travels over a bank of fixed ones, each heard while it passes: no filter has to change along the way.
    places = np.geomspace(min(settings["from_hz"], settings["to_hz"]), max(settings["from_hz"], settings["to_hz"]), 14)
    at = np.interp(t, (0, length_s), np.log((settings["from_hz"], settings["to_hz"])))
    width = 0.9 - 0.65 * settings["narrow"]
    x = np.zeros_like(t)
    for place in places:
        heard = np.exp(-0.5 * ((at - np.log(place)) / width) ** 2)
        x += heard * _band(hiss, place * 0.8, min(place * 1.25, 19_500))
    shape = np.minimum(t / (0.12 * length_s), 1) * np.clip((length_s - t) / (0.3 * length_s), 0, 1)
    return _low(x * shape, 5_000 + 13_000 * strength)


MODELS: dict[str, Model] = {
    "kick": kick,
    "snare": snare,
    "rim": rim,
    "clap": clap,
    "hat": hat,
    "tom": tom,
    "cymbal": cymbal,
    "shaker": shaker,
    "tambourine": tambourine,
    "conga": conga,
    "wood": wood,
    "bell": bell,
    "sweep": sweep,
}
