"""Columns of a song carry the field's terms; what the undo log says about them goes by the new names too."""

from __future__ import annotations

import json
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGTEXT

from easy_pocket.store.schema import repeatable

revision = "0009"
down_revision = "0008"

NAMES: dict[str, tuple[str, Any]] = {
    "under": ("layered_loops", sa.JSON()),
    "doubles": ("collision_choices", sa.JSON()),
    "kept": ("sections_before_flatten", LONGTEXT()),
}


def upgrade() -> None:
    _rename({old: new for old, (new, _) in NAMES.items()}, flat="sections_before_flatten")


def downgrade() -> None:
    _rename({new: old for old, (new, _) in NAMES.items()}, flat="kept")


def _rename(names: dict[str, str], flat: str) -> None:
    """First what is written about the columns, which can be done again without harm; flat: the column of the sections
    before flattening, as it is called afterwards."""
    types = {name: kind for old, (new, kind) in NAMES.items() for name in (old, new)}
    _rename_in_undo_log(names, flat)
    _rename_in_edit_log(names)
    for before, after in names.items():
        repeatable.rename_column("song", before, after, types[before])
    connection = op.get_bind()
    rows = connection.execute(sa.text(f"SELECT id, {flat} FROM song WHERE {flat} IS NOT NULL")).all()
    for song_id, doc in rows:
        statement = sa.text(f"UPDATE song SET {flat} = :doc WHERE id = :id")
        connection.execute(statement, {"doc": _renamed(doc, names), "id": song_id})


def _renamed(doc: str | None, names: dict[str, str]) -> str | None:
    """The sections before flattening, which hold two of the other columns."""
    if doc is None:
        return None
    return json.dumps({names.get(name, name): value for name, value in json.loads(doc).items()})


def _rename_in_undo_log(names: dict[str, str], flat: str) -> None:
    connection = op.get_bind()
    rows = connection.execute(
        sa.text("""SELECT id, patches FROM change_log WHERE patches LIKE '%"table": "song"%'""")
    ).all()
    for step_id, written in rows:
        patches = json.loads(written)
        for patch in patches:
            if patch["table"] != "song" or "fields" not in patch:
                continue
            fields = {names.get(name, name): values for name, values in patch["fields"].items()}
            if flat in fields:
                fields[flat] = [_renamed(doc, names) for doc in fields[flat]]
            patch["fields"] = fields
        statement = sa.text("UPDATE change_log SET patches = :patches WHERE id = :id")
        connection.execute(statement, {"patches": json.dumps(patches), "id": step_id})


def _rename_in_edit_log(names: dict[str, str]) -> None:
    for before, after in names.items():
        pattern, wanted = f"(song/[0-9]+/){before}\\b", f"\\1{after}"
        statement = sa.text(
            "UPDATE edit_log SET touched = REGEXP_REPLACE(touched, :pattern, :wanted) WHERE touched LIKE '%song/%'"
        )
        op.get_bind().execute(statement.bindparams(pattern=pattern, wanted=wanted))
