"""The Shelf: every song with a small picture of its beat."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.songs.shelf import ShelfSong

PICTURE_VOICES = 6
MAX_STROKES = 240


@dataclass(frozen=True)
class Stroke:
    x: float
    y: float
    height: float


@dataclass(frozen=True)
class ShelfCard:
    id: int
    name: str
    facts: str
    changed: str
    strokes: tuple[Stroke, ...]
    lanes: tuple[float, ...]


def shelf_cards(songs: list[ShelfSong], now: datetime | None = None) -> list[ShelfCard]:
    return [_card(song, now or datetime.now(UTC).replace(tzinfo=None)) for song in songs]


def _card(song: ShelfSong, now: datetime) -> ShelfCard:
    pattern = song.pattern
    present = {hit.voice for hit in pattern.hits}
    order = [role for role in ROLES if role in present][:PICTURE_VOICES]
    lane = 100 / max(len(order), 3)
    bottoms = {voice: lane * (index + 0.9) for index, voice in enumerate(order)}
    strokes = [
        Stroke(
            x=round(1.5 + 97 * hit.tick / pattern.length_ticks, 2),
            y=round(bottoms[hit.voice], 2),
            height=round(lane * 0.72 * (0.2 + 0.8 * hit.velocity / 127), 2),
        )
        for hit in pattern.hits
        if hit.voice in bottoms
    ][:MAX_STROKES]
    bars = f"{song.bars} bar{'s' if song.bars != 1 else ''}"
    played = song.kit_name if song.parts == 1 else f"{song.parts} parts"
    facts = f"{song.tempo_bpm:g} bpm · {pattern.metre} · {bars} · {played}"
    changed = _ago((now - song.changed_at).total_seconds())
    return ShelfCard(song.id, song.name, facts, changed, tuple(strokes), tuple(bottoms.values()))


def _ago(seconds: float) -> str:
    if seconds < 90:
        return "changed just now"
    if seconds < 5400:
        return f"changed {round(seconds / 60)} min ago"
    if seconds < 129_600:
        return f"changed {round(seconds / 3600)} h ago"
    return f"changed {round(seconds / 86_400)} days ago"
