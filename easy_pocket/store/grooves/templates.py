"""Groove templates, open to every song."""

from __future__ import annotations

import json
from collections.abc import Collection

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.caches import ByteCache
from easy_pocket.core.feel.house_grooves import house_grooves
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.formats.groove_json import template_from_doc, template_to_doc
from easy_pocket.store.database import Reads
from easy_pocket.store.schema.tables import HOUSE, TemplateRow
from easy_pocket.store.scope import of_everybody


def templates_by_id(session: Reads, ids: Collection[int]) -> dict[int, GrooveTemplate]:
    """Groove templates a song names, by id, whosever they are and also those off the shelf; ids that do not exist are
    left out."""
    if not ids:
        return {}
    rows = session.scalars(of_everybody(select(TemplateRow).where(TemplateRow.id.in_(ids))))
    return {row.id: template_of_row(row) for row in rows}


def find_template(session: Reads, template_id: int) -> GrooveTemplate | None:
    """One somebody chooses: theirs, or of the house."""
    row = session.scalar(select(TemplateRow).where(TemplateRow.id == template_id))
    return None if row is None else template_of_row(row)


def groove_names(session: Reads) -> list[tuple[int, str]]:
    """(id, name) of every groove on the shelf, in the order they were made."""
    asked = select(TemplateRow.id, TemplateRow.name).where(TemplateRow.removed.is_(False)).order_by(TemplateRow.id)
    return [(key, name) for key, name in session.execute(asked)]


def template_of_row(row: TemplateRow) -> GrooveTemplate:
    doc = json.dumps(row.doc)
    return _templates.get(doc, lambda: template_from_doc(json.loads(doc)))


_templates: ByteCache[GrooveTemplate] = ByteCache("grooves", 16 << 20)


def save_template(session: Session, template: GrooveTemplate, house: str | None = None) -> int:
    row = TemplateRow(name=template.name, doc=template_to_doc(template), house=house)
    row.owner_id = HOUSE if house else row.owner_id
    session.add(row)
    session.flush()
    return row.id


def save_house_grooves(session: Session) -> None:
    """Those of the house that are not there yet; what the user made of the others stays."""
    there = set(session.scalars(select(TemplateRow.house).where(TemplateRow.house.is_not(None))))
    for key, groove in house_grooves().items():
        if key not in there:
            save_template(session, groove, key)
