"""Outlines of sounds as SVG paths."""

from __future__ import annotations

import numpy as np

from easy_pocket.caches import ByteCache
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.tones import RATE_HZ

WAVE_COLUMNS = 360
SMALL_COLUMNS, SMALL_S = 40, 0.6


_paths: ByteCache[str] = ByteCache("paths of small waves", 8 << 20)


def _small_path(points: tuple[int, ...]) -> str:
    return _paths.get(points, lambda: _drawn(points))


def _drawn(points: tuple[int, ...]) -> str:
    x = np.linspace(0, 100, len(points))
    top = " ".join(f"{a:.0f},{50 - p / 2.2:.0f}" for a, p in zip(x.tolist(), points, strict=True))
    low = " ".join(f"{a:.0f},{50 + p / 2.2:.0f}" for a, p in zip(x[::-1].tolist(), points[::-1], strict=True))
    return f"M{top} {low}Z"


def small_wave(audio: Frames) -> str:
    """An outline of the first 0.6 s in a box of 100 x 100."""
    mono = np.abs(audio).max(axis=1)
    wanted = int(SMALL_S * RATE_HZ)
    mono = np.pad(mono[:wanted], (0, max(0, wanted - len(mono))))
    peaks = np.maximum.reduceat(mono, np.linspace(0, wanted, SMALL_COLUMNS + 1).astype(int)[:-1])
    points = tuple(np.rint(100 * peaks / max(float(peaks.max()), 1e-9)).astype(int).tolist())
    return _small_path(points)


def picture_path(picture: bytes) -> str:
    """The library's small picture, kept as peaks of 0-255."""
    points = np.frombuffer(picture, dtype=np.uint8).astype(np.float64)[: SMALL_COLUMNS + 16] / 2.55
    return _small_path(tuple(np.rint(points).astype(int).tolist()))


def wave_path(x: Frames, start_ms: float, axis_ms: float, scale: float) -> str:
    """The outline of a layer as an SVG path in a box of 1000 x 100, the loudest layer full high."""
    frames = int((axis_ms - start_ms) * RATE_HZ / 1000)
    piece = x[: max(frames, 1)]
    columns = max(2, round(WAVE_COLUMNS * min(len(piece) / RATE_HZ * 1000 / axis_ms, 1.0)))
    edges = np.linspace(0, len(piece), min(columns, len(piece)) + 1).astype(int)[:-1]
    high = np.maximum.reduceat(piece.max(axis=1), edges) / scale
    low = np.minimum.reduceat(piece.min(axis=1), edges) / scale
    places = 1000 * (start_ms + 1000 * edges / RATE_HZ) / axis_ms
    top = " ".join(f"{a:.1f},{50 - 48 * b:.1f}" for a, b in zip(places.tolist(), high.tolist(), strict=True))
    bottom = " ".join(
        f"{a:.1f},{50 - 48 * b:.1f}" for a, b in zip(places[::-1].tolist(), low[::-1].tolist(), strict=True)
    )
    return f"M{top} {bottom}Z"


OVERLAY_MS = 25.0


def line_path(x: Frames, delay_ms: float, scale: float) -> str:
    frames = np.arange(0, int(OVERLAY_MS * RATE_HZ / 1000), 3)
    mono = x.mean(axis=1)
    at = frames - round(delay_ms * RATE_HZ / 1000)
    values = np.where((at >= 0) & (at < len(mono)), mono[np.clip(at, 0, len(mono) - 1)], 0.0) / scale
    places = 1000 * frames / frames[-1]
    return "M" + " ".join(f"{a:.0f},{50 - 48 * b:.1f}" for a, b in zip(places.tolist(), values.tolist(), strict=True))
