"""Hits as columns that can be tiled, cut and laid together: what a part plays over a stretch of the song."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.pattern.articulation import PLAIN, Articulation
from easy_pocket.core.pattern.pattern import Hit, HitArrays, Pattern

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class HitColumns:
    """Hits, each column of shape (n,).

    Voice is an index into voices, articulation into articulations (-1: plain); tick counts from the beginning of the
    stretch.
    """

    voices: tuple[str, ...]
    articulations: tuple[Articulation, ...]
    voice: Ints
    tick: Ints
    velocity: Ints
    offset_ms: Floats
    alternate: Ints
    articulation: Ints

    def __len__(self) -> int:
        return len(self.tick)

    @property
    def _columns(self) -> tuple[npt.NDArray[np.number], ...]:
        return self.voice, self.tick, self.velocity, self.offset_ms, self.alternate, self.articulation

    def take(self, which: npt.NDArray[np.integer] | Mask) -> HitColumns:
        return HitColumns(self.voices, self.articulations, *(column[which] for column in self._columns))  # type: ignore[arg-type]

    def at(self, tick: Ints) -> HitColumns:
        return replace(self, tick=tick)

    def of(self, voices: Iterable[str]) -> Mask:
        """Which hits are of these voices."""
        wanted = [number for number, voice in enumerate(self.voices) if voice in set(voices)]
        return np.isin(self.voice, wanted)

    def in_order(self) -> HitColumns:
        """By tick, then voice; of two in one place the one laid on later stays."""
        names = np.argsort(np.argsort(self.voices)) if self.voices else np.zeros(0, dtype=np.int64)
        rank = names[self.voice] if len(self) else self.voice
        order = np.lexsort((np.arange(len(self)), rank, self.tick))
        tick, ranked = self.tick[order], rank[order]
        last = np.ones(len(order), dtype=bool)
        last[:-1] = (tick[1:] != tick[:-1]) | (ranked[1:] != ranked[:-1])
        return self.take(order[last])

    def arrays(self) -> HitArrays:
        """As the core plays it: voices that have hits only, by name: it does not matter how the line was made."""
        used = np.array(sorted(np.unique(self.voice).tolist(), key=self.voices.__getitem__), dtype=np.intp)
        number = np.zeros(max(len(self.voices), 1), dtype=np.intp)
        number[used] = np.arange(len(used))
        articulated = np.flatnonzero(self.articulation >= 0)
        return HitArrays(
            voices=tuple(self.voices[place] for place in used.tolist()),
            voice_index=number[self.voice].astype(np.intp),
            tick=self.tick,
            velocity=self.velocity,
            offset_ms=self.offset_ms,
            alternate=self.alternate,
            articulated=tuple(
                (int(place), self.articulations[self.articulation[place]]) for place in articulated.tolist()
            ),
        )

    def hits(self) -> tuple[Hit, ...]:
        rows = zip(*(column.tolist() for column in self._columns), strict=True)
        return tuple(
            Hit(
                self.voices[voice],
                tick,
                velocity,
                offset,
                alternate,
                self.articulations[articulation] if articulation >= 0 else PLAIN,
            )
            for voice, tick, velocity, offset, alternate, articulation in rows
        )


_NO = np.zeros(0, dtype=np.int64)
NOTHING = HitColumns((), (), _NO, _NO, _NO, np.zeros(0), _NO, _NO)


def hit_columns(pattern: Pattern) -> HitColumns:
    """A pattern's hits; made once for each pattern."""
    known: HitColumns | None = pattern.__dict__.get("as_line")
    if known is None:
        known = pattern.__dict__["as_line"] = hit_columns_of_arrays(pattern.arrays)
    return known


def hit_columns_of_arrays(columns: HitArrays) -> HitColumns:
    """Take the columns of a pattern as they are in a song."""
    articulation = np.full(len(columns.tick), -1, dtype=np.int64)
    for number, (place, _) in enumerate(columns.articulated):
        articulation[place] = number
    return HitColumns(
        columns.voices,
        tuple(articulation for _, articulation in columns.articulated),
        columns.voice_index.astype(np.int64),
        columns.tick,
        columns.velocity,
        columns.offset_ms,
        columns.alternate,
        articulation,
    )


def hit_columns_of_hits(hits: Iterable[Hit]) -> HitColumns:
    """Single hits, as they come."""
    listed = list(hits)
    voices = tuple(dict.fromkeys(hit.voice for hit in listed))
    articulations = tuple(dict.fromkeys(hit.articulation for hit in listed if hit.articulation != PLAIN))
    return HitColumns(
        voices,
        articulations,
        np.array([voices.index(hit.voice) for hit in listed], dtype=np.int64),
        np.array([hit.tick for hit in listed], dtype=np.int64),
        np.array([hit.velocity for hit in listed], dtype=np.int64),
        np.array([hit.offset_ms for hit in listed], dtype=np.float64),
        np.array([hit.alternate for hit in listed], dtype=np.int64),
        np.array(
            [articulations.index(h.articulation) if h.articulation != PLAIN else -1 for h in listed], dtype=np.int64
        ),
    )


def merge_columns(lines: Sequence[HitColumns]) -> HitColumns:
    """One line of several, in the order given; not sorted yet."""
    lines = [line for line in lines if len(line)]
    if not lines:
        return NOTHING
    if len(lines) == 1:
        return lines[0]
    voices = tuple(dict.fromkeys(voice for line in lines for voice in line.voices))
    index_of = {voice: number for number, voice in enumerate(voices)}
    articulations: list[Articulation] = []
    moved_voice, moved_dress = [], []
    for line in lines:
        moved_voice.append(np.array([index_of[voice] for voice in line.voices], dtype=np.int64)[line.voice])
        moved_dress.append(np.where(line.articulation >= 0, line.articulation + len(articulations), -1))
        articulations += line.articulations
    return HitColumns(
        voices,
        tuple(articulations),
        np.concatenate(moved_voice),
        np.concatenate([line.tick for line in lines]),
        np.concatenate([line.velocity for line in lines]),
        np.concatenate([line.offset_ms for line in lines]),
        np.concatenate([line.alternate for line in lines]),
        np.concatenate(moved_dress),
    )
