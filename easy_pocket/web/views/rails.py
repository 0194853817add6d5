"""The rails: every hit as a stem with a head, its written slot as a foot, the thread between them the offset."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from easy_pocket.core.perform import LedgerLine, Performance
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.kit import Kit, KitVoice
from easy_pocket.core.timebase import ms_per_tick, place_name
from easy_pocket.core.voices import ROLES
from easy_pocket.web.views.place import Window

ON_GRID_MS = 0.75  # an offset smaller than this is drawn as on the grid
BASE_Y, TOP_Y = 84.0, 14.0  # percent of a rail's height


@dataclass(frozen=True)
class RailHit:
    tick: int
    velocity: int
    own_ms: float
    slot_x: float
    x: float
    head_y: float
    width: float
    radius: float
    lean: str  # "early", "late" or "even"
    label: str
    ledger: str
    alternate: int = 0


@dataclass(frozen=True)
class Rail:
    voice: str
    name: str
    hits: tuple[RailHit, ...]
    mix: VoiceMix
    sounding: bool
    glyph: str
    alternates: int = 0
    hint: str = ""  # what about its sound one should know when writing

    @property
    def level_share(self) -> int:
        """Level as a slider position, 0-100."""
        return round((self.mix.level_db + 36) / 48 * 100)


def signed(value: float, digits: int = 1) -> str:
    """+3.2, −0.4 with a true minus, and 0 without a sign."""
    text = f"{abs(value):.{digits}f}"
    if float(text) == 0:
        return "0"
    return f"{'+' if value > 0 else '−'}{text}"


def offset_words(offset_ms: float) -> str:
    if abs(offset_ms) < 0.05:
        return "on the grid"
    return f"{abs(offset_ms):.1f} ms {'late' if offset_ms > 0 else 'early'}"


def ledger_text(line: LedgerLine, place: str) -> str:
    """The sum that explains a hit, as one line; parts are set off by '|' for the page to style."""
    name = ROLES[line.voice].name if line.voice in ROLES else line.voice
    amounts = "  ".join(f"{stage} {signed(amount)}" for stage, amount in line.amounts_ms.items() if stage != "order")
    if abs(line.amounts_ms["order"]) > 0.05:
        amounts += f"  order {signed(line.amounts_ms['order'])}"
    velocity = f"velocity {line.written_velocity}"
    for stage, amount in line.amounts_velocity.items():
        if amount:
            velocity += f"  {stage} {signed(amount, 0)}"
    return f"{name} · {place}|{amounts}|= {offset_words(line.offset_ms)}|{velocity}  = {line.velocity}"


def rail_hits(performance: Performance, voice: str, window: Window, magnify: int) -> tuple[RailHit, ...]:
    """The voice's hits in view."""
    if voice not in performance.hits.voices:
        return ()
    index = performance.hits.voices.index(voice)
    in_view = (performance.hits.tick >= window.start) & (performance.hits.tick < window.end)
    per_ms = magnify / ms_per_tick(performance.tempo_bpm)
    hits = []
    for hit in np.flatnonzero((performance.hits.voice_index == index) & in_view).tolist():
        line = performance.ledger(hit)
        place = place_name(line.tick, window.metre)
        loud = line.velocity / 127
        asked = int(performance.hits.alternate[hit])
        lean = "even" if abs(line.offset_ms) < ON_GRID_MS else ("late" if line.offset_ms > 0 else "early")
        hits.append(
            RailHit(
                tick=line.tick,
                velocity=line.written_velocity,
                own_ms=float(performance.hits.offset_ms[hit]),
                slot_x=window.x(line.tick),
                x=window.x(line.tick + line.offset_ms * per_ms),
                head_y=round(BASE_Y - (BASE_Y - TOP_Y) * (0.14 + 0.86 * loud), 2),
                width=round(2.0 + 4.2 * loud, 2),
                radius=round(2.6 + 2.6 * loud, 2),
                lean=lean,
                label=f"{ROLES[voice].name}, {place}, velocity {line.velocity}, {offset_words(line.offset_ms)}",
                ledger=ledger_text(line, place) + (f"  sound {asked + 1}" if asked else ""),
                alternate=asked,
            )
        )
    return tuple(hits)


def rails(
    voices: Iterable[str],
    performance: Performance,
    window: Window,
    magnify: int,
    mix: dict[str, VoiceMix],
    sounding: set[str],
    kit: Kit,
) -> list[Rail]:
    known = {voice.role: voice for voice in kit.voices}
    return [
        Rail(
            voice=voice,
            name=known[voice].title if voice in known else ROLES[voice].name,
            hits=rail_hits(performance, voice, window, magnify),
            mix=mix.get(voice, VoiceMix()),
            sounding=voice in sounding and voice in known,
            glyph=known[voice].sign if voice in known else ROLES[voice].glyph,
            alternates=len(known[voice].alternates) if voice in known else 0,
            hint=_hint(known.get(voice), kit),
        )
        for voice in voices
    ]


def _hint(voice: KitVoice | None, kit: Kit) -> str:
    if voice is None:
        return f"not in {kit.name}: silent"
    return "" if voice.hears_velocity else "velocity is not heard"
