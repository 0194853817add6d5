"""The shelf of short lines: those of the house, and those the user keeps."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, EditRefusedError, NotThereError
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.phrases import Phrase, group_of, starter_phrases
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.text import whole_number
from easy_pocket.store.database import Reads
from easy_pocket.store.hits_json import hits_to_rows, rows_to_hits
from easy_pocket.store.schema.tables import PhraseRow
from easy_pocket.store.songs.create import check_name

OWN = "own-"
MOST_LINES = 500
MOST_HITS = 2000


def _line(row: PhraseRow) -> Phrase:
    doc = row.doc
    hits = tuple(rows_to_hits(doc["hits"]))
    group = group_of({hit.voice for hit in hits})
    return Phrase(f"{OWN}{row.id}", row.name, group, Metre(*doc["metre"]), "", doc["length_ticks"], hits)


def lines(session: Reads) -> list[Phrase]:
    """The user's own first, the newest first; then those of the house."""
    own = session.scalars(select(PhraseRow).where(PhraseRow.removed.is_(False)).order_by(PhraseRow.id.desc()))
    return [*(_line(row) for row in own), *starter_phrases().values()]


def find_phrase(session: Reads, key: str) -> Phrase:
    """Raises NotThereError for a key there is none of."""
    if key in starter_phrases():
        return starter_phrases()[key]
    number = whole_number(key.removeprefix(OWN)) if key.startswith(OWN) else None
    row = None if number is None else session.get(PhraseRow, number)
    if row is None:
        raise NotThereError("This line is gone: choose another one of the list.")
    return _line(row)


def store_phrase(session: Session, name: str, hits: tuple[Hit, ...], length_ticks: int, metre: Metre) -> Phrase:
    """Raises BadValueError for a name, hits or a length that cannot be kept."""
    if not 1 <= len(hits) <= MOST_HITS:
        raise BadValueError(f"A line has 1 to {MOST_HITS} hits; {len(hits)} are chosen.")
    if (session.scalar(select(func.count(PhraseRow.id)).where(PhraseRow.removed.is_(False))) or 0) >= MOST_LINES:
        raise BadValueError(f"{MOST_LINES} lines are kept; remove some first.")
    kept = Pattern(length_ticks, hits, metre)  # refuses what no pattern could hold
    doc: dict[str, object] = {
        "hits": hits_to_rows(kept.hits),
        "length_ticks": length_ticks,
        "metre": [metre.beats, metre.unit],
    }
    row = PhraseRow(name=check_name(name), doc=doc)
    session.add(row)
    session.flush()
    return _line(row)


def remove_phrase(session: Session, key: str, removed: bool) -> None:
    """Take one of the user's lines off the shelf, or put it back; those of the house stay."""
    find_phrase(session, key)
    if not key.startswith(OWN):
        raise EditRefusedError("Built-in lines stay; only your own can be removed.")
    row = session.get(PhraseRow, int(key.removeprefix(OWN)))
    assert row is not None
    row.removed = removed
