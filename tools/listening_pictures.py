"""The pictures of docs/listening.md, drawn from what is heard in the demo's break.

PYTHONPATH=. python tools/listening_pictures.py
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.listen.groove import extract_template, slots_and_offsets
from easy_pocket.core.listen.listened import Listened, listen
from easy_pocket.core.listen.loop_analysis import LoopAnalysis, analyze_loop
from easy_pocket.core.listen.reading_reasons import reasons
from easy_pocket.core.listen.signals import RATE_HZ

ROOT = Path(__file__).resolve().parent.parent
BREAK = ROOT / "easy_pocket" / "demo" / "quayside-break.flac"
FOLDER = ROOT / "docs" / "listening"
WIDE, TALL, LEFT = 900, 220, 60
PAPER, INK, QUIET, WAVE, LINE, EARLY, LATE = (
    "#fbf8f1", "#1f2d5c", "#6c6a63", "#a3aed2", "#d8cfbe", "#0f6d69", "#a83c2a",
)  # fmt: skip


def page(name: str, tall: int, *parts: str) -> None:
    FOLDER.mkdir(exist_ok=True)
    text = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDE} {tall}" font-family="sans-serif" font-size="13">'
        f'<rect width="{WIDE}" height="{tall}" fill="{PAPER}"/>{"".join(parts)}</svg>\n'
    )
    (FOLDER / f"{name}.svg").write_text(text)


def words(x: float, y: float, text: str, colour: str = QUIET, anchor: str = "start", weight: int = 400) -> str:
    return f'<text x="{x:.1f}" y="{y:.1f}" fill="{colour}" text-anchor="{anchor}" font-weight="{weight}">{text}</text>'


def line(x: float, y: float, to_x: float, to_y: float, colour: str, width: float = 1.0) -> str:
    return f'<path d="M{x:.1f} {y:.1f}L{to_x:.1f} {to_y:.1f}" stroke="{colour}" stroke-width="{width}"/>'


def main() -> None:
    audio = read_audio(BREAK.read_bytes(), BREAK.name)
    heard, listened = analyze_loop(audio), listen(audio)
    _hits(audio.mono(), audio.duration_s, heard.onsets.time_s, listened)
    _readings(heard)
    _groove(heard)


def _hits(mono: np.ndarray, duration_s: float, chosen_s: np.ndarray, listened: Listened) -> None:
    """The wave above, below it how sure each place is that it is a hit."""
    across = (WIDE - LEFT - 10) / duration_s
    peaks = np.abs(mono[: len(mono) // 800 * 800]).reshape(800, -1).max(axis=1) / np.abs(mono).max()
    parts = []
    for number, peak in enumerate(peaks.tolist()):
        x = LEFT + number * (WIDE - LEFT - 10) / 800
        parts.append(line(x, 70 - 58 * peak, x, 70 + 58 * peak, WAVE))
    at_s = (listened.candidates.at - listened.prepared.context) / RATE_HZ
    sure = 1 / (1 + np.exp(-listened.odds))
    foot = 260
    parts.append(line(LEFT, foot, WIDE - 10, foot, LINE))
    for time_s, share in zip(at_s.tolist(), sure.tolist(), strict=True):
        if not 0 <= time_s < duration_s:
            continue
        taken = np.abs(chosen_s - time_s).min() < 0.02 and share > 0.3
        parts.append(
            line(LEFT + time_s * across, foot, LEFT + time_s * across, foot - 100 * share, INK if taken else LATE, 2)
        )
    for time_s in chosen_s.tolist():
        x = LEFT + time_s * across
        parts.append(line(x, 12, x, 128, INK, 0.7))
    parts += [words(8, 72, "sound"), words(8, 216, "sure"), words(8, foot, "0"), words(8, foot - 92, "100 %")]
    page("hits", 280, *parts)


def _readings(heard: LoopAnalysis) -> None:
    """The readings with their belief, and what speaks for them."""
    parts, y = [], 26
    for reading in heard.readings[:4]:
        name = f"{reading.tempo_bpm:.1f} bpm, {reading.bars} x {reading.metre}"
        parts.append(words(LEFT - 50, y, name, INK, weight=600))
        parts.append(f'<rect x="230" y="{y - 11}" width="{300 * reading.confidence:.1f}" height="14" fill="{WAVE}"/>')
        parts.append(words(236 + 300 * reading.confidence, y, f"{100 * reading.confidence:.0f} %", INK))
        parts.append(words(LEFT - 50, y + 18, "; ".join(reasons(heard.onsets, reading))))
        y += 50
    page("readings", y - 14, *parts)


def _groove(heard: LoopAnalysis) -> None:
    """Every hit by slot and how far it is off; the groove is their mean."""
    onsets, reading = heard.onsets, heard.reading
    slot, offset_ms = slots_and_offsets(onsets, reading)
    groove = extract_template(onsets, reading, "break", "break", 1)
    slots, middle, down = groove.slots_per_bar, 110, 90 / 40
    column = (WIDE - LEFT - 10) / slots
    parts = [line(LEFT, middle, WIDE - 10, middle, INK)]
    for number in range(slots):
        x = LEFT + (number + 0.5) * column
        if number % reading.grid.per_beat == 0:
            parts.append(line(x - column / 2, 10, x - column / 2, 210, LINE))
            parts.append(words(x - 4, 206, str(number // reading.grid.per_beat + 1), INK))
        mean = groove.lanes["all"].offset_ms[number]
        guess = groove.lanes["all"].guessed[number]
        colour = QUIET if guess else EARLY if mean < 0 else LATE
        top, tall = (middle, mean * down) if mean > 0 else (middle + mean * down, -mean * down)
        box = f'x="{x - 9:.1f}" y="{top:.1f}" width="18" height="{max(tall, 1):.1f}"'
        parts.append(f'<rect {box} fill="{colour}" opacity=".35"/>')
    for number, off in zip((slot % slots).tolist(), offset_ms.tolist(), strict=True):
        x = LEFT + (number + 0.5) * column
        colour = EARLY if off < -2 else LATE if off > 2 else INK
        parts.append(f'<circle cx="{x:.1f}" cy="{middle + off * down:.1f}" r="4" fill="{colour}"/>')
    parts += [words(8, 30, "early"), words(8, middle + 4, "grid"), words(8, 196, "late")]
    page("groove", TALL, *parts)


if __name__ == "__main__":
    main()
