"""Everything the Takes screen shows of a song: what is under the hands, the passes of a take, how they are sewn."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cached_property
from typing import Any

import numpy as np

from easy_pocket.core.pattern.timebase import GRID_NAMES, GRID_TICKS, ms_per_tick, parse_metre
from easy_pocket.core.takes.alignment import better_grid
from easy_pocket.core.takes.pads import ROW_VELOCITIES, default_pads
from easy_pocket.core.takes.sewing import LaidPass, overlaps, seams
from easy_pocket.core.text import counted
from easy_pocket.store.database import Reader
from easy_pocket.store.kits.kits import register_voices
from easy_pocket.store.songs.guide import Guide, guide_of
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.takes.hands import ListedHand, hands
from easy_pocket.store.takes.takes import LaidTake, laid, load_take, takes_of
from easy_pocket.web.screens.takes.pad_data import notes_of, pad_of
from easy_pocket.web.screens.takes.shapes import Pad, TakesData
from easy_pocket.web.screens.takes.take_data import VoiceShown, felt_of, take_data
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.render import render

NAMES = {ticks: GRID_NAMES[name] for name, ticks in GRID_TICKS.items()}
MOST_BARS = 16
MOST_DOTS = 48
STEPS = (GRID_TICKS["8"], GRID_TICKS["8T"], GRID_TICKS["16"], GRID_TICKS["16T"], GRID_TICKS["32"])


def signed(ms: float) -> str:
    return f"{ms:+.1f}".replace("-", "−")


@dataclass(frozen=True)
class PassRowShown:
    """One pass in the list: its figures against the feel, and what is sewn of it."""

    id: int
    name: str
    age: str
    mean_ms: float
    spread_ms: float
    count: int
    sewn: str
    wrong: str
    wrong_step: int
    dots: list[tuple[float, float]]

    @property
    def side(self) -> str:
        return "early" if self.mean_ms < -2 else "late" if self.mean_ms > 2 else ""

    @property
    def mean(self) -> str:
        return signed(self.mean_ms)


def age_words(seconds: float) -> str:
    if seconds < 5:
        return "just now"
    if seconds < 100:
        return f"{seconds:.0f} s ago"
    if seconds < 5400:
        return f"{seconds / 60:.0f} min ago"
    if seconds < 36 * 3600:
        return f"{seconds / 3600:.0f} h ago"
    return f"{seconds / 86_400:.0f} days ago"


class TakesView:
    """take: the one the page asked for, else the newest of the part that is looked at."""

    def __init__(self, song: LoadedSong, view: View, reader: Reader) -> None:
        self.song, self.reader = song, reader
        self.rows = [row for row in takes_of(reader, song.id) if any(one.id == row.part_id for one in song.parts)]
        asked = next((row for row in self.rows if row.id == view.take), None)
        row = asked or next((row for row in self.rows if row.part_id == song.part.id), None)
        self.laid: LaidTake | None = None
        if row is not None:
            feel = next(one.feel for one in song.parts if one.id == row.part_id)
            self.laid = laid(load_take(reader, row), feel)
        register_voices(song.kit)

    @property
    def take(self) -> Any:
        return self.laid.take if self.laid else None

    @property
    def columns(self) -> tuple[str, ...]:
        return default_pads(self.song.kit.roles, self.song.part.voices)

    @property
    def row_velocities(self) -> tuple[int, ...]:
        return ROW_VELOCITIES

    @property
    def pads(self) -> list[Pad]:
        return [pad_of(self.song, voice) for voice in self.song.kit.voices]

    @property
    def spans(self) -> list[tuple[int, int, str]]:
        """What can be gone round: first bar, how many, in words."""
        bars = max(round(self.song.pattern.length_ticks / self.song.metre.bar_ticks), 1)
        found = [(1, bars, "the pattern" if bars == 1 else f"bars 1–{bars}")]
        longer = [count for count in (2, 4, 8, MOST_BARS) if count > bars]
        found += [(1, count, f"{count} bars") for count in longer]
        if bars > 1:
            found += [(first, 1, f"bar {first}") for first in range(1, min(bars, MOST_BARS) + 1)]
            halves = [(first, 2) for first in range(1, min(bars, MOST_BARS), 2)] if bars > 2 else []
            found += [(first, count, f"bars {first}–{first + count - 1}") for first, count in halves]
        return found

    @property
    def sections(self) -> list[tuple[int, str, int]]:
        """Sections that can go round: their ids, names, and lengths in ticks."""
        return [
            (one.id, one.name, one.bars * (parse_metre(one.metre) if one.metre else self.song.metre).bar_ticks)
            for one in self.song.sections
            if one.bars
        ]

    @property
    def part_name(self) -> str:
        return self.song.part.name

    @property
    def target(self) -> str:
        """Where a result is written."""
        if self.laid is not None and self.laid.take.section_id:
            name = next((one.name for one in self.song.sections if one.id == self.laid.take.section_id), "the section")
            return f"{self.song.part.name} in {name}"
        return f"{self.song.part.name} {self.song.pattern_name}"

    @property
    def song_words(self) -> str:
        """Which time through the song the take is of."""
        return f"song {self.laid.take.song_take}" if self.laid is not None else ""

    @property
    def writes_here(self) -> bool:
        return self.laid is not None and self.laid.take.part_id == self.song.part.id

    @cached_property
    def passes(self) -> list[PassRowShown]:
        """The newest first."""
        if self.laid is None:
            return []
        now = datetime.now(UTC).replace(tzinfo=None)
        found = []
        for one, shown in zip(self.laid.passes, self.laid.take.passes, strict=True):
            found.append(self._pass(one, shown, (now - shown.made_at).total_seconds()))
        return found[::-1]

    def _pass(self, one: LaidPass, shown: Any, age_s: float) -> PassRowShown:
        assert self.laid is not None
        off_ms = one.aligned.off_ms
        wrong, step = self._wrong_grid(one)
        bars = sorted({sew.bar + 1 for sew in self.laid.take.sews if sew.key == one.key})
        spread = np.clip(off_ms, -30, 30) if len(off_ms) else off_ms
        shift = np.mod(np.arange(len(spread)) * 5, 9) - 4.0
        return PassRowShown(
            one.key,
            shown.name,
            age_words(age_s),
            float(off_ms.mean()) if len(off_ms) else 0.0,
            float(off_ms.std()) if len(off_ms) else 0.0,
            len(off_ms),
            bars_words(bars),
            wrong,
            step,
            list(zip(np.round(42 + spread * 1.4, 1).tolist(), (shift + 6).tolist(), strict=True))[:MOST_DOTS],
        )

    def _wrong_grid(self, one: LaidPass) -> tuple[str, int]:
        """Another grid that this pass lies on much better than on that of the take."""
        assert self.laid is not None
        spread_ms = float(np.sqrt((one.aligned.off_ms**2).mean())) if len(one.aligned.off_ms) else 0.0
        best = better_grid(one.aligned.played.time_ms, spread_ms, self.laid.take.bars)
        return (f"{NAMES[best.step_ticks]} fit, ±{best.spread_ms:.1f}", best.step_ticks) if best else ("", 0)

    @property
    def grid_words(self) -> str:
        assert self.laid is not None
        slots = self.laid.slots
        swing = f", swing {slots.swing_percent:.0f} %" if slots.swing_percent > 50.5 else ""
        return f"{NAMES.get(slots.step_of_all, 'slots')}{swing}"

    @property
    def grids(self) -> list[tuple[int, str, bool]]:
        chosen = self.laid.take.step_ticks if self.laid else 0
        return [(0, "grid as played", chosen == 0), *((step, NAMES[step], chosen == step) for step in STEPS)]

    @cached_property
    def voices(self) -> list[VoiceShown]:
        """Of the result."""
        if self.laid is None:
            return []
        found = []
        offs: dict[str, list[float]] = {}
        felt = felt_of(self.laid)
        for hit in self.laid.sewn:
            offs.setdefault(hit.hit.voice, []).append(hit.time_ms - felt[(hit.key, hit.hit.voice, hit.hit.tick)])
        known = {voice.role: voice for voice in self.song.kits[self._part.kit_key].voices}
        for voice in self.laid.take.voices:
            pull = self.laid.take.pulls.get(voice, 0.0)
            own = np.array(offs.get(voice, [])) * (1 - pull / 100)
            mean = float(own.mean()) if len(own) else 0.0
            side = "early" if mean < -2 else "late" if mean > 2 else ""
            kit_voice = known.get(voice)
            found.append(
                VoiceShown(
                    voice,
                    kit_voice.title if kit_voice else voice,
                    kit_voice.sign if kit_voice else "square",
                    signed(mean) if len(own) else "–",
                    side,
                    float(own.std()) if len(own) else 0.0,
                    pull,
                )
            )
        return found

    @property
    def _part(self) -> Any:
        assert self.laid is not None
        return next(one for one in self.song.parts if one.id == self.laid.take.part_id)

    @property
    def pull(self) -> float:
        """Of the voices that are pulled."""
        pulls = [one.pull for one in self.voices if one.pull]
        return max(pulls, default=0.0)

    @property
    def seam_words(self) -> str:
        if self.laid is None or not self.laid.take.sews:
            return "press bars of passes to sew them in"
        take = self.laid.take
        all_of_them, bad = seams(take.sews, take.bars.bars), overlaps(self.laid.sewn, take.sews, take.bars)
        if not all_of_them:
            return "one pass, no seams"
        if bad:
            return f"strokes cross at bar {', '.join(str(bar + 1) for bar in bad)}"
        count = len(all_of_them)
        return (
            f"{counted(count, 'seam')}, {'both' if count == 2 else 'all'} clear of hits"
            if count > 1
            else "1 seam, clear of hits"
        )

    @property
    def hit_count(self) -> int:
        return sum(one.count for one in self.passes)

    @property
    def hands(self) -> list[ListedHand]:
        return hands(self.reader)

    @property
    def guide(self) -> Guide | None:
        return guide_of(self.song.guide_doc)

    @property
    def guide_columns(self) -> list[tuple[int, float, float]]:
        """Its size as upright lines: x, top, height."""
        picture = self.guide.picture if self.guide else ()
        return [(x, round(17 - 15 * size, 1), round(30 * size, 1)) for x, size in enumerate(picture)][::2]

    @property
    def guide_start(self) -> float:
        """Where its bar one is, across its picture."""
        return round(240 * self.guide.start_s / max(self.guide.duration_s, 1e-9), 1) if self.guide else 0.0

    def fragments(self) -> dict[str, str]:
        values = {"takes": self, "song": self.song}
        return {
            "takes-spans": render("takes/_spans.html", **values),
            "takes-tools": render("takes/_tools.html", **values),
            "takes-passes": render("takes/_passes.html", **values),
            "takes-result": render("takes/_result.html", **values),
            "takes-guide": render("takes/_guide.html", **values),
            "takes-hands": render("takes/_hands.html", **values),
        }

    def data(self) -> TakesData:
        song = self.song
        return {
            "pads": self.pads,
            "columns": list(self.columns),
            "notes": notes_of(song),
            "sections": {key: ticks for key, _, ticks in self.sections},
            "kit": song.kit.key,
            "part": song.part.id,
            "bar_ticks": song.metre.bar_ticks,
            "pattern_ticks": song.pattern.length_ticks,
            "tick_ms": ms_per_tick(song.tempo_bpm),
            "tempo_bpm": song.tempo_bpm,
            "take": take_data(self.laid, self.voices) if self.laid else None,
        }


def bars_words(bars: list[int]) -> str:
    """ "bars 1-2, 4", and nothing for none."""
    runs: list[list[int]] = []
    for bar in bars:
        if runs and runs[-1][1] == bar - 1:
            runs[-1][1] = bar
        else:
            runs.append([bar, bar])
    told = ", ".join(str(first) if first == last else f"{first}–{last}" for first, last in runs)
    return f"{'bar' if len(bars) == 1 else 'bars'} {told}" if told else ""
