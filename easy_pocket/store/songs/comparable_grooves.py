"""What can be compared as a groove: those of the shelf, and those a song's loops and takes hold."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from easy_pocket.core.errors import EditRefusedError, NotThereError, PocketError
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.takes.take_groove import FEWEST_HITS, take_groove
from easy_pocket.store.database import Reads
from easy_pocket.store.grooves.shelf import find_groove, groove_rows
from easy_pocket.store.grooves.templates import template_of_row
from easy_pocket.store.loops.loops import analysis_from_doc, get_loop, loops_of
from easy_pocket.store.schema.tables import LoopRow, TakeRow
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.takes.takes import laid, load_take, takes_of

MOST_TAKES = 12  # the newest


@dataclass(frozen=True)
class Comparable:
    """key: "12" of the shelf, "loop-3", "take-4". kind: "groove", "loop" or "take"."""

    key: str
    name: str
    kind: str
    groove: GrooveTemplate


def comparable(reads: Reads, song: LoadedSong) -> list[Comparable]:
    """Those of the shelf first; loops and takes in which too little is heard are left out."""
    found = [Comparable(str(row.id), row.name, "groove", template_of_row(row)) for row in groove_rows(reads)]
    return [*found, *_of_loops(reads, song), *_of_takes(reads, song)]


def find_comparable(reads: Reads, song: LoadedSong, key: str) -> GrooveTemplate:
    """Raises NotThereError for one that is gone."""
    if key.isdigit():
        return find_groove(reads, int(key))[1]
    kind, _, number = key.partition("-")
    if kind == "loop":
        return _loop_groove(get_loop(reads, song.id, int(number)))
    row = next((one for one in takes_of(reads, song.id) if one.id == int(number)), None)
    groove = _take_groove(reads, song, row) if row else None
    if groove is None:
        raise NotThereError("This take is gone, or has too few hits to be a groove: choose another point of the map.")
    return groove


def _of_loops(reads: Reads, song: LoadedSong) -> Iterator[Comparable]:
    for row in loops_of(reads, song.id):
        try:
            groove = _loop_groove(row)
        except PocketError:
            continue
        yield Comparable(f"loop-{row.id}", row.name, "loop", groove)


def _loop_groove(row: LoopRow) -> GrooveTemplate:
    heard = analysis_from_doc(row.found)
    if len(heard.onsets) < FEWEST_HITS:
        raise EditRefusedError("Too few hits are heard in this loop for a groove: add some by hand on Loops.")
    return extract_template(heard.onsets, heard.reading, row.name.rsplit(".", 1)[0], row.name, 1)


def _of_takes(reads: Reads, song: LoadedSong) -> Iterator[Comparable]:
    for row in takes_of(reads, song.id)[:MOST_TAKES]:
        groove = _take_groove(reads, song, row)
        if groove is not None:
            yield Comparable(f"take-{row.id}", row.name, "take", groove)


def _take_groove(reads: Reads, song: LoadedSong, row: TakeRow) -> GrooveTemplate | None:
    take = laid(load_take(reads, row), song.feel)
    return take_groove(take.sewn, row.name, take.take.bars.metre, take.take.bars.tempo_bpm)
