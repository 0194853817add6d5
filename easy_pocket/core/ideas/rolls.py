"""Rolls: strokes over a span at rates that change, with ramps of velocity and tuning."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.ideas.change import Change, Idea, is_free, removed
from easy_pocket.core.ideas.distance import within
from easy_pocket.core.ideas.fills import Batch, measured
from easy_pocket.core.ideas.idea_context import IdeaContext
from easy_pocket.core.pattern.articulation import MAX_TUNE_CENTS, changed
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import voice_name

RATE_TICKS = {"8": 480, "8T": 320, "16": 240, "16T": 160, "32": 120, "32T": 80, "64": 60, "": 0}
RATE_WORDS = {
    "8": "8ths", "8T": "8th triplets", "16": "16ths", "16T": "16th triplets", "32": "32nds", "32T": "32nd triplets",
    "64": "64ths", "": "rest",
}  # fmt: skip
MOST_CELLS = 64
MOST_STROKES = 512


@dataclass(frozen=True)
class RollSettings:
    """rates: of equal cells of the span, one after another; "" is a gap.

    velocity and tune_cents: from the first stroke to the last. gap: every so many-th stroke is left out (0: none).
    lands: a last stroke on the end of the span.
    """

    voice: str
    begin: int
    end: int
    rates: tuple[str, ...] = ()
    velocity: tuple[int, int] = (58, 116)
    tune_cents: tuple[int, int] = (0, 0)
    gap: int = 0
    lands: bool = True

    def __post_init__(self) -> None:
        require_range("The number of rates", len(self.rates), 0, MOST_CELLS)
        for rate in self.rates:
            if rate not in RATE_TICKS:
                raise BadValueError(f"There is no rate '{rate[:10]}'; there are {', '.join(filter(None, RATE_TICKS))}.")
        for velocity in self.velocity:
            require_range("The velocity", velocity, 1, 127)
        for cents in self.tune_cents:
            require_range("The tuning", cents, -MAX_TUNE_CENTS, MAX_TUNE_CENTS, "cents")
        require_range("Every so many-th stroke left out", self.gap, 0, 32)


@dataclass(frozen=True)
class Figure:
    """A roll of the house to begin from."""

    name: str
    rates: tuple[str, ...]
    velocity: tuple[int, int]
    tune_cents: tuple[int, int] = (0, 0)
    gap: int = 0
    lands: bool = field(default=True)


FIGURES = (
    Figure("gathering", ("16", "16", "32", "32"), (52, 116)),
    Figure("tide coming in", ("8", "16", "16T", "32"), (48, 118)),
    Figure("winch", ("16", "32", "16T", "64"), (64, 112), (0, 700)),
    Figure("rope running out", ("64", "32", "16T", "16"), (110, 58), (0, -900)),
    Figure("two knots", ("16", "32", "16", "32"), (78, 104)),
    Figure("pressed", ("32T",), (34, 116)),
    Figure("stumble", ("16", "16T", "16", "8"), (92, 108), (0, 0), 3),
    Figure("sparks", ("16", "64", "16", "64"), (70, 108), (0, 300)),
    Figure("held breath", ("16", "32", "", "64"), (60, 118)),
    Figure("stairs", ("8T", "16T", "32T"), (54, 114), (-500, 500)),
    Figure("skipping", ("32",), (84, 100), (0, 0), 4),
    Figure("gull", ("32", "16T", "16", ""), (116, 60), (600, -600), 0, False),
)


def roll(scene: IdeaContext, wanted: RollSettings, name: str = "", seed: int = 0) -> Idea:
    """One roll. What the voice has in the span goes, but for locked hits, which stay in place of the strokes there.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    wanted
        Span, voice, rates and loudness.
    name
        What it is called.
    seed
        Whole number; the same one gives the same result.

    Returns
    -------
    Idea
        The idea.

    Raises
    ------
    EditRefusedError
        When no stroke is left.
    BadValueError
        For a span outside the pattern.
    """
    pattern = scene.pattern
    require_range("The beginning of the roll", wanted.begin, 0, pattern.length_ticks - 1, "ticks")
    require_range("The length of the roll", wanted.end - wanted.begin, 60, pattern.length_ticks, "ticks")
    require_range("The end of the roll", wanted.end, 1, pattern.length_ticks, "ticks")
    if wanted.voice not in scene.voices:
        raise EditRefusedError(f"The kit has no {voice_name(wanted.voice)}: choose another voice for the roll.")
    ticks = strokes_of(wanted)
    inside = [hit for hit in pattern.hits if hit.voice == wanted.voice and wanted.begin <= hit.tick < wanted.end]
    staying = {hit.tick for hit in inside if not is_free(pattern, hit)}
    hits = [hit for hit in _articulated(wanted, ticks) if hit.tick not in staying and is_free(pattern, hit)]
    if wanted.lands:
        on = wanted.end % pattern.length_ticks
        hits += [
            hit for hit in [Hit(wanted.voice, on, wanted.velocity[1])] if _may_land(pattern.at(hit.voice, on), hit)
        ]
        hits = [hit for hit in hits if is_free(pattern, hit)]
    if not hits:
        raise EditRefusedError(
            f"No stroke of this roll fits: {voice_name(wanted.voice)} is locked here, or all are gaps."
        )
    come = {(hit.voice, hit.tick): hit for hit in hits}
    gone = [hit for hit in inside if is_free(pattern, hit) and (hit.voice, hit.tick) not in come]
    changes = [removed(hit, pattern) for hit in gone]
    changes += [_stroke_change(pattern.at(*place), hit, wanted, pattern.metre) for place, hit in come.items()]
    changes.sort(key=lambda change: (change.gone or change.come)[0].tick)
    rates = " then ".join(dict.fromkeys(RATE_WORDS[rate] for rate in wanted.rates))
    louder = wanted.velocity[1] - wanted.velocity[0]
    words = ", ".join(
        part
        for part in (
            name, f"{voice_name(wanted.voice)} in {rates}",
            "rising" if louder > 8 else "falling" if louder < -8 else "",
            "tuned up" if wanted.tune_cents[1] > wanted.tune_cents[0] else
            "tuned down" if wanted.tune_cents[1] < wanted.tune_cents[0] else "",
            f"lands on {place_name(wanted.end % pattern.length_ticks, pattern.metre)}" if wanted.lands else "",
        )
        if part
    )  # fmt: skip
    leaving = {(hit.voice, hit.tick) for hit in gone}
    rest = [h for h in within(pattern, wanted.begin, wanted.end) if (h.voice, h.tick) not in leaving | come.keys()]
    stays = [*rest, *(hit for hit in hits if wanted.begin <= hit.tick < wanted.end)]
    facts, tags = measured(scene, stays, wanted.begin, wanted.end)
    return Idea("roll", pattern, tuple(changes), words, tags, seed, pattern.length_ticks, facts)


def _may_land(there: Hit | None, new: Hit) -> bool:
    return there is None or there.velocity < new.velocity


def _stroke_change(there: Hit | None, hit: Hit, wanted: RollSettings, metre: object) -> Change:
    tuned = f", tuned {hit.articulation.tune_cents / 100:+.1f}".replace("-", "−") if hit.articulation.tune_cents else ""
    place = place_name(hit.tick, metre)  # type: ignore[arg-type]
    words = f"{voice_name(hit.voice)} stroke at {place}, velocity {hit.velocity}{tuned}"
    return Change("add" if there is None else "velocity", () if there is None else (there,), (hit,), words)


def strokes_of(wanted: RollSettings) -> list[int]:
    """The ticks of the strokes, gaps left out, without the one the roll lands on."""
    cells = wanted.rates or ("16",)
    edges = np.rint(np.linspace(wanted.begin, wanted.end, len(cells) + 1)).astype(int).tolist()
    ticks: list[int] = []
    for rate, begin, end in zip(cells, edges[:-1], edges[1:], strict=True):
        if rate:
            first = begin if not ticks or begin - ticks[-1] >= 40 else ticks[-1] + RATE_TICKS[rate]
            ticks += range(first, end, RATE_TICKS[rate])
    require_range("The strokes of a roll", len(ticks), 0, MOST_STROKES)
    if wanted.gap:
        ticks = [tick for number, tick in enumerate(ticks) if (number + 1) % wanted.gap or number + 1 == len(ticks)]
    return ticks


def _articulated(wanted: RollSettings, ticks: list[int]) -> list[Hit]:
    """Strokes along the ramps, by place in the span."""
    if not ticks:
        return []
    u = (np.array(ticks) - wanted.begin) / max(wanted.end - wanted.begin, 1)
    velocity = np.rint(wanted.velocity[0] + (wanted.velocity[1] - wanted.velocity[0]) * u).astype(int)
    cents = np.rint(wanted.tune_cents[0] + (wanted.tune_cents[1] - wanted.tune_cents[0]) * u).astype(int)
    plain = [Hit(wanted.voice, tick, int(v)) for tick, v in zip(ticks, velocity.tolist(), strict=True)]
    return [
        replace(hit, articulation=changed(hit.articulation, tune_cents=int(tuned))) if tuned else hit
        for hit, tuned in zip(plain, cents.tolist(), strict=True)
    ]


def rolls(scene: IdeaContext, wanted: RollSettings, count: int = 6, batch: int = 0) -> Batch:
    """The roll as it is set, when it has rates, and figures of the house for the same voice and span.

    Parameters
    ----------
    scene
        The beat the idea is made for: pattern, voices of the kit, locks.
    wanted
        Span, voice, rates and loudness.
    count
        How many are wanted.
    batch
        Which batch, counted from 0.

    Returns
    -------
    Batch
        The ideas.
    """
    ideas = [roll(scene, wanted)] if wanted.rates and batch == 0 else []
    first = batch * count - (1 if wanted.rates and batch else 0)
    for figure in FIGURES[max(first, 0) :]:
        if len(ideas) == count:
            break
        asked = replace(wanted, rates=figure.rates, velocity=figure.velocity, tune_cents=figure.tune_cents,
                        gap=figure.gap, lands=figure.lands and wanted.lands)  # fmt: skip
        ideas.append(roll(scene, asked, figure.name))
    if not ideas:
        raise EditRefusedError("There are no more built-in figures: draw the rates of a roll of your own.")
    return Batch(tuple(ideas), "" if len(ideas) == count else "These are the last built-in figures.")
