"""What is drawn of a take: every pass on its slots, and the result."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from easy_pocket.core.takes.sewing import LaidPass, overlaps, seams, steadiest
from easy_pocket.store.takes.takes import LaidTake, LoadedPass
from easy_pocket.web.screens.takes.shapes import PassData, SewnData, TakeData


@dataclass(frozen=True)
class VoiceShown:
    voice: str
    name: str
    glyph: str
    mean: str
    side: str
    spread_ms: float
    pull: float


def felt_of(laid: LaidTake) -> dict[tuple[int, str, int], float]:
    """When the feel puts each hit, in ms, by pass, voice and tick."""
    return {
        (one.key, voice, tick): felt
        for one in laid.passes
        for voice, tick, felt in zip(
            one.aligned.played.names, one.aligned.tick.tolist(), one.aligned.felt_ms.tolist(), strict=True
        )
    }


def take_data(laid: LaidTake, voices: Sequence[VoiceShown]) -> TakeData:
    take = laid.take
    place = {voice: number for number, voice in enumerate(take.voices)}
    known = {one.id: one for one in take.passes}
    return {
        "id": take.id,
        "name": take.name,
        "section": take.section_id,
        "song": bool(take.song_take),
        "start_tick": take.bars.start_tick,
        "length_ticks": take.bars.length_ticks,
        "bar_ticks": take.bars.metre.bar_ticks,
        "beat_ticks": take.bars.metre.beat_ticks,
        "tick_ms": take.bars.tick_ms,
        "voices": list(take.voices),
        "names": [one.name for one in voices],
        "glyphs": [one.glyph for one in voices],
        "passes": [_pass_data(one, known[one.key], place) for one in laid.passes],
        "sews": [(one.bar, one.key, one.voice) for one in take.sews],
        "result": _sewn_data(laid, place),
        "seams": seams(take.sews, take.bars.bars),
        "overlaps": overlaps(laid.sewn, take.sews, take.bars),
        "pulls": dict(take.pulls),
        "reasons": [(one.sew.bar, one.sew.key, one.words) for one in steadiest(laid.passes)],
    }


def _pass_data(one: LaidPass, shown: LoadedPass, place: dict[str, int]) -> PassData:
    aligned, played = one.aligned, one.aligned.played
    return {
        "id": one.key,
        "name": shown.name,
        "voice": [place[voice] for voice in played.names],
        "tick": aligned.tick.tolist(),
        "time_ms": np.round(played.time_ms, 2).tolist(),
        "off_ms": np.round(aligned.off_ms, 2).tolist(),
        "velocity": played.velocity.tolist(),
        "played": len(shown.played),
    }


def _sewn_data(laid: LaidTake, place: dict[str, int]) -> SewnData:
    felt = felt_of(laid)
    off_ms = []
    for one in laid.sewn:
        pull = laid.take.pulls.get(one.hit.voice, 0.0)
        off_ms.append(round((one.time_ms - felt[(one.key, one.hit.voice, one.hit.tick)]) * (1 - pull / 100), 2))
    return {
        "voice": [place[one.hit.voice] for one in laid.sewn],
        "tick": [one.hit.tick for one in laid.sewn],
        "off_ms": off_ms,
        "velocity": [one.hit.velocity for one in laid.sewn],
        "key": [one.key for one in laid.sewn],
    }
