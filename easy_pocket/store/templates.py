"""Groove templates, open to every song."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.formats.template_file import template_from_doc, template_to_doc
from easy_pocket.core.template import GrooveTemplate
from easy_pocket.store.models import TemplateRow


def templates_by_id(session: Session) -> dict[int, GrooveTemplate]:
    """All of them, in the order they were made."""
    rows = session.scalars(select(TemplateRow).order_by(TemplateRow.id))
    return {row.id: template_from_doc(row.doc) for row in rows}


def save_template(session: Session, template: GrooveTemplate) -> int:
    row = TemplateRow(name=template.name, doc=template_to_doc(template))
    session.add(row)
    session.flush()
    return row.id
