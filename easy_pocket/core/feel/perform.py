"""From written to played: every hit with its ledger.

Every stage adds one named amount in ms, in velocity steps, or both; played = straight + the sum of the amounts.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.feel.density import sounding_at
from easy_pocket.core.feel.dynamics import level_dynamics, weaken_hand
from easy_pocket.core.feel.feel import BY_VOICE, Feel, FeelScopes
from easy_pocket.core.feel.looseness import SLOT_TICKS, drift, jitter, touch
from easy_pocket.core.pattern.pattern import HitArrays, Pattern
from easy_pocket.core.pattern.timebase import Metre, check_tempo, ms_per_tick
from easy_pocket.core.pattern.voices import band_of

MIN_GAP_MS = 5.0  # hits of one voice closer than this sound as one

TIME_STAGES = ("swing", "groove", "part push", "push", "own", "drift", "jitter", "hand", "order")
VELOCITY_STAGES = ("ghost", "depth", "accent", "touch", "hand", "clamp")

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class LedgerLine:
    """Why one hit is where it is: `played_ms == straight_ms + sum(amounts_ms.values())`."""

    voice: str
    tick: int
    straight_ms: float
    played_ms: float
    amounts_ms: Mapping[str, float]
    written_velocity: int
    velocity: int
    amounts_velocity: Mapping[str, int]

    @property
    def offset_ms(self) -> float:
        return self.played_ms - self.straight_ms


@dataclass(frozen=True)
class Performance:
    """Played hits as columns, in the pattern's order.

    straight_ms, played_ms: shape (n,), from the pattern's start; a hit before the start is negative.
    amounts_ms: shape (stages, n) after TIME_STAGES; amounts_velocity: (stages, n) after VELOCITY_STAGES.
    swing: per voice the ticks of a swung pair and the share of its first note.
    """

    hits: HitArrays
    tempo_bpm: float
    length_ms: float
    metre: Metre
    straight_ms: Floats
    played_ms: Floats
    velocity: Ints
    amounts_ms: Floats
    amounts_velocity: Ints
    swing: tuple[tuple[float, float], ...] = ()
    heard: npt.NDArray[np.bool_] | None = None  # which hits the density lets sound; None is all of them

    @property
    def offset_ms(self) -> Floats:
        return self.played_ms - self.straight_ms

    @property
    def loop_ms(self) -> Floats:
        """When each hit sounds within the loop: early hits on the first slot wrap to its end."""
        wrapped = np.mod(self.played_ms, self.length_ms)
        # A hit a rounding error before the start comes out as the length itself.
        return np.where(wrapped >= self.length_ms, 0.0, wrapped)

    def ledger(self, index: int) -> LedgerLine:
        return LedgerLine(
            voice=self.hits.voices[self.hits.voice_index[index]],
            tick=int(self.hits.tick[index]),
            straight_ms=float(self.straight_ms[index]),
            played_ms=float(self.played_ms[index]),
            amounts_ms=dict(zip(TIME_STAGES, self.amounts_ms[:, index].tolist(), strict=True)),
            written_velocity=int(self.hits.velocity[index]),
            velocity=int(self.velocity[index]),
            amounts_velocity=dict(zip(VELOCITY_STAGES, self.amounts_velocity[:, index].tolist(), strict=True)),
        )


def perform(
    pattern: Pattern,
    feel: FeelScopes | None = None,
    *,
    tempo_bpm: float,
    straight: bool = False,
    loop: bool = True,
    pass_number: int = 1,
) -> Performance:
    """Play the pattern. `straight` leaves every hit on its written slot, with its own velocity. pass_number, from 1,
    matters to looseness that runs on.

    With `loop` the last hit also keeps its distance from the first of the next pass. Raises BadValueError for a
    tempo outside 20-400 bpm.
    """
    passes_before = pass_number - 1
    performance = perform_hits(
        pattern.arrays,
        pattern.length_ticks,
        pattern.metre,
        feel,
        tempo_bpm=tempo_bpm,
        straight=straight,
        loop=loop,
        loose=Loose(passes_before * -(-pattern.length_ticks // SLOT_TICKS), passes_before),
    )
    heard = _heard(pattern, feel)
    return performance if heard is None else replace(performance, heard=heard)


@dataclass(frozen=True)
class Loose:
    """Where looseness that runs on has come to: 16ths of wander before, and what tells this pass from others."""

    start_slot: int = 0
    pass_key: int = 0


def perform_hits(
    hits: HitArrays,
    length_ticks: int,
    metre: Metre,
    feel: FeelScopes | None = None,
    *,
    tempo_bpm: float,
    straight: bool = False,
    loop: bool = True,
    loose: Loose = Loose(),
) -> Performance:
    """As `perform`, of hits as columns in order of place; density is not asked here."""
    check_tempo(tempo_bpm)
    tick_ms = ms_per_tick(tempo_bpm)
    straight_ms = hits.tick.astype(np.float64) * tick_ms
    count = len(hits.tick)
    amounts_ms = np.zeros((len(TIME_STAGES), count))
    amounts_velocity = np.zeros((len(VELOCITY_STAGES), count), dtype=np.int64)
    moved, louder = (
        dict(zip(TIME_STAGES, amounts_ms, strict=True)),
        dict(zip(VELOCITY_STAGES, amounts_velocity, strict=True)),
    )
    velocity = hits.velocity.copy()
    length_ms = length_ticks * tick_ms
    pairs, shares = np.full(len(hits.voices), 480.0), np.full(len(hits.voices), 0.5)
    if not straight and count:
        scopes = feel or FeelScopes()
        settings = [scopes.resolve(voice) for voice in hits.voices]
        pairs, shares = _swing_of(settings, tick_ms)
        moved["swing"][:] = swung(hits.tick, pairs[hits.voice_index], shares[hits.voice_index]) * tick_ms
        level_dynamics(hits, settings, louder["ghost"], louder["depth"])
        levelled = velocity + louder["ghost"] + louder["depth"]
        _add_groove(hits, metre, settings, tempo_bpm, moved["swing"], levelled, moved["groove"], louder["accent"])
        moved["part push"][:] = scopes.part_push_ms
        moved["push"][:] = np.array([setting.push_ms for setting in settings])[hits.voice_index]
        moved["own"][:] = hits.offset_ms
        _loosen(hits, settings, scopes.player, loose, moved["drift"], moved["jitter"], louder["touch"])
        weaken_hand(hits, settings, tick_ms, levelled, moved["hand"], louder["hand"])
        turned = [index for index, articulation in hits.articulated if articulation.backwards]
        amounts_ms[:, turned] = 0.0  # it is its end that counts, and that is where it is written
        before = straight_ms + amounts_ms.sum(axis=0)
        moved["order"][:] = keep_order(hits, before, length_ms if loop else None) - before
        unclamped = velocity + amounts_velocity.sum(axis=0)
        velocity = np.clip(unclamped, 1, 127)
        louder["clamp"][:] = velocity - unclamped
    return Performance(
        hits=hits,
        tempo_bpm=tempo_bpm,
        length_ms=length_ms,
        metre=metre,
        straight_ms=straight_ms,
        played_ms=straight_ms + amounts_ms.sum(axis=0),
        velocity=velocity,
        amounts_ms=amounts_ms,
        amounts_velocity=amounts_velocity,
        swing=tuple(zip(pairs.tolist(), shares.tolist(), strict=True)),
    )


def _heard(pattern: Pattern, feel: FeelScopes | None) -> npt.NDArray[np.bool_] | None:
    if feel is None:
        return None
    percent_of = {voice: float(feel.resolve(voice).density_percent or 0.0) for voice in pattern.arrays.voices}
    heard = sounding_at(pattern, percent_of)
    return None if heard.all() else heard


def only_sounding(performance: Performance) -> Performance:
    """Without the hits that the density leaves out."""
    heard = performance.heard
    if heard is None:
        return performance
    hits = performance.hits
    number = np.cumsum(heard) - 1
    kept = replace(
        hits,
        voice_index=hits.voice_index[heard],
        tick=hits.tick[heard],
        velocity=hits.velocity[heard],
        offset_ms=hits.offset_ms[heard],
        alternate=hits.alternate[heard],
        articulated=tuple(
            (int(number[index]), articulation) for index, articulation in hits.articulated if heard[index]
        ),
    )
    return replace(
        performance,
        hits=kept,
        straight_ms=performance.straight_ms[heard],
        played_ms=performance.played_ms[heard],
        velocity=performance.velocity[heard],
        amounts_ms=performance.amounts_ms[:, heard],
        amounts_velocity=performance.amounts_velocity[:, heard],
        heard=None,
    )


def _swing_of(settings: list[Feel], tick_ms: float) -> tuple[Floats, Floats]:
    """Per voice the ticks of a swung pair and the share of its first note. A shortest short note limits the share at
    fast tempi, after Friberg & Sundstrom (2002)."""
    pair_ticks = np.array([2.0 * 3840 // (setting.swing_unit or 16) for setting in settings])
    share = np.array([(setting.swing_percent or 50.0) / 100.0 for setting in settings])
    short_ms = np.array([setting.short_note_ms or 0.0 for setting in settings])
    return pair_ticks, np.maximum(np.minimum(share, 1.0 - short_ms / (pair_ticks * tick_ms)), 0.5)


def swung(tick: Floats | Ints, pair_ticks: Floats, share: Floats) -> Floats:
    """How far swing moves each place, in ticks.

    Within a pair P of swung notes, phase p goes to 2ps in the first half and to s + (2p-1)(1-s) in the second, so
    places in between bend along.
    """
    phase = (tick % pair_ticks) / pair_ticks
    moved = np.where(phase < 0.5, 2.0 * phase * share, share + (2.0 * phase - 1.0) * (1.0 - share))
    return np.asarray((moved - phase) * pair_ticks, dtype=np.float64)


def _add_groove(
    hits: HitArrays,
    metre: Metre,
    settings: list[Feel],
    tempo_bpm: float,
    swing_ms: Floats,
    velocity: Ints,
    groove_ms: Floats,
    accent: Ints,
) -> None:
    """Fill the groove amounts of every voice that a template reaches, from the lane that speaks for it."""
    for index, setting in enumerate(settings):
        if setting.template is None or not setting.groove_on:
            continue
        mine = np.flatnonzero(hits.voice_index == index)
        tick = hits.tick[mine]
        lane = lane_of(setting, hits.voices[index])
        scale = bool(setting.groove_scales)
        target_ms = setting.template.offsets_at(tick, metre, tempo_bpm, scale=scale, lane=lane)
        # The template holds its own swing: at full pull it replaces ours.
        groove_ms[mine] = (setting.timing_pull or 0.0) / 100.0 * (target_ms - swing_ms[mine])
        accents = setting.template.accents_at(tick, metre, lane)
        mean_accent = accents.mean()
        if setting.accent_pull and mean_accent > 0:
            factor = setting.accent_pull / 100.0 * (accents / mean_accent - 1.0)
            accent[mine] = np.rint(velocity[mine] * factor).astype(np.int64)


def lane_of(setting: Feel, voice: str) -> str:
    """The lane of the template that speaks for a voice: the one of its band, unless another is chosen."""
    chosen = setting.groove_lane or BY_VOICE
    if chosen != BY_VOICE:
        return chosen
    return band_of(voice)


def _loosen(
    hits: HitArrays,
    settings: list[Feel],
    player: int,
    loose: Loose,
    drift_ms: Floats,
    jitter_ms: Floats,
    velocity: Ints,
) -> None:
    """Fill the amounts of drift, jitter and touch. Every part is a player of its own."""
    for index, setting in enumerate(settings):
        if not (setting.drift_ms or setting.jitter_ms or setting.touch):
            continue
        mine = np.flatnonzero(hits.voice_index == index)
        tick, seed = hits.tick[mine], seed_of(setting.seed or 0, player)
        slot, key = (loose.start_slot, loose.pass_key) if setting.runs_on else (0, 0)
        drift_ms[mine] = (setting.drift_ms or 0.0) * drift(seed, tick, slot)
        jitter_ms[mine] = (setting.jitter_ms or 0.0) * jitter(seed, hits.voices[index], tick, key)
        scattered = touch(seed, hits.voices[index], tick, slot, key)
        velocity[mine] = np.rint((setting.touch or 0.0) * scattered).astype(np.int64)


def seed_of(seed: int, player: int) -> int:
    """What is drawn by for one of several players; the first (0) draws by the seed itself."""
    return seed + 7919 * player


def keep_order(hits: HitArrays, played_ms: Floats, length_ms: float | None) -> Floats:
    """Played times in which no voice's hits swap or come closer than MIN_GAP_MS; later hits give way.

    In a loop the first hits also give way to the last of the pass before, so the seam is as clean as the inside.
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
