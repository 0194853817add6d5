"""Comments on a song: each pinned to a bar of a section, perhaps to one voice, until it is ticked off."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, NotThereError
from easy_pocket.core.pattern.voices import check_voice
from easy_pocket.core.text import one_line
from easy_pocket.store.database import Reads, viewer_of
from easy_pocket.store.schema.people_tables import CommentRow
from easy_pocket.store.schema.tables import SectionRow
from easy_pocket.store.viewer import person_of

MOST_COMMENTS, MOST_WORDS = 500, 1000


def comments_of(reads: Reads, song_id: int) -> list[CommentRow]:
    """Open ones first, each in the order it was made."""
    asked = select(CommentRow).where(CommentRow.song_id == song_id).order_by(CommentRow.done, CommentRow.id)
    return list(reads.scalars(asked))


def open_comments(reads: Reads, songs: Collection[int]) -> dict[int, int]:
    """How many are not ticked off, by song."""
    asked = select(CommentRow.song_id, func.count(CommentRow.id)).group_by(CommentRow.song_id)
    rows = reads.execute(asked.where(CommentRow.song_id.in_(songs), CommentRow.done.is_(False)))
    return {row[0]: row[1] for row in rows}


def add_comment(session: Session, song_id: int, section_id: int, bar: int, voice: str, words: str) -> CommentRow:
    """bar: of one turn of the section, from 1. voice: "" for all. Raises BadValueError for what cannot be pinned."""
    said = one_line(words, len(words))
    if not 1 <= len(said) <= MOST_WORDS:
        raise BadValueError(f"A comment has 1 to {MOST_WORDS} characters; this one has {len(said)}.")
    section = session.get(SectionRow, section_id)
    if section is None or section.song_id != song_id or not section.bars:
        raise BadValueError("This section is gone: choose another.")
    if not 1 <= bar <= section.bars:
        raise BadValueError(f"{section.name} has bars 1 to {section.bars}; {bar} is none of them.")
    if (session.scalar(select(func.count(CommentRow.id)).where(CommentRow.song_id == song_id)) or 0) >= MOST_COMMENTS:
        raise BadValueError(f"This song has {MOST_COMMENTS} comments, the most there can be.")
    viewer = viewer_of(session)
    row = CommentRow(
        song_id=song_id, section_id=section_id, bar=bar, voice=check_voice(voice) if voice else "", words=said,
        author=viewer.name if viewer else "", person_id=person_of(viewer),
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def tick_comment(session: Session, song_id: int, comment_id: int, done: bool) -> None:
    row = session.get(CommentRow, comment_id)
    if row is None or row.song_id != song_id:
        raise NotThereError("This comment is gone.")
    row.done = done
