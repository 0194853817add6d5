"""Models of drums, wood and hands: kick, snare, rim, clap, tom, conga, wood block (see models.py)."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.sound.tones import (
    RATE_HZ,
    Floats,
    Settings,
    band_pass,
    decay,
    driven,
    high_pass,
    low_pass,
    swept_sine,
    times,
    tone,
)


def kick(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A kick drum, struck once.

    Parameters
    ----------
    settings
        By name: tune_hz, sweep_hz, sweep_s, length_s (time constant), click 0-1, drive 0-1, skin 0-1 (noise of the
        head).
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(settings["length_s"] * 5)
    body = swept_sine(
        t, settings["tune_hz"] + settings["sweep_hz"] * (0.6 + 0.4 * strength), settings["tune_hz"], settings["sweep_s"]
    )
    body *= decay(t, settings["length_s"]) * (1 - 0.25 * np.exp(-t / 0.0012))
    body += 0.22 * tone(t, settings["tune_hz"] * 1.59, settings["length_s"] * 0.35)
    hiss = noise.standard_normal(len(t))
    click = low_pass(high_pass(hiss, 1400), 2600 + 6500 * strength) * decay(t, 0.0035)
    skin = band_pass(hiss, 180, 900) * decay(t, 0.028)
    mixed = body + settings["click"] * (0.25 + 0.75 * strength) * 0.7 * click + settings["skin"] * 0.5 * skin
    return driven(mixed, settings["drive"])


def snare(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A snare drum, struck once.

    Parameters
    ----------
    settings
        By name: tune_hz, balance 0-1 (all shell to all wires), length_s, tone_hz (brightness), snap 0-1.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(max(settings["length_s"] * 5, 0.25))
    tune = settings["tune_hz"]
    shell = np.zeros_like(t)
    for ratio, level, tau in ((1.0, 1.0, 0.046), (1.62, 0.62, 0.038), (2.27, 0.3, 0.03), (3.1, 0.16, 0.024)):
        bend = 1 + 0.06 * strength * np.exp(-t / 0.012)
        shell += level * np.sin(2 * np.pi * np.cumsum(tune * ratio * bend) / RATE_HZ) * decay(t, tau)
    hiss = noise.standard_normal(len(t))
    wires = high_pass(low_pass(hiss, settings["tone_hz"] * (0.45 + 0.55 * strength), 2), 900)
    wires = wires * (0.75 * decay(t, settings["length_s"]) + 0.25 * decay(t, settings["length_s"] * 2.2))
    snap = high_pass(hiss, 3500) * decay(t, 0.004) * (1 - np.exp(-t / 0.0002))  # no click where it begins
    buzz = 1 - 0.5 * np.exp(-t / 0.003)
    return np.asarray(
        1.6 * (1 - settings["balance"]) * 0.8 * shell
        + 1.6 * settings["balance"] * (0.55 + 0.45 * strength) * 0.75 * wires * buzz
        + settings["snap"] * strength * 0.9 * snap
    )


def rim(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A rim, struck once.

    Parameters
    ----------
    settings
        By name: tune_hz, length_s, click 0-1: a stick across the edge, a few woody modes.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(0.22)
    x = np.zeros_like(t)
    for ratio, level in ((1.0, 1.0), (1.48, 0.7), (2.21, 0.5), (3.37, 0.3)):
        x += level * tone(t, settings["tune_hz"] * ratio, settings["length_s"] / ratio**0.6)
    click = high_pass(noise.standard_normal(len(t)), 2500) * decay(t, 0.0022)
    return np.asarray(0.5 * x + settings["click"] * (0.4 + 0.6 * strength) * click)


def clap(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A hand clap, struck once.

    Parameters
    ----------
    settings
        By name: spread_s between hands, count of hands, length_s of the tail, tone_hz.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(settings["length_s"] * 5 + 0.1)
    hiss = noise.standard_normal(len(t))
    shaped = np.zeros_like(t)
    hands = int(settings["count"])
    for hand in range(hands):
        start_s = hand * settings["spread_s"] * (1 + 0.12 * noise.standard_normal() * (hand > 0))
        since = t - max(start_s, 0.0)
        tau = 0.0045 if hand < hands - 1 else settings["length_s"]
        shaped += np.where(since >= 0, np.exp(-np.maximum(since, 0) / tau), 0) * (0.7 + 0.3 * hand / max(hands - 1, 1))
    tone = settings["tone_hz"]
    x = band_pass(hiss, tone * 0.72, tone * 1.5) + 0.35 * band_pass(hiss, tone * 2, tone * 4.5) * (0.4 + 0.6 * strength)
    return np.asarray(x * shaped)


def tom(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A tom, struck once.

    Parameters
    ----------
    settings
        By name: tune_hz, bend 0-1 (how far the pitch falls), length_s, stick 0-1.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(settings["length_s"] * 4.5)
    tune, bend = settings["tune_hz"], 1 + settings["bend"] * (0.35 + 0.65 * strength)
    x = swept_sine(t, tune * bend, tune, 0.045) * decay(t, settings["length_s"])
    x += 0.34 * swept_sine(t, tune * 1.52 * bend, tune * 1.52, 0.035) * decay(t, settings["length_s"] * 0.45)
    x += 0.14 * tone(t, tune * 2.3, settings["length_s"] * 0.25)
    hiss = noise.standard_normal(len(t))
    stick = low_pass(high_pass(hiss, 900), 2500 + 5500 * strength) * decay(t, 0.005)
    return np.asarray(x + settings["stick"] * (0.3 + 0.7 * strength) * 0.6 * stick)


def conga(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A conga, struck once.

    Parameters
    ----------
    settings
        By name: tune_hz, length_s, slap 0-1 (open tone to slap), bend 0-1: a hand on a tight skin over a long
        shell.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(settings["length_s"] * 4.5 + 0.06)
    tune, slap = settings["tune_hz"], settings["slap"]
    bend = 1 + 0.35 * settings["bend"] * (0.4 + 0.6 * strength)
    length = settings["length_s"] * (1 - 0.7 * slap)
    x = swept_sine(t, tune * bend, tune, 0.02) * decay(t, length)
    x += 0.3 * tone(t, tune * 1.51, length * 0.5)
    x += (0.12 + 0.5 * slap) * tone(t, tune * 2.74, length * 0.3)
    hiss = noise.standard_normal(len(t))
    palm = band_pass(hiss, 300, 1400) * decay(t, 0.012)
    fingers = band_pass(hiss, 1500, 6000) * decay(t, 0.006 + 0.012 * slap)
    return np.asarray(x * (1 - 0.45 * slap) + 0.35 * palm + (0.12 + 1.3 * slap) * (0.3 + 0.7 * strength) * fingers)


def wood(settings: Settings, strength: float, noise: np.random.Generator) -> Floats:
    """A wood block, struck once.

    Parameters
    ----------
    settings
        By name: tune_hz, length_s, hollow 0-1: a stick on a slotted block.
    strength
        How hard it is struck, 0 to 1.
    noise
        Source of noise, seeded by the caller.

    Returns
    -------
    Floats
        Samples at 44.1 kHz, shape (frames,).
    """
    t = times(settings["length_s"] * 6 + 0.03)
    x = np.zeros_like(t)
    for ratio, level in (
        (1.0, 1.0),
        (1.47 + 0.2 * settings["hollow"], 0.5 * (1 - 0.6 * settings["hollow"])),
        (2.9, 0.2),
    ):
        x += level * tone(t, settings["tune_hz"] * ratio, settings["length_s"] / ratio)
    tick = band_pass(noise.standard_normal(len(t)), 1800, 7000) * decay(t, 0.002)
    return np.asarray(x + 0.5 * (0.3 + 0.7 * strength) * tick)
