"""Groove templates, open to every song."""

from __future__ import annotations

import json
from functools import lru_cache

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.formats.template_file import template_from_doc, template_to_doc
from easy_pocket.core.template import GrooveTemplate
from easy_pocket.store.models import TemplateRow


def templates_by_id(session: Session) -> dict[int, GrooveTemplate]:
    """All of them, in the order they were made."""
    rows = session.scalars(select(TemplateRow).order_by(TemplateRow.id))
    return {row.id: _template(json.dumps(row.doc)) for row in rows}


@lru_cache(maxsize=256)
def _template(doc: str) -> GrooveTemplate:
    return template_from_doc(json.loads(doc))


def save_template(session: Session, template: GrooveTemplate) -> int:
    row = TemplateRow(name=template.name, doc=template_to_doc(template))
    session.add(row)
    session.flush()
    return row.id
