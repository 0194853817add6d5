"""parts with cycles and rules of their own, sections with joins and variations"""

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from easy_pocket.store.schema import repeatable

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

WHOLE = ("player", "rotation_ticks")
NUMBERS = ("change_percent", "level_db")


def upgrade() -> None:
    repeatable.add_column("song", sa.Column("doubles", sa.JSON(), nullable=True))
    repeatable.add_column("song", sa.Column("kept", mysql.LONGTEXT(), nullable=True))
    for name in WHOLE:
        repeatable.add_column("part", sa.Column(name, sa.Integer(), server_default="0", nullable=False))
    for name in NUMBERS:
        repeatable.add_column("part", sa.Column(name, sa.Double(), server_default="0", nullable=False))
    repeatable.add_column("part", sa.Column("bars", sa.String(length=64), server_default="", nullable=False))
    repeatable.add_column("part", sa.Column("pattern_order", sa.JSON(), server_default=sa.text("'[]'"), nullable=False))
    repeatable.add_column("part", sa.Column("seed", sa.BigInteger(), server_default="1", nullable=False))
    repeatable.add_column("part", sa.Column("fills", sa.Boolean(), server_default="1", nullable=False))
    for name in ("mute", "solo", "removed"):
        repeatable.add_column("part", sa.Column(name, sa.Boolean(), server_default="0", nullable=False))
    repeatable.add_column("pattern", sa.Column("removed", sa.Boolean(), server_default="0", nullable=False))
    repeatable.add_column("section", sa.Column("joins", sa.JSON(), server_default=sa.text("'[]'"), nullable=False))
    repeatable.add_column("section", sa.Column("parent_id", sa.Integer(), nullable=True))
    repeatable.add_column("section", sa.Column("own", sa.JSON(), server_default=sa.text("'[]'"), nullable=False))
    repeatable.add_column("section", sa.Column("notes", sa.String(length=2000), server_default="", nullable=False))
    repeatable.add_column("section", sa.Column("mark", sa.String(length=12), server_default="", nullable=False))
    _begin_inside_the_pattern()


def _begin_inside_the_pattern() -> None:
    """Sections were stretches of one pattern, one after another: now each says where in it it begins."""
    connection = op.get_bind()
    rows = connection.execute(
        sa.text(
            "SELECT s.id, s.song_id, s.bars, s.cells, g.metre_beats, g.metre_unit FROM section s "
            "JOIN song g ON g.id = s.song_id ORDER BY s.song_id, s.position"
        )
    ).all()
    song, begun = None, 0
    for row in rows:
        if row.song_id != song:
            song, begun = row.song_id, 0
        bar_ticks = 3840 // row.metre_unit * row.metre_beats
        if begun:
            cells = {part: {**cell, "start": begun * bar_ticks} for part, cell in json.loads(row.cells).items()}
            connection.execute(
                sa.text("UPDATE section SET cells = :cells WHERE id = :id"), {"cells": json.dumps(cells), "id": row.id}
            )
        begun += row.bars


def downgrade() -> None:
    for name in ("joins", "parent_id", "own", "notes", "mark"):
        op.drop_column("section", name)
    op.drop_column("pattern", "removed")
    for name in ("bars", "pattern_order", "seed", "fills", "mute", "solo", "removed", *WHOLE, *NUMBERS):
        op.drop_column("part", name)
    op.drop_column("song", "doubles")
    op.drop_column("song", "kept")
