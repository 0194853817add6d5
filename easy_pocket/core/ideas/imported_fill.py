"""A fill that was played elsewhere - in a loop, in a MIDI file - brought to this pattern's window and kit."""

from __future__ import annotations

from dataclasses import replace

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.ideas.change import Idea, changes_between, is_free
from easy_pocket.core.ideas.distance import within
from easy_pocket.core.ideas.fills import measured
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.pattern.insert_phrase import on_kit
from easy_pocket.core.pattern.pattern import Pattern


def bring_fill(
    scene: IdeaContext, source: Pattern, begin: int, end: int, name: str, from_tick: int | None = None
) -> Idea:
    """The source's hits in the window from tick begin to end, on the voices of this kit.

    Their rhythm, offsets and dynamics stay.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    source
        The pattern the fill is taken from.
    begin
        First tick of the window.
    end
        Tick at which the window ends, not part of it.
    name
        What it is called.
    from_tick
        First tick of the fill in the source; None takes what leads up to the beat of its last hit.

    Returns
    -------
    Idea
        The idea.

    Raises
    ------
    EditRefusedError
        When it has none there.
    """
    length = end - begin
    pulse = source.metre.pulse_ticks
    last_beat = max((hit.tick for hit in source.hits), default=0) // pulse
    start = max((last_beat + 1) * pulse - length, 0) if from_tick is None else from_tick
    taken = [hit for hit in source.hits if start <= hit.tick < start + length]
    if not taken:
        raise EditRefusedError(
            f"{name} has no hits there: choose where the fill begins, or a longer window (it has {source.bars} "
            f"bar{'s' if source.bars != 1 else ''})."
        )
    pattern = scene.pattern
    moved = on_kit(tuple(replace(hit, tick=hit.tick - start + begin) for hit in taken), scene.voices)
    come = [hit for hit in moved if hit.voice in scene.voices and is_free(pattern, hit)]
    kept = [hit for hit in pattern.hits if not begin <= hit.tick < end or not is_free(pattern, hit)]
    after = pattern.with_hits({(hit.voice, hit.tick): hit for hit in (*come, *kept)}.values())
    changes = changes_between(pattern, after.hits)
    if not changes:
        raise EditRefusedError(f"{name} changes nothing in this window: all of it is locked, or there already.")
    facts, tags = measured(scene, within(after, begin, end), begin, end)
    lost = len(taken) - len(come)
    words = f"from {name}, {len(come)} hits" + (f", {lost} of them found no voice" if lost else "")
    return Idea("fill", pattern, changes, words, tags, 0, pattern.length_ticks, facts)
