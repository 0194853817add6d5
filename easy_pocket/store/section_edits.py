"""Sections as they are edited: one begins at a bar, gets another name, is joined with the next."""

from __future__ import annotations

from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.keep import begin, finish
from easy_pocket.store.models import SectionRow
from easy_pocket.store.sections import section_doc, spans
from easy_pocket.store.songs import LoadedSong, check_name

MOST_SECTIONS = 64


def split_section(session: Session, song_id: int, revision: int, bar: int) -> LoadedSong:
    """A section begins at this bar: the one it lies in ends before it. Raises EditRefusedError where none can."""
    loaded = begin(session, song_id, revision)
    there = next(((i, span) for i, span in spans(loaded.sections).items() if span[0] < bar <= span[1]), None)
    if there is None:
        raise EditRefusedError(f"No section can begin at bar {bar}: choose a bar inside a section, not its first one.")
    if len(loaded.sections) >= MOST_SECTIONS:
        raise EditRefusedError(f"A song has at most {MOST_SECTIONS} sections: join two of them first.")
    section_id, (first, last) = there
    place = next(number for number, row in enumerate(loaded.sections) if row.id == section_id)
    row = loaded.sections[place]
    patches = [field_patch("section", row, bars=bar - first)]
    patches += [field_patch("section", one, position=one.position + 1) for one in loaded.sections[place + 1 :]]
    added = SectionRow(
        song_id=song_id, position=row.position + 1, name=_next_name(row.name, loaded.sections), bars=last - bar + 1,
        repeats=1, cells=row.cells,
    )  # fmt: skip
    session.add(added)
    session.flush()
    patches.append({"table": "section", "id": added.id, "exists": [None, section_doc(added)]})
    return finish(session, loaded, f"{added.name} begins at bar {bar}", patches, None)


def _next_name(name: str, sections: tuple[SectionRow, ...]) -> str:
    """ "Verse 2" after "Verse", and so on: the first that is free."""
    stem = name.rstrip("0123456789 ") or name
    taken = {row.name for row in sections}
    return next(one for number in range(2, MOST_SECTIONS + 3) if (one := f"{stem[:60]} {number}") not in taken)


def name_section(session: Session, song_id: int, revision: int, section_id: int, name: str) -> LoadedSong:
    loaded = begin(session, song_id, revision)
    row = _section(loaded, section_id)
    patch = field_patch("section", row, name=check_name(name))
    return finish(session, loaded, f"rename {row.name}", [patch], None)


def join_section(session: Session, song_id: int, revision: int, section_id: int) -> LoadedSong:
    """A section and the one after it become one, under the first one's name."""
    loaded = begin(session, song_id, revision)
    row = _section(loaded, section_id)
    following = [one for one in loaded.sections if one.position > row.position]
    if not following:
        raise EditRefusedError(f"{row.name} is the last section: there is none after it to join.")
    gone = following[0]
    patches: list[Patch] = [
        field_patch("section", row, bars=row.bars + gone.bars),
        {"table": "section", "id": gone.id, "exists": [section_doc(gone), None]},
        *(field_patch("section", one, position=one.position - 1) for one in following[1:]),
    ]
    return finish(session, loaded, f"join {gone.name} to {row.name}", patches, None)


def _section(loaded: LoadedSong, section_id: int) -> SectionRow:
    row = next((row for row in loaded.sections if row.id == section_id), None)
    if row is None:
        raise EditRefusedError("This section is gone: look at the sections as they are now.")
    return row
