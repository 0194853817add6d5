"""Build-ups and take-aparts of a section: stages in which voices of all parts come in, or go, one after another."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.ideas.build_up import COMES_IN, MOST_STAGES
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.part import audible_parts
from easy_pocket.core.song.part_hits import part_hits
from easy_pocket.core.song.section import Section


@dataclass(frozen=True)
class BuildupStage:
    """sounding: by part the voices that are heard; a part that is not there rests. muted: those of it that are not."""

    sounding: dict[int, frozenset[str]]
    muted: dict[int, frozenset[str]]


def stages_of(
    song: Arrangement, section: Section, count: int, order: tuple[tuple[int, str], ...] = ()
) -> tuple[BuildupStage, ...]:
    """Make `count` stages that lead to the section, each with more of its voices than the one before.

    None has all of them, so that energy rises at every one, and again with the section itself. order: (part, voice)
    as they come in, those not named last in their usual order.

    Parameters
    ----------
    song
        Parts, sections, and what each part plays where.
    section
        The section they lead to.
    count
        How many stages.
    order
        Part and voice as they come in; those not named last in their usual order.

    Returns
    -------
    tuple[BuildupStage, ...]
        The stages, thinnest first.

    Raises
    ------
    EditRefusedError
        When the section has too few voices for so many stages.
    """
    require_range("The number of stages", count, 1, MOST_STAGES)
    span = next(span for span in song.spans if span.section.key == section.key)
    heard = audible_parts(song.parts)
    voices: dict[int, tuple[str, ...]] = {}
    for part in song.parts:
        line = part_hits(part, span, song.seed)
        used = {line.voices[voice] for voice in set(line.voice.tolist())}
        muted = {voice for voice, mix in part.mix.items() if mix.mute}
        if part.key in heard and used - muted:
            voices[part.key] = tuple(sorted(used - muted))
    units = coming_in(voices, order)
    if len(units) <= count:
        raise EditRefusedError(
            f"{section.name} has {len(units)} voices that sound, too few for {count} stages before it: ask for at most "
            f"{max(len(units) - 1, 0)}."
        )
    found = []
    for number in range(count):
        chosen = units[: round((number + 1) * len(units) / (count + 1)) or 1]
        sounding = {key: frozenset(voice for part, voice in chosen if part == key) for key in dict(chosen)}
        muted_of = {key: frozenset(voices[key]) - sounding[key] for key in sounding}
        found.append(BuildupStage(sounding, muted_of))
    return tuple(found)


def coming_in(
    voices: dict[int, tuple[str, ...]], order: tuple[tuple[int, str], ...] = ()
) -> tuple[tuple[int, str], ...]:
    """All (part, voice) in the order in which they come in: time first, then what colours it, what carries it last."""
    place = {voice: number for number, voice in enumerate(COMES_IN)}
    units = [(part, voice) for part, of in voices.items() for voice in of]
    usual = sorted(units, key=lambda unit: (place.get(unit[1], len(place)), unit[0], unit[1]))
    first = [unit for unit in dict.fromkeys(order) if unit in usual]
    return (*first, *(unit for unit in usual if unit not in first))
