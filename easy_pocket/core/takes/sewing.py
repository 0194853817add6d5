"""Sewing: bars of passes become one, each hit in the bar of its slot, so that no seam doubles or drops one."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.pattern import MAX_OFFSET_MS, Hit, Pattern
from easy_pocket.core.takes.alignment import Aligned, FeltSlots, align
from easy_pocket.core.takes.played import Played, TakeBars
from easy_pocket.core.takes.strokes import Strokes, find_strokes
from easy_pocket.core.text import counted

FULL_WEIGHS_MS = 20.0  # a bar with half of the hits of the fullest counts as so much less steady
CLEAR_MS = 1.0  # seams further than this from every hit are clear of hits


@dataclass(frozen=True)
class LaidPass:
    """A pass on its slots, with what belongs to each hit."""

    key: int
    aligned: Aligned
    strokes: Strokes


def lay(key: int, played: Played, bars: TakeBars, felt: FeltSlots, bounce_ms: float) -> LaidPass:
    """A pass with its strokes told apart and its hits on the slots the feel gives (alignment.felt_slots_of).

    Parameters
    ----------
    key
        Key of the pass.
    played
        Its hits.
    bars
        Bars, metre and tempo of the take.
    felt
        By voice: ticks of its slots, and when the feel puts each.
    bounce_ms
        Hits of a voice nearer than this are one, in ms.

    Returns
    -------
    LaidPass
        The pass with its hits on slots.
    """
    strokes = find_strokes(played, bars, bounce_ms)
    return LaidPass(key, align(strokes.played, bars, felt), strokes)


@dataclass(frozen=True)
class Sew:
    """From which pass a bar comes; voice "" for all voices that have no choice of their own. bar: from 0."""

    bar: int
    key: int
    voice: str = ""


@dataclass(frozen=True)
class BarQuality:
    """How steady a bar of a pass is: mean and spread off the feel in ms, and how many hits it has."""

    key: int
    bar: int
    count: int
    mean_ms: float
    spread_ms: float

    @property
    def words(self) -> str:
        return f"{counted(self.count, 'hit')}, ±{self.spread_ms:.1f} ms"


def bar_qualities(passes: Iterable[LaidPass]) -> list[BarQuality]:
    """Of every bar of every pass that has hits."""
    found = []
    for one in passes:
        bar = one.aligned.bar
        for number in np.unique(bar).tolist():
            off_ms = one.aligned.off_ms[bar == number]
            found.append(BarQuality(one.key, number, len(off_ms), float(off_ms.mean()), float(off_ms.std())))
    return found


@dataclass(frozen=True)
class Proposal:
    """The best of a bar, and why."""

    sew: Sew
    words: str


def steadiest(passes: Sequence[LaidPass]) -> list[Proposal]:
    """For each bar the pass that lies most steadily on the feel, full bars first.

    A bar's cost is the RMS of what its hits lie off the feel, its mean included, and 20 ms for each halving of its hits
    against the fullest pass of that bar.
    """
    qualities = bar_qualities(passes)
    found = []
    for bar in sorted({one.bar for one in qualities}):
        here = [one for one in qualities if one.bar == bar]
        most = max(one.count for one in here)

        def cost(one: BarQuality, most: int = most) -> tuple[float, int]:
            return float(np.hypot(one.mean_ms, one.spread_ms) + FULL_WEIGHS_MS * np.log2(most / one.count)), -one.key

        best = min(here, key=cost)
        others = [one for one in here if one is not best]
        why = f"{best.words}; {best.mean_ms:+.1f} ms off the feel".replace("-", "−")
        if others:
            loosest = max(np.hypot(one.mean_ms, one.spread_ms) for one in others)
            why += f" (others up to {loosest:.0f} ms)"
        found.append(Proposal(Sew(bar, best.key), why))
    return found


def resewn(sews: Iterable[Sew], first: int, last: int, key: int, voice: str = "") -> list[Sew]:
    """Bars from first to last come from a pass, or from none (0).

    Parameters
    ----------
    sews
        What was chosen so far.
    first
        First bar, from 0.
    last
        Last bar, from 0.
    key
        Key of the pass; 0 for none.
    voice
        Role of the only voice that changes; "" for all, which then have no choice of their own there.

    Returns
    -------
    list[Sew]
        The choices afterwards.
    """
    rest = [one for one in sews if not (first <= one.bar <= last and (not voice or one.voice == voice))]
    made = [Sew(bar, key, voice) for bar in range(first, last + 1)] if key else []
    return sorted([*rest, *made], key=lambda one: (one.bar, one.voice, one.key))


def as_played(hits: Sequence[SewnHit], bars: TakeBars) -> Pattern:
    """The hits on their slots with all of what they were played off them as own offsets, and nothing of any feel."""
    tick_ms = bars.tick_ms
    placed = tuple(
        replace(one.hit, offset_ms=_own_ms(one.time_ms - one.hit.tick * tick_ms, bars.length_ms, 0.0)) for one in hits
    )
    return Pattern(bars.length_ticks, placed, bars.metre)


def chosen_pass(sews: Iterable[Sew], bar: int, voice: str) -> int | None:
    """From which pass a voice comes in a bar.

    Parameters
    ----------
    sews
        What was chosen.
    bar
        The bar, from 0.
    voice
        Role of the voice.

    Returns
    -------
    int | None
        Key of the pass; 0 or None when nothing was chosen.
    """
    whole = None
    for one in sews:
        if one.bar == bar and one.voice == voice:
            return one.key
        if one.bar == bar and not one.voice:
            whole = one.key
    return whole


@dataclass(frozen=True)
class SewnHit:
    """A hit of the result: where it is written, when it was played, from which pass it comes."""

    hit: Hit
    time_ms: float
    key: int


def sewn(passes: Iterable[LaidPass], sews: Sequence[Sew], bars: TakeBars) -> list[SewnHit]:
    """The hits of the chosen passes, with flams and rolls as ornaments; own offsets are still to be set.

    Parameters
    ----------
    passes
        The passes, laid on slots.
    sews
        What was chosen.
    bars
        Bars, metre and tempo of the take.

    Returns
    -------
    list[SewnHit]
        Hits in order of time.
    """
    found: dict[tuple[str, int], SewnHit] = {}
    for one in passes:
        played = one.aligned.played
        for index, (voice, bar) in enumerate(zip(played.names, one.aligned.bar.tolist(), strict=True)):
            if chosen_pass(sews, bar, voice) != one.key:
                continue
            tick = int(one.aligned.tick[index])
            articulation = _articulation(one.strokes, index, bars)
            hit = Hit(voice, tick, int(played.velocity[index]), 0.0, int(played.alternate[index]), articulation)
            found[(voice, tick)] = SewnHit(hit, float(played.time_ms[index]), one.key)
    return sorted(found.values(), key=lambda each: (each.hit.tick, each.hit.voice))


def _articulation(strokes: Strokes, index: int, bars: TakeBars) -> Articulation:
    if strokes.strokes[index]:
        span = int(np.clip(round(float(strokes.span_ms[index]) / bars.tick_ms), 10, bars.length_ticks))
        count = int(min(strokes.strokes[index], 128))
        return Articulation(ornament="roll", strokes=count, span_ticks=span, swell=int(strokes.swell[index]))
    if strokes.grace_ms[index]:
        return Articulation(ornament="flam", grace_ms=float(np.clip(strokes.grace_ms[index], 15, 35)))
    return Articulation()


def written(hits: Sequence[SewnHit], bars: TakeBars, feel: FeelScopes, pulls: Mapping[str, float]) -> Pattern:
    """The result as a pattern that goes as far as the take does: slot and own offset of each hit.

    An own offset is what is left of the time played when the feel of the part is taken off; pulls, by voice in
    percent, take it away: at 100 a hit lies where the feel puts it. Played by that feel the pattern sounds as it
    was played.

    Parameters
    ----------
    hits
        Hits of the chosen passes.
    bars
        Bars, metre and tempo of the take.
    feel
        Settings of the stack, the part and its voices.
    pulls
        By voice, 0 to 100 percent to where the feel puts a hit.

    Returns
    -------
    Pattern
        The pattern.
    """
    start, start_ms = bars.start_tick, bars.start_tick * bars.tick_ms
    placed = tuple(replace(one.hit, tick=start + one.hit.tick) for one in hits)
    plain = Pattern(start + bars.length_ticks, placed, bars.metre)
    if not hits:
        return plain
    felt = perform(plain, feel, tempo_bpm=bars.tempo_bpm)
    times = {(one.hit.voice, start + one.hit.tick): start_ms + one.time_ms for one in hits}
    own_ms = [
        _own_ms(times[(hit.voice, hit.tick)] - felt_ms, bars.length_ms, pulls.get(hit.voice, 0.0))
        for hit, felt_ms in zip(plain.hits, felt.played_ms.tolist(), strict=True)
    ]
    changed = tuple(replace(hit, offset_ms=own) for hit, own in zip(plain.hits, own_ms, strict=True))
    return replace(plain, hits=changed)


def _own_ms(off_ms: float, length_ms: float, pull_percent: float) -> float:
    round_ms = (off_ms + length_ms / 2) % length_ms - length_ms / 2  # an early hit of the first slot lies at the end
    return float(np.clip(round(round_ms * (1 - pull_percent / 100), 4), -MAX_OFFSET_MS, MAX_OFFSET_MS))


def written_over(
    before: Pattern, result: Pattern, bars: TakeBars, sews: Sequence[Sew], voices: Iterable[str]
) -> Pattern:
    """A pattern with the result in it: what the take's voices had in bars that are sewn makes room, all else stays.

    A voice that is locked is left as it is. The pattern is as long as it was, or as far as the take goes: then what
    was in it goes round to fill that.

    Parameters
    ----------
    before
        The pattern as it was.
    result
        The pattern that comes into it.
    bars
        Bars, metre and tempo of the take.
    sews
        What was chosen.
    voices
        Roles of the take's voices.

    Returns
    -------
    Pattern
        The pattern afterwards.
    """
    before = gone_round(before, result.length_ticks)
    taken = {voice for voice in voices if voice not in before.locked_voices}
    bar_ticks = bars.metre.bar_ticks
    chosen = {(bar, voice) for bar in range(bars.bars) for voice in taken if chosen_pass(sews, bar, voice) is not None}

    def makes_room(hit: Hit) -> bool:
        bar, inside = divmod(hit.tick - bars.start_tick, bar_ticks)
        return inside >= 0 and hit.tick < bars.start_tick + bars.length_ticks and (bar, hit.voice) in chosen

    stays = [hit for hit in before.hits if not makes_room(hit)]
    comes = [hit for hit in result.hits if hit.voice in taken]
    places = {(hit.voice, hit.tick): hit for hit in [*stays, *comes]}
    length = max(before.length_ticks, result.length_ticks)
    return replace(before, length_ticks=length, hits=tuple(places.values()))


def gone_round(pattern: Pattern, length_ticks: int) -> Pattern:
    """A pattern played again and again until it is as long as this; one that is longer is left as it is."""
    if pattern.length_ticks >= length_ticks:
        return pattern
    turns = range(0, length_ticks, pattern.length_ticks)
    hits = (replace(hit, tick=turn + hit.tick) for turn in turns for hit in pattern.hits)
    return replace(pattern, length_ticks=length_ticks, hits=tuple(hit for hit in hits if hit.tick < length_ticks))


def seams(sews: Sequence[Sew], bars: int) -> list[int]:
    """Bars before which the pass changes, for any voice."""
    voices = {one.voice for one in sews}
    return [
        bar
        for bar in range(1, bars)
        if any(chosen_pass(sews, bar - 1, voice) != chosen_pass(sews, bar, voice) for voice in voices or {""})
    ]


def overlaps(hits: Sequence[SewnHit], sews: Sequence[Sew], bars: TakeBars) -> list[int]:
    """Seams at which a hit of the bar before sounds after one of the bar behind: bars, from 0.

    Parameters
    ----------
    hits
        Hits of the chosen passes.
    sews
        What was chosen.
    bars
        Bars, metre and tempo of the take.

    Returns
    -------
    list[int]
        Bars, from 0.
    """
    found = []
    bar_of = [one.hit.tick // bars.metre.bar_ticks for one in hits]
    for seam in seams(sews, bars.bars):
        before: dict[str, float] = {}
        after: dict[str, float] = {}
        for one, bar in zip(hits, bar_of, strict=True):
            if bar == seam - 1:
                before[one.hit.voice] = max(before.get(one.hit.voice, -np.inf), one.time_ms)
            elif bar == seam:
                after[one.hit.voice] = min(after.get(one.hit.voice, np.inf), one.time_ms)
        if any(before[voice] > after[voice] - CLEAR_MS for voice in set(before) & set(after)):
            found.append(seam)
    return found
