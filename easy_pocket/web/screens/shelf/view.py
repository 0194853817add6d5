"""The Shelf: every song with a small picture of its beat."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.bin import BinnedThing
from easy_pocket.store.songs.shelf import BinnedSong, ShelfSong

PICTURE_VOICES = 6
MAX_STROKES = 240
SOON_DAYS = 3


@dataclass(frozen=True)
class Stroke:
    x: float
    y: float
    height: float


@dataclass(frozen=True)
class ShelfCard:
    """strokes and lanes: of the picture, in percent. length_s: of the whole song. changed_s: how long ago."""

    id: int
    name: str
    tempo_bpm: float
    metre: str
    bars: int
    length_s: float
    played: str
    changed: str
    changed_s: float
    strokes: tuple[Stroke, ...]
    lanes: tuple[float, ...]

    @property
    def length_words(self) -> str:
        return f"{int(self.length_s // 60)}:{int(self.length_s % 60):02d}"

    @property
    def find_words(self) -> str:
        return f"{self.name} {self.played} {self.tempo_bpm:g} {self.metre}".lower()


@dataclass(frozen=True)
class BinLine:
    id: int
    name: str
    goes: str
    soon: bool


def shelf_cards(songs: list[ShelfSong], now: datetime | None = None) -> list[ShelfCard]:
    return [_card(song, now or _now()) for song in songs]


def bin_lines(songs: list[BinnedSong], now: datetime | None = None) -> list[BinLine]:
    return [_bin_line(song, (song.gone_at - (now or _now())).total_seconds() / 86_400) for song in songs]


@dataclass(frozen=True)
class ThingLine:
    """address: that brings it back."""

    name: str
    words: str
    address: str


def thing_lines(things: list[BinnedThing], now: datetime | None = None) -> list[ThingLine]:
    """Sounds and loops in the bin."""
    found = []
    for one in things:
        if one.gone_at is None:
            found.append(ThingLine(one.name, f"loop of {one.song_name}", f"/bin/songs/{one.song}/loops/{one.id}/back"))
            continue
        days = max(0, round((one.gone_at - (now or _now())).total_seconds() / 86_400))
        words = f"sound, gone in {days} day{'s' if days != 1 else ''}" if days else "sound, gone today"
        found.append(ThingLine(one.name, words, f"/bin/sounds/{one.id}/back"))
    return found


def _bin_line(song: BinnedSong, days: float) -> BinLine:
    whole = max(0, round(days))
    words = f"gone in {whole} day{'s' if whole != 1 else ''}" if whole else "gone today"
    return BinLine(song.id, song.name, words, whole <= SOON_DAYS)


def _now() -> datetime:
    return datetime.now(UTC).replace(tzinfo=None)


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
    played = song.kit_name if song.parts == 1 else f"{song.parts} parts"
    changed = (now - song.changed_at).total_seconds()
    return ShelfCard(
        song.id, song.name, song.tempo_bpm, str(pattern.metre), song.bars, song.length_s, played, _ago(changed),
        changed, tuple(strokes), tuple(bottoms.values()),
    )  # fmt: skip


def _ago(seconds: float) -> str:
    if seconds < 90:
        return "just now"
    if seconds < 5400:
        return f"{round(seconds / 60)} min ago"
    if seconds < 129_600:
        return f"{round(seconds / 3600)} h ago"
    return f"{round(seconds / 86_400)} days ago"
