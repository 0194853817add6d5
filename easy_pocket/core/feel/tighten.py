"""Tighten: played hits moved toward a target by a strength; write it in: the feel's result becomes the hits."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.feel.feel import BY_VOICE, Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.stages import lane_of, swung
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.feel.write_in import chosen_hits, placed, without_order
from easy_pocket.core.pattern.lock_edits import keep_locks
from easy_pocket.core.pattern.pattern import HitArrays, Pattern
from easy_pocket.core.pattern.pattern_edit import Place
from easy_pocket.core.pattern.timebase import GRID_NAMES, GRID_TICKS, check_tempo, ms_per_tick, place_name
from easy_pocket.core.pattern.voices import voice_name

TARGETS = ("grid", "swing", "groove")
FEWEST_PERCENT = 5  # of the hits: a grid is not too coarse for the sake of fewer
NEAR_PERCENT = 80  # so many of the hits that would go far lie within a quarter of a step of the finer grid

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Tighten:
    """Toward what, and how far. places: the hits it is for, none for all.

    target: "grid"; "swing", the grid swung by swing_percent on swing_unit; "groove", the template's places (its lane
    as `Feel.groove_lane` says). strength_percent: 0-100. leave_alone_ms: hits nearer than this stay, 0-100.
    step_ticks: the grid. Raises BadValueError outside these ranges or for a groove without template.
    """

    target: str = "grid"
    strength_percent: float = 50.0
    leave_alone_ms: float = 0.0
    step_ticks: int = 240
    swing_percent: float = 50.0
    swing_unit: int = 16
    template: GrooveTemplate | None = None
    groove_scales: bool = True
    groove_lane: str = BY_VOICE
    places: tuple[Place, ...] = ()

    def __post_init__(self) -> None:
        if self.target not in TARGETS:
            raise BadValueError(f"Hits are tightened to {', '.join(TARGETS)}; '{self.target[:20]}' is none of them.")
        require_range("The strength", self.strength_percent, 0, 100, "%")
        require_range("The window that is left alone", self.leave_alone_ms, 0, 100, "ms")
        if self.step_ticks not in GRID_TICKS.values():
            raise BadValueError(
                f"A grid of {self.step_ticks} ticks is not known; choose one of {', '.join(GRID_TICKS)}."
            )
        Feel(swing_percent=self.swing_percent, swing_unit=self.swing_unit, groove_lane=self.groove_lane)
        if self.target == "groove" and self.template is None:
            raise BadValueError("No groove is chosen to tighten to: choose one, or tighten to the grid.")


@dataclass(frozen=True)
class Collision:
    """Hits of one voice that the chosen grid would put on one place; all but the nearest stay where they are."""

    voice: str
    slot_tick: int
    ticks: tuple[int, ...]


@dataclass(frozen=True)
class TooCoarse:
    """How many hits the chosen grid would move further than half a step of a finer grid, near whose places they lie."""

    step_ticks: int
    finer_grid: str
    hits: int
    of_hits: int
    hits_on_finer: int


@dataclass(frozen=True)
class Tightening:
    """What tightening does, before it is done.

    from_ms, target_ms, to_ms: shape (n,) for the hits of the pattern as it was, in its order, from the pattern's
    start; moved: whether a hit moves at all. proposed_grid: the coarsest grid on which no hits collide, when some
    do on the chosen one; otherwise the finer one that fits what is played better, if there is one (too_coarse).
    """

    before: HitArrays
    after: Pattern
    from_ms: Floats
    target_ms: Floats
    to_ms: Floats
    moved: npt.NDArray[np.bool_]
    collisions: tuple[Collision, ...]
    proposed_grid: str | None
    too_coarse: TooCoarse | None = None

    def warning(self) -> str:
        """Collisions, or that the grid is too coarse, in words, with the way out; empty when neither is so."""
        if not self.collisions:
            return _too_coarse_in_words(self.too_coarse) if self.too_coarse else ""
        first = self.collisions[0]
        where = ", ".join(place_name(tick, self.after.metre) for tick in first.ticks)
        stay = sum(len(one.ticks) - 1 for one in self.collisions)
        words = f"{voice_name(first.voice).capitalize()} {where} would fall on one place"
        if len(self.collisions) > 1:
            words += f", and so at {len(self.collisions) - 1} more"
        words += f"; {stay} hit{'s' if stay != 1 else ''} would stay where {'they are' if stay != 1 else 'it is'}."
        if self.proposed_grid:
            words += f" On {GRID_NAMES[self.proposed_grid]} none collide."
        return words


def _too_coarse_in_words(found: TooCoarse) -> str:
    chosen = next(GRID_NAMES[name] for name, ticks in GRID_TICKS.items() if ticks == found.step_ticks)
    finer = GRID_NAMES[found.finer_grid]
    one = finer.removesuffix("s")
    moves = f"{found.hits} of {found.of_hits} hits {'moves' if found.hits == 1 else 'move'}"
    less = f"only {found.hits_on_finer}" if found.hits_on_finer else "none"
    return f"At {chosen}, {moves} by more than half {_article(one)} {one}; on {finer} {less} would move that far."


def _article(name: str) -> str:
    return "an" if name.startswith("8") else "a"


def tighten(pattern: Pattern, feel: FeelScopes, tempo_bpm: float, wanted: Tighten) -> Tightening:
    """O' = target + (1 - k)(o - target) for strength k, where o is where a hit is played.

    A hit written on the chosen grid keeps its slot; others go to the slot whose target is nearest to where they are
    played. The feel stays: what the hits need to be played at o' becomes their own offset. Locked hits stay. Raises
    EditRefusedError when nothing is chosen or a hit that was chosen is gone.

    Parameters
    ----------
    pattern
        What is written.
    feel
        Settings of the stack, the part and its voices.
    tempo_bpm
        Quarter notes a minute.
    wanted
        Grid or groove to tighten to, strength, and which hits.

    Returns
    -------
    Tightening
        The new pattern, and what was moved how far.
    """
    check_tempo(tempo_bpm)
    hits, tick_ms = pattern.arrays, ms_per_tick(tempo_bpm)
    if not pattern.hits:
        raise EditRefusedError("There are no hits to tighten yet: write or import some.")
    from_ms = without_order(perform(pattern, feel, tempo_bpm=tempo_bpm))
    chosen = chosen_hits(pattern, wanted.places)
    slot, target_ms = _slots(pattern, wanted, wanted.step_ticks, from_ms, tempo_bpm)
    collisions, stays = _collisions(pattern, slot, np.abs(from_ms - target_ms), chosen)
    proposed = None
    if collisions:
        for grid in sorted(GRID_TICKS, key=lambda key: -GRID_TICKS[key]):
            other, _ = _slots(pattern, wanted, GRID_TICKS[grid], from_ms, tempo_bpm)
            if not _collisions(pattern, other, np.zeros(len(other)), chosen)[0]:
                proposed = grid
                break
    too_coarse = None if collisions else _too_coarse(pattern, wanted, from_ms, target_ms, tempo_bpm, chosen)
    if too_coarse:
        proposed = too_coarse.finer_grid
    far = np.abs(from_ms - target_ms) > wanted.leave_alone_ms
    moved = chosen & ~stays & far
    to_ms = np.where(moved, target_ms + (1 - wanted.strength_percent / 100) * (from_ms - target_ms), from_ms)
    length_ms = pattern.length_ticks * tick_ms
    tick = np.where(moved, np.mod(slot, pattern.length_ticks), hits.tick)
    # A hit at the end that belongs to the first slot is an early one of it.
    wraps_ms = np.where(moved & (slot >= pattern.length_ticks), length_ms, 0.0)
    after = keep_locks(pattern, placed(pattern, feel, tempo_bpm, np.flatnonzero(moved), tick, to_ms - wraps_ms))
    return Tightening(hits, after, from_ms, target_ms, to_ms, moved, collisions, proposed, too_coarse)


def _slots(
    pattern: Pattern, wanted: Tighten, step_ticks: int, from_ms: Floats, tempo_bpm: float
) -> tuple[Ints, Floats]:
    """Per hit its slot in ticks (the pattern's length stands for the first slot of the next pass), and its target."""
    hits = pattern.arrays
    grid = np.append(np.arange(0, pattern.length_ticks, step_ticks), pattern.length_ticks)
    slot, target_ms = hits.tick.copy(), np.zeros(len(hits.tick))
    for index, voice in enumerate(hits.voices):
        mine = np.flatnonzero(hits.voice_index == index)
        places_ms = _targets(pattern, wanted, grid, voice, tempo_bpm)
        ascending = np.maximum.accumulate(places_ms)
        middles = (ascending[1:] + ascending[:-1]) / 2
        nearest = np.searchsorted(middles, from_ms[mine])
        written = hits.tick[mine]
        nearest = np.where(written % step_ticks == 0, written // step_ticks, nearest)
        slot[mine], target_ms[mine] = grid[nearest], places_ms[nearest]
    return slot, target_ms


def _too_coarse(
    pattern: Pattern,
    wanted: Tighten,
    from_ms: Floats,
    target_ms: Floats,
    tempo_bpm: float,
    chosen: npt.NDArray[np.bool_],
) -> TooCoarse | None:
    """Find the finer grid nearest to whose places the hits lie that the chosen grid would move too far.

    Too far is further than half a step of the finer grid. None when there is no such grid, or those hits are few.
    """
    best, best_share = None, np.inf
    for name in (name for name, ticks in GRID_TICKS.items() if ticks < wanted.step_ticks):
        half_ms = GRID_TICKS[name] / 2 * ms_per_tick(tempo_bpm)
        far = chosen & (np.abs(from_ms - target_ms) > half_ms)
        if not far.any() or far.sum() * 100 < FEWEST_PERCENT * chosen.sum():
            continue
        _, finer_ms = _slots(pattern, wanted, GRID_TICKS[name], from_ms, tempo_bpm)
        away = np.abs(from_ms - finer_ms) / half_ms
        share = float(away[far].mean())
        if share < best_share and (away[far] < 0.5).sum() * 100 >= NEAR_PERCENT * far.sum():
            left = int((chosen & (away > 1)).sum())
            best, best_share = TooCoarse(wanted.step_ticks, name, int(far.sum()), int(chosen.sum()), left), share
    return best


def _targets(pattern: Pattern, wanted: Tighten, grid: Ints, voice: str, tempo_bpm: float) -> Floats:
    """Where the target has each place of the grid, in ms."""
    tick_ms = ms_per_tick(tempo_bpm)
    straight_ms = grid * tick_ms
    if wanted.target == "swing":
        pair = np.full(len(grid), 2.0 * 3840 // wanted.swing_unit)
        moved = swung(grid, pair, np.full(len(grid), wanted.swing_percent / 100)) * tick_ms
        return np.asarray(straight_ms + moved)
    if wanted.target == "groove" and wanted.template:
        lane = lane_of(Feel(groove_lane=wanted.groove_lane), voice)
        inside = np.mod(grid, pattern.length_ticks)
        scale = wanted.groove_scales
        leant_ms = wanted.template.offsets_at(inside, pattern.metre, tempo_bpm, scale=scale, lane=lane)
        return np.asarray(straight_ms + leant_ms)
    return np.asarray(straight_ms)


def _collisions(
    pattern: Pattern, slot: Ints, distance_ms: Floats, chosen: npt.NDArray[np.bool_]
) -> tuple[tuple[Collision, ...], npt.NDArray[np.bool_]]:
    """Hits of a voice that would share a place, and which of them stay.

    All but the nearest, or all when a hit that does not move is there already.
    """
    hits = pattern.arrays
    place = np.where(chosen, np.mod(slot, pattern.length_ticks), hits.tick)
    key = hits.voice_index.astype(np.int64) * (pattern.length_ticks + 1) + place
    order = np.lexsort((distance_ms, chosen, key))
    first = np.insert(key[order][1:] != key[order][:-1], 0, True)
    stays = np.zeros(len(key), dtype=bool)
    stays[order[~first]] = True
    crowded = np.isin(key, key[stays])
    found = [
        Collision(
            hits.voices[int(one // (pattern.length_ticks + 1))],
            int(one % (pattern.length_ticks + 1)),
            tuple(hits.tick[key == one].tolist()),
        )
        for one in np.unique(key[crowded]).tolist()
    ]
    # A hit that stays may itself lie where another one goes: then that one stays too.
    while True:
        blocked = ~stays & (hits.tick != place) & np.isin(key, _keys(hits, pattern, stays))
        if not blocked.any():
            return tuple(found), stays & chosen
        stays |= blocked


def _keys(hits: HitArrays, pattern: Pattern, which: npt.NDArray[np.bool_]) -> Ints:
    return hits.voice_index[which].astype(np.int64) * (pattern.length_ticks + 1) + hits.tick[which]
