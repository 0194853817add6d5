"""Steps of migrations that can be made again: MariaDB commits each table by itself, so a program that is killed in the
middle of a migration begins it anew at its next start, and finds a part of it done."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op


def create_table(name: str, *columns: Any) -> None:
    op.create_table(name, *columns, if_not_exists=True)


def create_index(name: str, table: str, columns: list[str], *, unique: bool = False) -> None:
    op.create_index(name, table, columns, unique=unique, if_not_exists=True)


def add_column(table: str, column: sa.Column[Any]) -> None:
    op.add_column(table, column, if_not_exists=True)


def create_unique_constraint(name: str, table: str, columns: list[str]) -> None:
    known = {one["name"] for one in sa.inspect(op.get_bind()).get_unique_constraints(table)}
    if name not in known:
        op.create_unique_constraint(name, table, columns)


def rename_column(table: str, before: str, after: str, kind: Any) -> None:
    if before in {one["name"] for one in sa.inspect(op.get_bind()).get_columns(table)}:
        op.alter_column(table, before, new_column_name=after, existing_type=kind, existing_nullable=True)


def person_column() -> sa.Column[Any]:
    """Whose a row is: gone with the person."""
    return _row_of("person")


def song_column() -> sa.Column[Any]:
    return _row_of("song")


def _row_of(table: str) -> sa.Column[Any]:
    return sa.Column(f"{table}_id", sa.Integer(), sa.ForeignKey(f"{table}.id", ondelete="CASCADE"), nullable=False)
