"""ideas pinned, taken and dropped"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from easy_pocket.store.schema import repeatable

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    repeatable.create_table(
        "idea",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("song_id", sa.Integer(), nullable=False),
        sa.Column("pattern_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("doc", mysql.LONGTEXT(), nullable=False),
        sa.Column("made_at", sa.DateTime(), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["song_id"], ["song.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["pattern_id"], ["pattern.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    repeatable.create_index("idea_in_order", "idea", ["song_id", "id"])


def downgrade() -> None:
    op.drop_table("idea")
