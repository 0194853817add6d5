"""Models of metal and noise: hi-hat, cymbal, tambourine, bell, shaker, sweep (see models.py)."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.sound.tones import Floats, Settings, band_pass, decay, high_pass, low_pass, times, tone, tones

METAL_RATIOS = (1.0, 1.342, 1.523, 1.709, 2.061, 2.437, 2.893, 3.17)


def _metal(t: Floats, base_hz: float, noise: np.random.Generator) -> Floats:
    """A cloud of square-like partials that do not agree, as a struck cymbal's do not."""
    x = np.zeros_like(t)
    for ratio in METAL_RATIOS:
        phase = noise.uniform(0, 2 * np.pi)
        x += np.tanh(3 * tone(t, base_hz * ratio, phase=phase))
    return x / len(METAL_RATIOS)


def hat(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A hi-hat, struck once.

    Parameters
    ----------
    settings
        By name: base_hz of the metal, bright_hz (high pass), length_s (tight to open), metal 0-1 against noise,
        chick 0-1.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(min(settings["length_s"] * 6 + 0.03, 2.2))
    bright = settings["bright_hz"] * (0.86 + 0.14 * strength)
    metal = high_pass(_metal(t, settings["base_hz"], noise), bright, 3)
    hiss = high_pass(noise.standard_normal(len(t)), bright * 1.12, 2)
    sizzle = settings["metal"] * 1.4 * metal + (1 - settings["metal"]) * 0.55 * hiss
    length = settings["length_s"] * (0.72 + 0.28 * strength)
    ring = 0.72 * decay(t, length) + 0.28 * decay(t, length * 0.22)
    tip = band_pass(noise.standard_normal(len(t)), 4500, 9500) * decay(t, 0.0022)
    chick = band_pass(noise.standard_normal(len(t)), 700, 2600) * decay(t, 0.011)
    x = sizzle * ring + (0.2 + 0.35 * strength) * tip + settings["chick"] * 0.8 * chick
    return low_pass(x * (0.72 + 0.28 * strength), 700 + 18_300 * strength)


def cymbal(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A cymbal, struck once.

    Parameters
    ----------
    settings
        By name: base_hz, length_s, ping 0-1 (ride) against wash, bright_hz, swell_s (how long the wash takes to
        open).
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(settings["length_s"] * 3.2)
    partials = 34
    number = np.arange(partials)
    frequencies = (
        settings["base_hz"] * np.exp(np.linspace(0, 3.1, partials)) * (1 + 0.04 * noise.standard_normal(partials))
    )
    phases = noise.uniform(0, 2 * np.pi, partials)
    weights = np.where(number > partials // 2, 0.35 + 0.65 * strength, 1.0)
    heard = np.logical_and.accumulate(frequencies <= 18_000)
    tau_s = settings["length_s"] * (0.9 - 0.6 * number / partials)
    x = tones(t, *(column[heard] for column in (frequencies, tau_s, phases, weights)))
    x = high_pass(x / 8, settings["bright_hz"] * 0.5)
    hiss = high_pass(noise.standard_normal(len(t)), settings["bright_hz"])
    opening = 1 - np.exp(-t / settings["swell_s"])
    # What is high dies first, as of struck metal: the wash darkens while it rings.
    dark = low_pass(hiss, 1.6 * settings["bright_hz"])
    wash = (0.3 + 0.7 * opening) * (
        (hiss - dark) * decay(t, settings["length_s"] * 0.3) + dark * decay(t, settings["length_s"] * 0.8)
    )
    ping = np.zeros_like(t)
    for ratio, level in ((1.0, 1.0), (1.31, 0.6), (2.63, 0.45), (4.1, 0.3)):
        ping += level * tone(t, settings["base_hz"] * 7.2 * ratio, 0.11 / ratio**0.5)
    tip = high_pass(noise.standard_normal(len(t)), 3000) * decay(t, 0.0028)
    p = settings["ping"]
    mixed = (1 - 0.55 * p) * (0.55 * x + 0.28 * wash) + p * (0.22 * ping + 0.55 * tip * (0.4 + 0.6 * strength))
    return low_pass(mixed, 4_000 + 14_000 * strength)


def tambourine(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A tambourine, struck once.

    Parameters
    ----------
    settings
        By name: tone_hz of the jingles, length_s, skin 0-1.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(settings["length_s"] * 4)
    x = np.zeros_like(t)
    for _ in range(14):
        frequency = settings["tone_hz"] * noise.uniform(0.72, 1.75)
        start_s = noise.exponential(0.0035)
        tau_s = settings["length_s"] * noise.uniform(0.3, 1)
        jingle = tone(t, frequency, tau_s, -2 * np.pi * frequency * start_s) * np.exp(start_s / tau_s)
        x += np.where(t >= start_s, jingle, 0.0)
    hiss = high_pass(noise.standard_normal(len(t)), settings["tone_hz"] * 0.9) * decay(t, settings["length_s"] * 0.45)
    skin = band_pass(noise.standard_normal(len(t)), 250, 900) * decay(t, 0.018)
    return low_pass(0.1 * x + 0.32 * hiss + settings["skin"] * skin, 9_000 + 9_000 * strength)


def bell(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A bell, struck once.

    Parameters
    ----------
    settings
        By name: tune_hz, length_s, clang 0-1: a stick on a hand-held bell, two strong tones a rough fifth and more
        apart.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(settings["length_s"] * 5 + 0.05)
    tune, clang = settings["tune_hz"], settings["clang"]
    x = np.zeros_like(t)
    for ratio, level in ((1.0, 1.0), (1.506, 0.75), (2.14, 0.3), (3.03, 0.22 + 0.3 * clang), (4.58, 0.25 * clang)):
        bright = 1.0 if ratio < 2 else 0.35 + 0.65 * strength
        wave = np.tanh((1 + 2 * clang) * tone(t, tune * ratio))
        x += level * bright * wave * (0.6 * decay(t, settings["length_s"] / ratio**0.5) + 0.4 * decay(t, 0.02))
    tip = high_pass(noise.standard_normal(len(t)), 3500) * decay(t, 0.0015)
    return low_pass(x / 2 + 0.4 * strength * tip, 4_000 + 12_000 * strength)


def shaker(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A shaker, struck once.

    Parameters
    ----------
    settings
        By name: tone_hz, length_s, rise_s: seeds that take a moment to reach the far side.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(settings["length_s"] * 5 + settings["rise_s"] * 2)
    hiss = noise.standard_normal(len(t))
    grains = np.abs(low_pass(noise.standard_normal(len(t)), 260)) ** 0.6
    shape = (1 - np.exp(-t / settings["rise_s"])) * decay(t, settings["length_s"])
    seeds = band_pass(hiss, settings["tone_hz"] * 0.7, min(settings["tone_hz"] * 1.9, 19_000))
    return np.asarray(low_pass(seeds * shape * (0.4 + grains), 8_000 + 9_000 * strength))


def sweep(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A sweep of noise, struck once.

    Parameters
    ----------
    settings
        By name: from_hz, to_hz, length_s, narrow 0-1: noise through a band that travels, for swells and falls.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    length_s = settings["length_s"]
    t = times(length_s + 0.05)
    hiss = noise.standard_normal(len(t))
    # The band travels over a bank of fixed ones, each heard while it passes: no filter has to change along the way.
    places = np.geomspace(min(settings["from_hz"], settings["to_hz"]), max(settings["from_hz"], settings["to_hz"]), 14)
    at = np.interp(t, (0, length_s), np.log((settings["from_hz"], settings["to_hz"])))
    width = 0.9 - 0.65 * settings["narrow"]
    x = np.zeros_like(t)
    for place in places:
        heard = np.exp(-0.5 * ((at - np.log(place)) / width) ** 2)
        x += heard * band_pass(hiss, place * 0.8, min(place * 1.25, 19_500))
    shape = np.minimum(t / (0.12 * length_s), 1) * np.clip((length_s - t) / (0.3 * length_s), 0, 1)
    return low_pass(x * shape, 5_000 + 13_000 * strength)
