"""Borrowing: one voice's line out of another pattern, fitted to metre, grid and length of this one."""

from __future__ import annotations

from dataclasses import replace

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.ideas.change import Idea, changes_between, is_free
from easy_pocket.core.ideas.distance import density, distance
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.ideas.playable import playable_tag
from easy_pocket.core.pattern.metrical import syncopation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.voices import voice_name


def fitted(source: Pattern, voice: str, target: Pattern, grid_ticks: int = 0) -> list[Hit]:
    """The voice's hits laid over the target's length: bar by bar, beat by beat.

    A bar with more beats than the source has begins again with its first ones, one with fewer drops the last;
    between beats of two and of three parts places go to the nearest part. grid_ticks: places go to the nearest slot
    of that grid, 0 leaves them.

    Parameters
    ----------
    source
        The pattern whose hits are taken.
    voice
        Role of the voice that is taken.
    target
        The pattern over whose length they are laid.
    grid_ticks
        Places go to the nearest slot of this length in ticks; 0 leaves them.

    Returns
    -------
    list[Hit]
        Hits of the voice, in order.
    """
    line = [hit for hit in source.hits if hit.voice == voice]
    if not line:
        return []
    theirs, ours = source.metre, target.metre
    beats_there, beats_here = theirs.bar_ticks // theirs.pulse_ticks, ours.bar_ticks // ours.pulse_ticks
    stretch = ours.pulse_ticks / theirs.pulse_ticks
    by_beat: dict[tuple[int, int], list[Hit]] = {}
    for hit in line:
        bar, inside = divmod(hit.tick, theirs.bar_ticks)
        by_beat.setdefault((bar, inside // theirs.pulse_ticks), []).append(hit)
    bars_there = max(source.bars, 1)
    found: dict[int, Hit] = {}
    for bar in range(target.bars):
        for beat in range(beats_here):
            begin = bar * ours.bar_ticks + beat * ours.pulse_ticks
            for hit in by_beat.get((bar % bars_there, beat % beats_there), ()):
                tick = begin + _part(
                    hit.tick % theirs.pulse_ticks, stretch, theirs.compound, ours.compound, ours.pulse_ticks
                )
                if grid_ticks:
                    tick = round(tick / grid_ticks) * grid_ticks
                if tick < target.length_ticks:
                    found.setdefault(tick, replace(hit, tick=tick))
    return list(found.values())


def _part(inside: int, stretch: float, from_thirds: bool, to_thirds: bool, pulse: int) -> int:
    """A place within a beat in a beat of another make: halves and quarters go to the nearest sixths, and back."""
    tick = inside * stretch
    if from_thirds == to_thirds:
        return round(tick)
    parts = 6 if to_thirds else 4
    return min(round(tick / pulse * parts), parts - 1) * pulse // parts


def borrow(scene: IdeaContext, source: Pattern, voice: str, to_voice: str, name: str, grid_ticks: int = 0) -> Idea:
    """The line of `voice` in place of what `to_voice` plays here.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    source
        The pattern whose line is taken.
    voice
        Role of the voice that is taken.
    to_voice
        Role of the voice that plays it here.
    name
        What it is called.
    grid_ticks
        Places go to the nearest slot of this length in ticks; 0 leaves them.

    Returns
    -------
    Idea
        The idea, with what it changes.

    Raises
    ------
    EditRefusedError
        When there is none, or it is locked.
    """
    if to_voice not in scene.voices:
        raise EditRefusedError(f"The kit has no {voice_name(to_voice)}: choose a voice it has.")
    line = [replace(hit, voice=to_voice) for hit in fitted(source, voice, scene.pattern, grid_ticks)]
    if not line:
        raise EditRefusedError(f"{name} has no {voice_name(voice)} to borrow: choose another voice, or another source.")
    pattern = scene.pattern
    kept = [hit for hit in pattern.hits if hit.voice != to_voice or not is_free(pattern, hit)]
    there = {(hit.voice, hit.tick) for hit in kept}
    come = [hit for hit in line if (hit.voice, hit.tick) not in there and is_free(pattern, hit)]
    after = pattern.with_hits((*kept, *come))
    changes = changes_between(pattern, after.hits)
    if not changes:
        raise EditRefusedError(f"{voice_name(to_voice).capitalize()} plays this line already, or is locked.")
    where = voice_name(voice) if voice == to_voice else f"{voice_name(voice)} on {voice_name(to_voice)}"
    metre = "" if source.metre == pattern.metre else f", from {source.metre} to {pattern.metre}"
    length = pattern.length_ticks
    tags = (
        *playable_tag(after.hits, scene.tempo_bpm),
        f"{density(after, 0, length):.3g} a beat",
        f"syncopation {syncopation(after):.1f}",
        f"distance {distance(pattern, after):.2f}",
    )
    return Idea("borrow", pattern, changes, f"{where} of {name}{metre}", tags, 0, pattern.length_ticks)
