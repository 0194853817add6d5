"""Build-ups: stages that lead to the full pattern, each with more voices, denser and louder than the one before."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.feel.density import importance
from easy_pocket.core.ideas.change import Change, Idea
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.voices import band_of, voice_name
from easy_pocket.core.text import counted

MOST_STAGES = 16
# In what order voices come in when nobody says: time first, then what colours it, the drums that carry it last.
COMES_IN = (
    "shaker", "hat_closed", "tambourine", "ride", "bell", "wood", "conga_low", "conga_high", "hat_pedal", "rim", "kick",
    "clap", "tom_low", "tom_mid", "tom_high", "hat_open", "snare", "sweep", "crash",
)  # fmt: skip
BAND_ENERGY = {"low": 1.0, "mid": 0.8, "high": 0.35, "all": 0.7}


@dataclass(frozen=True)
class Stage:
    """One stage: the voices that sound, how much of them, and what comes of it. energy: of a beat, see `energy`."""

    name: str
    voices: tuple[str, ...]
    percent: float
    hits: tuple[Hit, ...]
    energy: float


def energy(hits: tuple[Hit, ...], beats: float) -> float:
    """Energy a beat: squared velocities (full = 1), weighed by band: low 1, middle 0.8, high 0.35."""
    return sum((hit.velocity / 127) ** 2 * BAND_ENERGY[band_of(hit.voice)] for hit in hits) / max(beats, 1e-9)


def usual_order(pattern: Pattern) -> tuple[str, ...]:
    """The pattern's voices in the order in which they usually come in."""
    place = {voice: number for number, voice in enumerate(COMES_IN)}
    return tuple(sorted(pattern.arrays.voices, key=lambda voice: (place.get(voice, len(place)), voice)))


def stages(
    pattern: Pattern, count: int, order: tuple[str, ...] = (), from_percent: float = 60.0, bars: int = 0
) -> tuple[Stage, ...]:
    """`count` stages up to the whole pattern.

    Parameters
    ----------
    pattern
        What is written.
    count
        How many stages.
    order
        Voices in the order in which they come in; those not named come last.
    from_percent
        How dense the first stage is, in percent of the whole.
    bars
        Bars of a stage; 0 for the pattern's own length.

    Returns
    -------
    tuple[Stage, ...]
        The stages, thinnest first.

    Raises
    ------
    EditRefusedError
        When there is too little to build up from.
    BadValueError
        For a number out of range.
    """
    require_range("The number of stages", count, 2, MOST_STAGES)
    require_range("The density of the first stage", from_percent, 10, 100, "%")
    require_range("The bars of a stage", bars, 0, 64)
    usual = usual_order(pattern)
    unknown = next((voice for voice in order if voice not in usual), None)
    if unknown is not None:
        raise BadValueError(f"{voice_name(unknown).capitalize()} has no hits here, so it cannot come in.")
    coming = (*dict.fromkeys(order), *(voice for voice in usual if voice not in order))
    if not coming or len(pattern.hits) < count:
        raise EditRefusedError("There is too little here to build up from: write more hits, or ask for fewer stages.")
    length = bars * pattern.metre.bar_ticks or pattern.length_ticks
    source = _over(pattern, length)
    scores = importance(source)
    found: list[Stage] = []
    for number in range(count):
        last = number == count - 1
        share = (number + 1) / count
        voices = coming[: max(1, round(share * len(coming)))]
        percent = 100.0 if last else from_percent + (100 - from_percent) * number / (count - 1)
        hits = _most_important(source, scores, voices, percent)
        beats = length / pattern.metre.pulse_ticks
        name = "full" if last else f"stage {number + 1}"
        found.append(Stage(name, voices, percent, hits, energy(hits, beats)))
    return tuple(_rising(found, length / pattern.metre.pulse_ticks))


def _over(pattern: Pattern, length: int) -> Pattern:
    """The pattern over so many ticks: again and again, or its beginning."""
    starts = range(0, length, pattern.length_ticks)
    hits = [replace(hit, tick=hit.tick + start) for start in starts for hit in pattern.hits]
    return replace(pattern, length_ticks=length, hits=tuple(hit for hit in hits if hit.tick < length))


def _most_important(pattern: Pattern, scores: np.ndarray, voices: tuple[str, ...], percent: float) -> tuple[Hit, ...]:
    kept: list[int] = []
    columns = pattern.arrays
    for voice in voices:
        if voice not in columns.voices:
            continue
        mine = np.flatnonzero(columns.voice_index == columns.voices.index(voice))
        count = max(1, int(np.ceil(len(mine) * percent / 100)))
        kept += mine[np.argsort(-scores[mine], kind="stable")[:count]].tolist()
    return tuple(pattern.hits[place] for place in sorted(kept))


def _rising(found: list[Stage], beats: float) -> list[Stage]:
    """Stages whose energy rises at each: one that does not stand out is made softer, from the end backwards."""
    risen = [found[-1]]
    for stage in reversed(found[:-1]):
        ceiling = 0.94 * risen[0].energy
        if stage.energy > ceiling:
            softer = np.sqrt(ceiling / stage.energy)
            hits = tuple(replace(hit, velocity=max(1, int(hit.velocity * softer))) for hit in stage.hits)
            stage = replace(stage, hits=hits, energy=energy(hits, beats))
        if not stage.energy < risen[0].energy:
            raise EditRefusedError("These hits are too soft and few to rise in so many stages: ask for fewer.")
        risen.insert(0, stage)
    return risen


def build_up(pattern: Pattern, made: tuple[Stage, ...], bars: int = 0) -> Idea:
    """The stages one after another, the whole pattern at the end of them.

    Parameters
    ----------
    pattern
        What is written.
    made
        Stages, as `stages` gives them.
    bars
        Bars of a stage; 0 for the pattern's own length.

    Returns
    -------
    Idea
        An idea as long as all stages and the pattern.
    """
    length = bars * pattern.metre.bar_ticks or pattern.length_ticks
    changes = [Change("clear", pattern.hits, (), "what is there makes room")]
    for number, stage in enumerate(made):
        come = tuple(replace(hit, tick=hit.tick + number * length) for hit in stage.hits)
        names = ", ".join(voice_name(voice) for voice in stage.voices)
        changes.append(
            Change("stage", (), come, f"{stage.name}: {names}, {stage.percent:.0f} %, {counted(len(come), 'hit')}")
        )
    words = f"{len(made)} stages, from {voice_name(made[0].voices[0])} to all"
    tags = tuple(f"{stage.energy:.1f}" for stage in made)
    return Idea("build", pattern, tuple(changes), words, tags, 0, len(made) * length)
