"""An idea drawn small: rails with what stays, comes and goes, as paths."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from easy_pocket.core.ideas.change import Change
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.voices import ROLES, voice_name

STEM = (0.24, 0.5)  # of a row: the height of a silent hit, and what full velocity adds
BASE = 0.9  # of a row: where hits stand
SIDE = 1000  # the picture's own units, either way; the page stretches them
MARGIN = 15  # of them left free on either side, for heads of hits on the edge
MOST_SLOTS = 80  # more lines than this are not drawn, and hits are drawn thin
MOST_BEATS = 32  # of more only the bars are drawn
SOFT, LOUD = 56, 104  # a hit is drawn thin, middling or thick


@dataclass(frozen=True)
class Mark:
    """A hit that comes or goes: "new" or "gone", by which changes (-1: none), how thick (0-2), and its two strokes."""

    kind: str
    comes: int
    goes: int
    weight: int
    stem: str
    head: str


@dataclass(frozen=True)
class Picture:
    """rows: names of the voices, from the top. beats, slots and rails: lines as a path each. window: from and how wide.
    old: stems and heads of what stays, by thickness."""

    rows: tuple[str, ...]
    beats: str
    slots: str
    rails: str
    window: tuple[float, float] | None
    old: tuple[tuple[int, str, str], ...]
    marks: tuple[Mark, ...]
    fine: bool  # so many slots that strokes are thin


def picture(
    before: Pattern,
    changes: Sequence[Change],
    begin: int,
    end: int,
    *,
    window: tuple[int, int] | None = None,
    step: int = 240,
    voices: Sequence[str] | None = None,
) -> Picture:
    """Ticks begin to end. voices: the rows; None: those that have hits there."""
    hits = _all(before, changes)
    shown = [one for one in hits if begin <= one[0].tick < end]
    there = {hit.voice for hit, _, _ in shown}
    rows = [voice for voice in ROLES if voice in (there if voices is None else set(voices))]
    place = {voice: number for number, voice in enumerate(rows)}
    old: dict[int, tuple[list[str], list[str]]] = {}
    marks = []
    for hit, comes, goes in shown:
        if hit.voice not in place:
            continue
        weight = (hit.velocity > SOFT) + (hit.velocity > LOUD)
        stem, head = _strokes(hit, begin, end, place[hit.voice], len(rows))
        if comes < 0 and goes < 0:
            stems, heads = old.setdefault(weight, ([], []))
            stems.append(stem)
            heads.append(head)
        else:
            marks.append(Mark("gone" if goes >= 0 else "new", comes, goes, weight, stem, head))
    metre = before.metre
    line = metre.beat_ticks if (end - begin) // metre.beat_ticks <= MOST_BEATS else metre.bar_ticks
    beats = range(-(-begin // line) * line, end + 1, line)
    slots = range(-(-begin // step) * step, end, step)
    window_x = [_x(tick, begin, end) for tick in window] if window else []
    return Picture(
        tuple(voice_name(voice) for voice in rows),
        "".join(f"M{_x(tick, begin, end):.0f} 0V{SIDE}" for tick in beats),
        "".join(f"M{_x(tick, begin, end):.0f} {SIDE - 30}V{SIDE}" for tick in slots)
        if len(slots) <= MOST_SLOTS
        else "",
        "".join(f"M0 {(number + BASE) * SIDE / len(rows):.0f}H{SIDE}" for number in range(len(rows))),
        (window_x[0], window_x[1] - window_x[0]) if window_x else None,
        tuple((weight, "".join(stems), "".join(heads)) for weight, (stems, heads) in sorted(old.items())),
        tuple(marks),
        len(slots) > MOST_SLOTS,
    )


def _x(tick: float, begin: int, end: int) -> float:
    return MARGIN + (SIDE - 2 * MARGIN) * (tick - begin) / max(end - begin, 1)


def _strokes(hit: Hit, begin: int, end: int, row: int, rows: int) -> tuple[str, str]:
    """Stem and head of a hit; a head is a stroke without length, round at its ends."""
    x = _x(hit.tick, begin, end)
    base = (row + BASE) * SIDE / rows
    top = base - (STEM[0] + STEM[1] * hit.velocity / 127) * SIDE / rows
    return f"M{x:.1f} {base:.0f}V{top:.0f}", f"M{x:.1f} {top:.0f}h0"


def _all(before: Pattern, changes: Sequence[Change]) -> list[tuple[Hit, int, int]]:
    """Every hit there is before, after or in between, with the change it comes by and the one it goes by."""
    found: dict[tuple[str, int], list[tuple[Hit, int, int]]] = {}
    for hit in before.hits:
        found[hit.voice, hit.tick] = [(hit, -1, -1)]
    for number, change in enumerate(changes):
        for hit in change.gone:
            here = found.get((hit.voice, hit.tick))
            if here:
                last, comes, _ = here[-1]
                here[-1] = (last, comes, number)
        for hit in change.come:
            here = found.setdefault((hit.voice, hit.tick), [])
            if here and here[-1][2] == -1:
                last, comes, _ = here[-1]
                here[-1] = (last, comes, number)
            here.append((hit, -1 if change.kind == "copy" else number, -1))  # a copy is what is there
    return [one for here in found.values() for one in here]
