"""The Shelf: every song with a small picture of its beat."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.home.dumps import dumps_in
from easy_pocket.store.bin import BinnedThing, binned_things
from easy_pocket.store.bin_days import bin_days
from easy_pocket.store.database import Database, Reader
from easy_pocket.store.kits.kits import listed_kits
from easy_pocket.store.songs.shelf import BinnedSong, ShelfSong, binned, shelf
from easy_pocket.store.upkeep import sizes
from easy_pocket.web.shared.dependencies import viewer_of
from easy_pocket.web.shared.render import page

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
    """strokes and lanes: of the picture, in percent. length_s: of the whole song. changed_s: how long ago.
    steps: of its history. owner: whose it is, if not of who looks."""

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
    steps: int
    owner: str = ""

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
    """address: that brings it back. ends: it does not wait for ever."""

    name: str
    words: str
    address: str
    ends: bool = True


def thing_lines(things: list[BinnedThing], now: datetime | None = None) -> list[ThingLine]:
    """Sounds and loops in the bin."""
    found = []
    for one in things:
        if one.gone_at is None:
            found.append(
                ThingLine(
                    one.name, f"loop of {one.song_name}", f"/bin/songs/{one.song}/loops/{one.id}/back", ends=False
                )
            )
            continue
        days = max(0, round((one.gone_at - (now or _now())).total_seconds() / 86_400))
        words = f"{one.kind}, gone in {days} day{'s' if days != 1 else ''}" if days else f"{one.kind}, gone today"
        found.append(ThingLine(one.name, words, f"/bin/{one.kind}s/{one.id}/back"))
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
        changed, tuple(strokes), tuple(bottoms.values()), song.steps, song.owner,
    )  # fmt: skip


def _ago(seconds: float) -> str:
    if seconds < 90:
        return "just now"
    if seconds < 5400:
        return f"{round(seconds / 60)} min ago"
    if seconds < 129_600:
        return f"{round(seconds / 3600)} h ago"
    return f"{round(seconds / 86_400)} days ago"


def shelf_values(request: Request, reader: Reader) -> dict[str, object]:
    """Songs, what is in the bin, kits, dumps, and how much is kept in all."""
    viewer = viewer_of(request)
    return {
        "runs_it": viewer is None or viewer.role == "owner",
        "cards": shelf_cards(shelf(reader)),
        "bin": bin_lines(binned(reader)),
        "bin_days": bin_days(),
        "things": thing_lines(binned_things(reader)),
        "kept": sizes(reader) if viewer is None else None,
        "kits": listed_kits(reader),
        "dumps": dump_lines(request),
    }


def dump_lines(request: Request) -> list[DumpLine]:
    """The newest first."""
    return [
        DumpLine(one.name, one.stat().st_size / 1e6, datetime.fromtimestamp(one.stat().st_mtime, UTC))
        for one in dumps_in(request.app.state.home)[::-1]
    ]


def answer_cards(request: Request, store: Database) -> Response:
    """The cards, and what stands beside them, as they are now."""
    return page(request, "shelf/_cards.html", shelf_values(request, store.reader))


@dataclass(frozen=True)
class DumpLine:
    """One of our own dumps; made: in UTC."""

    name: str
    size_mb: float
    made: datetime
