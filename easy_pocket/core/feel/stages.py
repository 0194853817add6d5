"""The stages from written to played: each adds named amounts in ms, in velocity steps, or both.

STAGES at the end of this file is the one list of them: a new stage is one function and one line there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.dynamics import level_dynamics, weaken_hand
from easy_pocket.core.feel.feel import BY_VOICE, Feel, FeelScopes
from easy_pocket.core.feel.looseness import drift, jitter, touch
from easy_pocket.core.pattern.pattern import HitArrays
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from easy_pocket.core.pattern.voices import band_of

MIN_GAP_MS = 5.0  # hits of one voice closer than this sound as one

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Loose:
    """Where looseness that runs on has come to: 16ths of wander before, and what tells this pass from others."""

    start_slot: int = 0
    pass_key: int = 0


@dataclass(frozen=True)
class Playing:
    """What a stage works on.

    settings: the feel of each voice, in the order of `hits.voices`. loop_ms: the length of the loop, None for a pattern
    that is played once. moved, louder: for every stage, by its name in the ledger, what it adds to each hit in ms and
    in velocity steps; each of shape (n,), zeros at first, written in place.
    """

    hits: HitArrays
    metre: Metre
    tempo_bpm: float
    loop_ms: float | None
    scopes: FeelScopes
    settings: list[Feel]
    loose: Loose
    straight_ms: Floats
    moved: dict[str, Floats]
    louder: dict[str, Ints]

    @property
    def tick_ms(self) -> float:
        return ms_per_tick(self.tempo_bpm)

    @property
    def played_ms(self) -> Floats:
        """As far as the stages so far go."""
        return np.asarray(self.straight_ms + sum(self.moved.values()))

    @property
    def velocity(self) -> Ints:
        return np.asarray(self.hits.velocity + sum(self.louder.values()))

    @property
    def levelled(self) -> Ints:
        """Velocities after ghosts and accents are levelled, which accents of a groove and the weaker hand go by."""
        return self.hits.velocity + self.louder["ghost"] + self.louder["depth"]


@dataclass(frozen=True)
class Stage:
    """moves, levels: its names in the ledger, in ms and in velocity steps."""

    run: Callable[[Playing], None]
    moves: tuple[str, ...] = ()
    levels: tuple[str, ...] = ()


def swing_of(settings: list[Feel], tick_ms: float) -> tuple[Floats, Floats]:
    """Per voice the ticks of a swung pair and the share of its first note.

    A shortest short note limits the share at fast tempi, after Friberg & Sundstrom (2002).
    """
    pair_ticks = np.array([2.0 * 3840 // (setting.swing_unit or 16) for setting in settings])
    share = np.array([(setting.swing_percent or 50.0) / 100.0 for setting in settings])
    short_ms = np.array([setting.short_note_ms or 0.0 for setting in settings])
    return pair_ticks, np.maximum(np.minimum(share, 1.0 - short_ms / (pair_ticks * tick_ms)), 0.5)


def swung(tick: Floats | Ints, pair_ticks: Floats, share: Floats) -> Floats:
    """How far swing moves each place, in ticks.

    Within a pair P of swung notes, phase p goes to 2ps in the first half and to s + (2p-1)(1-s) in the second, so
    places in between bend along.

    Parameters
    ----------
    tick
        Places in ticks, shape (n,).
    pair_ticks
        Length of a pair of swung notes at each place, in ticks.
    share
        Share of the pair that its first note has, 0.5 is straight.

    Returns
    -------
    Floats
        Ticks by which each place moves, later positive, shape (n,).
    """
    phase = (tick % pair_ticks) / pair_ticks
    moved = np.where(phase < 0.5, 2.0 * phase * share, share + (2.0 * phase - 1.0) * (1.0 - share))
    return np.asarray((moved - phase) * pair_ticks, dtype=np.float64)


def _swing(play: Playing) -> None:
    pairs, shares = swing_of(play.settings, play.tick_ms)
    of = play.hits.voice_index
    play.moved["swing"][:] = swung(play.hits.tick, pairs[of], shares[of]) * play.tick_ms


def _dynamics(play: Playing) -> None:
    level_dynamics(play.hits, play.settings, play.louder["ghost"], play.louder["depth"])


def _groove(play: Playing) -> None:
    """Every voice that a template reaches goes by the lane that speaks for it."""
    hits, velocity = play.hits, play.levelled
    for index, setting in enumerate(play.settings):
        if setting.template is None or not setting.groove_on:
            continue
        mine = np.flatnonzero(hits.voice_index == index)
        tick = hits.tick[mine]
        lane = lane_of(setting, hits.voices[index])
        scale = bool(setting.groove_scales)
        target_ms = setting.template.offsets_at(tick, play.metre, play.tempo_bpm, scale=scale, lane=lane)
        # The template holds its own swing: at full pull it replaces ours.
        play.moved["groove"][mine] = (setting.timing_pull or 0.0) / 100.0 * (target_ms - play.moved["swing"][mine])
        accents = setting.template.accents_at(tick, play.metre, lane)
        mean_accent = accents.mean()
        if setting.accent_pull and mean_accent > 0:
            factor = setting.accent_pull / 100.0 * (accents / mean_accent - 1.0)
            play.louder["accent"][mine] = np.rint(velocity[mine] * factor).astype(np.int64)


def _push(play: Playing) -> None:
    play.moved["part push"][:] = play.scopes.part_push_ms
    play.moved["push"][:] = np.array([setting.push_ms for setting in play.settings])[play.hits.voice_index]


def _own_offset(play: Playing) -> None:
    play.moved["own"][:] = play.hits.offset_ms


def lane_of(setting: Feel, voice: str) -> str:
    """The lane of the template that speaks for a voice: the one of its band, unless another is chosen."""
    chosen = setting.groove_lane or BY_VOICE
    if chosen != BY_VOICE:
        return chosen
    return band_of(voice)


def _looseness(play: Playing) -> None:
    """Drift, jitter and touch. Every part is a player of its own."""
    hits, loose = play.hits, play.loose
    for index, setting in enumerate(play.settings):
        if not (setting.drift_ms or setting.jitter_ms or setting.touch):
            continue
        mine = np.flatnonzero(hits.voice_index == index)
        tick, seed = hits.tick[mine], seed_of(setting.seed or 0, play.scopes.player)
        slot, key = (loose.start_slot, loose.pass_key) if setting.runs_on else (0, 0)
        play.moved["drift"][mine] = (setting.drift_ms or 0.0) * drift(seed, tick, slot)
        play.moved["jitter"][mine] = (setting.jitter_ms or 0.0) * jitter(seed, hits.voices[index], tick, key)
        scattered = touch(seed, hits.voices[index], tick, slot, key)
        play.louder["touch"][mine] = np.rint((setting.touch or 0.0) * scattered).astype(np.int64)


def _weaker_hand(play: Playing) -> None:
    weaken_hand(play.hits, play.settings, play.tick_ms, play.levelled, play.moved["hand"], play.louder["hand"])


def _backwards(play: Playing) -> None:
    """Of a hit that sounds backwards it is the end that counts, and that is where it is written."""
    turned = [index for index, articulation in play.hits.articulated if articulation.backwards]
    for amounts in play.moved.values():
        amounts[turned] = 0.0


def _order(play: Playing) -> None:
    before = play.played_ms
    play.moved["order"][:] = keep_order(play.hits, before, play.loop_ms) - before


def _clamp(play: Playing) -> None:
    wanted = play.velocity
    play.louder["clamp"][:] = np.clip(wanted, 1, 127) - wanted


def seed_of(seed: int, player: int) -> int:
    """What is drawn by for one of several players; the first (0) draws by the seed itself."""
    return seed + 7919 * player


def keep_order(hits: HitArrays, played_ms: Floats, length_ms: float | None) -> Floats:
    """Played times in which no voice's hits swap or come closer than MIN_GAP_MS; later hits give way.

    In a loop the first hits also give way to the last of the pass before, so the seam is as clean as the inside.

    Parameters
    ----------
    hits
        Hits as columns.
    played_ms
        When each hit is played, in ms, shape (n,).
    length_ms
        Length of the loop in ms; None when it is none.

    Returns
    -------
    Floats
        Times in ms, shape (n,).
    """
    kept = played_ms.copy()
    for index in range(len(hits.voices)):
        mine = np.flatnonzero(hits.voice_index == index)
        times = played_ms[mine]
        step = np.arange(len(times)) * MIN_GAP_MS
        spaced = np.maximum.accumulate(times - step) + step
        if length_ms is not None and len(times) > 1:
            before_first = spaced[-1] - length_ms + MIN_GAP_MS
            if before_first > spaced[0]:
                times = np.maximum(times, before_first)
                spaced = np.maximum.accumulate(times - step) + step
        kept[mine] = spaced
    return kept


STAGES = (
    Stage(_swing, moves=("swing",)),
    Stage(_dynamics, levels=("ghost", "depth")),
    Stage(_groove, moves=("groove",), levels=("accent",)),
    Stage(_push, moves=("part push", "push")),
    Stage(_own_offset, moves=("own",)),
    Stage(_looseness, moves=("drift", "jitter"), levels=("touch",)),
    Stage(_weaker_hand, moves=("hand",), levels=("hand",)),
    Stage(_backwards),
    Stage(_order, moves=("order",)),
    Stage(_clamp, levels=("clamp",)),
)
TIME_STAGES = tuple(name for stage in STAGES for name in stage.moves)
VELOCITY_STAGES = tuple(name for stage in STAGES for name in stage.levels)
