"""The groove shelf, as it is read."""

from __future__ import annotations

from sqlalchemy import select

from easy_pocket.core.errors import NotThereError
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.store.database import Reads
from easy_pocket.store.grooves.templates import template_of_row
from easy_pocket.store.schema.tables import TemplateRow


def groove_rows(session: Reads) -> list[TemplateRow]:
    """Those on the shelf: the user's own first, the newest first, then those of the house."""
    rows = session.scalars(select(TemplateRow).where(TemplateRow.removed.is_(False)).order_by(TemplateRow.id)).all()
    own = [row for row in rows if row.house is None]
    return [*own[::-1], *(row for row in rows if row.house is not None)]


def find_groove(session: Reads, groove_id: int) -> tuple[TemplateRow, GrooveTemplate]:
    """Raises BadValueError when it is not on the shelf."""
    row = session.get(TemplateRow, groove_id)
    if row is None or row.removed:
        raise NotThereError("This groove is not on the shelf any more: choose another; undo brings it back.")
    return row, template_of_row(row)
