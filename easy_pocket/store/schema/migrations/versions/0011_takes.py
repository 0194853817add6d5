"""Takes: what is played in, every pass of it."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGTEXT

from easy_pocket.store.schema import repeatable

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    repeatable.add_column("song", sa.Column("guide", sa.JSON()))
    repeatable.create_table(
        "take",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("song_id", sa.Integer(), sa.ForeignKey("song.id", ondelete="CASCADE"), nullable=False),
        sa.Column("part_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("start_tick", sa.Integer(), nullable=False),
        sa.Column("length_ticks", sa.Integer(), nullable=False),
        sa.Column("metre", sa.String(8), nullable=False),
        sa.Column("tempo_bpm", sa.Double(), nullable=False),
        sa.Column("settings", sa.JSON(), nullable=False),
        sa.Column("sews", sa.JSON(), nullable=False),
        sa.Column("removed", sa.Boolean(), nullable=False, server_default="0"),
        sa.Column("made_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
    )
    repeatable.create_index("ix_take_song_id", "take", ["song_id"])
    repeatable.create_table(
        "take_pass",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("take_id", sa.Integer(), sa.ForeignKey("take.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("source", sa.String(40), nullable=False),
        sa.Column("hits", LONGTEXT(), nullable=False),
        sa.Column("removed", sa.Boolean(), nullable=False, server_default="0"),
        sa.Column("made_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
    )
    repeatable.create_index("ix_take_pass_take_id", "take_pass", ["take_id"])
    repeatable.create_table(
        "hand",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("doc", LONGTEXT(), nullable=False),
        sa.Column("house", sa.String(40), unique=True),
        sa.Column("removed", sa.Boolean(), nullable=False, server_default="0"),
        sa.Column("made_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
    )


def downgrade() -> None:
    op.drop_column("song", "guide")
    op.drop_table("hand")
    op.drop_table("take_pass")
    op.drop_table("take")
