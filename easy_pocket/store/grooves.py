"""The groove shelf: made, changed, put away; each a step in the undo log of the song it is done from."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.template_file import template_to_doc
from easy_pocket.core.groove_shape import with_slots
from easy_pocket.core.template import GrooveTemplate
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.keep import begin, finish
from easy_pocket.store.models import PartRow, SongRow, TemplateRow
from easy_pocket.store.songs import LoadedSong, check_name
from easy_pocket.store.templates import template_of_row

MOST_GROOVES = 400


def groove_rows(session: Session) -> list[TemplateRow]:
    """Those on the shelf: the user's own first, the newest first, then those of the house."""
    rows = session.scalars(select(TemplateRow).where(TemplateRow.removed.is_(False)).order_by(TemplateRow.id)).all()
    own = [row for row in rows if row.house is None]
    return [*own[::-1], *(row for row in rows if row.house is not None)]


def find_groove(session: Session, groove_id: int) -> tuple[TemplateRow, GrooveTemplate]:
    """Raises BadValueError when it is not on the shelf."""
    row = session.get(TemplateRow, groove_id)
    if row is None or row.removed:
        raise BadValueError("This groove is not on the shelf any more: choose another; undo brings it back.")
    return row, template_of_row(row)


def make_groove(session: Session, song_id: int, revision: int | None, groove: GrooveTemplate) -> LoadedSong:
    """Put a new groove on the shelf; the result names it in `just_made`. Raises BadValueError for a bad name."""
    loaded = begin(session, song_id, revision)
    return finish_groove(session, loaded, groove, [])


def finish_groove(session: Session, loaded: LoadedSong, groove: GrooveTemplate, more: list[Patch]) -> LoadedSong:
    if (session.scalar(select(func.count(TemplateRow.id)).where(TemplateRow.removed.is_(False))) or 0) >= MOST_GROOVES:
        raise BadValueError(f"{MOST_GROOVES} grooves are on the shelf; put some away first.")
    named = replace(groove, name=check_name(groove.name))
    row = TemplateRow(name=named.name, doc=_doc(named), removed=True)
    session.add(row)
    session.flush()
    patches = [field_patch("template", row, removed=False), *more]
    return replace(finish(session, loaded, f"make groove {named.name}", patches, None), just_made=row.id)


def change_slots(
    session: Session,
    song_id: int,
    revision: int,
    groove_id: int,
    lane: str,
    values: dict[int, tuple[float | None, float | None]],
    gesture: str | None = None,
) -> LoadedSong:
    """Set slots of a lane, as (offset in ms, accent)."""
    loaded = begin(session, song_id, revision)
    row, groove = find_groove(session, groove_id)
    after = with_slots(groove, lane, values)
    slots = f"slot {next(iter(values)) + 1}" if len(values) == 1 else f"{len(values)} slots"
    return _keep(session, loaded, row, after, f"{slots} of groove {row.name}", gesture)


def name_groove(session: Session, song_id: int, revision: int, groove_id: int, name: str, words: str) -> LoadedSong:
    """Another name, and what it does in words (at most 200 characters)."""
    loaded = begin(session, song_id, revision)
    row, groove = find_groove(session, groove_id)
    said = " ".join("".join(c for c in words if c.isprintable()).split())[:200]
    after = replace(groove, name=check_name(name), words=said)
    return _keep(session, loaded, row, after, f"groove {row.name} is called {after.name}", None)


def put_away_groove(session: Session, song_id: int, revision: int, groove_id: int) -> LoadedSong:
    """Off the shelf; songs that lean on it still do."""
    loaded = begin(session, song_id, revision)
    row, _ = find_groove(session, groove_id)
    patch = field_patch("template", row, removed=True)
    return finish(session, loaded, f"put groove {row.name} away", [patch], None)


def _keep(
    session: Session, loaded: LoadedSong, row: TemplateRow, after: GrooveTemplate, words: str, gesture: str | None
) -> LoadedSong:
    patch = field_patch("template", row, name=after.name, doc=_doc(after))
    _others_have_changed(session, loaded.row.id, row.id)
    return finish(session, loaded, words, [patch], gesture)


def _doc(groove: GrooveTemplate) -> dict[str, Any]:
    """As it comes back from the database, so that it can be compared with what is there."""
    doc: dict[str, Any] = json.loads(json.dumps(template_to_doc(groove)))
    return doc


def _others_have_changed(session: Session, song_id: int, groove_id: int) -> None:
    """Songs that lean on this groove sound different now: pages that show them are to look again."""
    leaning = set()
    for other, feel in session.execute(select(SongRow.id, SongRow.feel)):
        leaning |= {other} if feel.get("template_id") == groove_id else set()
    for other, feel, voices in session.execute(select(PartRow.song_id, PartRow.feel, PartRow.voice_feel)):
        if any(doc.get("template_id") == groove_id for doc in (feel, *voices.values())):
            leaning.add(other)
    changed = update(SongRow).where(SongRow.id.in_(leaning - {song_id}))
    session.execute(changed.values(revision=SongRow.revision + 1).execution_options(synchronize_session=False))
