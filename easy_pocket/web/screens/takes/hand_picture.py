"""A hand as a picture: its lean by slot, its accents below."""

from __future__ import annotations

from dataclasses import dataclass

from easy_pocket.core.takes.hand import Hand
from easy_pocket.core.takes.hand_player import hand_groove

WIDTH, LEFT, MIDDLE, REACH, FOOT = 240.0, 30.0, 30.0, 22.0, 78.0
MS_OF_REACH = 15.0


@dataclass(frozen=True)
class HandSlot:
    x: float
    y: float
    lean_ms: float
    accent: float
    side: str
    strong: bool
    known: bool
    label: str

    @property
    def told(self) -> str:
        return f"{self.lean_ms:+.1f} ms".replace("-", "−")


def hand_picture(hand: Hand) -> list[HandSlot]:
    """One bar of slots: how far each is off its swung place, and how hard it is struck."""
    groove = hand_groove(hand)
    lane = groove.lanes["all"]
    swing_ms = (hand.swing_percent.value - 50) / 100 * 2 * hand.step_ticks * 60_000 / hand.tempo_bpm / 960
    found = []
    per_beat = max(hand.metre.beat_ticks // hand.step_ticks, 1)
    step = (WIDTH - LEFT - 9) / max(hand.slots - 1, 1)
    for slot, (offset_ms, accent) in enumerate(zip(lane.offset_ms, lane.accent, strict=True)):
        lean = offset_ms - (slot % 2) * swing_ms
        beat, inside = divmod(slot, per_beat)
        label = str(beat + 1) if not inside else "&" if per_beat == 4 and inside == 2 else ""
        y = MIDDLE + max(-1.0, min(1.0, lean / MS_OF_REACH)) * REACH
        side = "early" if lean < -2 else "late" if lean > 2 else ""
        found.append(
            HandSlot(
                round(LEFT + slot * step, 1),
                round(y, 1),
                lean,
                accent,
                side,
                accent > 0.85,
                not lane.guessed[slot],
                label,
            )
        )
    return found
