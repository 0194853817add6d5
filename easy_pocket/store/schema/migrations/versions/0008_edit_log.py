"""Edits by the id their page gave them, and what each touched."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGTEXT

from easy_pocket.store.schema import repeatable

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    repeatable.create_table(
        "edit_log",
        sa.Column("id", sa.BigInteger, primary_key=True, autoincrement=True),
        sa.Column("song_id", sa.Integer, sa.ForeignKey("song.id", ondelete="CASCADE"), nullable=False),
        sa.Column("edit_id", sa.String(64)),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("words", sa.Text, nullable=False),
        sa.Column("touched", LONGTEXT, nullable=False),
        sa.Column("facts", sa.JSON, nullable=False),
        sa.Column("made_at", sa.DateTime, server_default=sa.func.now(), nullable=False),
    )
    repeatable.create_index("edit_once", "edit_log", ["song_id", "edit_id"], unique=True)
    repeatable.create_index("edit_by_revision", "edit_log", ["song_id", "revision"])


def downgrade() -> None:
    op.drop_table("edit_log")
