"""locks of a pattern, grids per voice, snapshots, lines of one's own"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from easy_pocket.store.schema import repeatable

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    repeatable.add_column("pattern", sa.Column("locks", sa.JSON(), server_default=sa.text("'{}'"), nullable=False))
    repeatable.add_column("part", sa.Column("voice_steps", sa.JSON(), server_default=sa.text("'{}'"), nullable=False))
    repeatable.create_table(
        "snapshot",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("pattern_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("length_ticks", sa.Integer(), nullable=False),
        sa.Column("hits", mysql.LONGTEXT(), nullable=False),
        sa.Column("removed", sa.Boolean(), server_default="0", nullable=False),
        sa.Column("made_at", sa.DateTime(), server_default=sa.func.now(), nullable=False),
        sa.ForeignKeyConstraint(["pattern_id"], ["pattern.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    repeatable.create_index("ix_snapshot_pattern_id", "snapshot", ["pattern_id"], unique=False)
    repeatable.create_table(
        "line",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("doc", sa.JSON(), nullable=False),
        sa.Column("removed", sa.Boolean(), server_default="0", nullable=False),
        sa.Column("created_at", sa.DateTime(), server_default=sa.func.now(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )


def downgrade() -> None:
    op.drop_table("line")
    op.drop_table("snapshot")
    op.drop_column("part", "voice_steps")
    op.drop_column("pattern", "locks")
