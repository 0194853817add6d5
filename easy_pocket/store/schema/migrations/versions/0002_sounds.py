"""sounds of the library; kits that can be edited"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from easy_pocket.store.schema import repeatable

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    repeatable.create_table(
        "sound",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=40), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("role", sa.String(length=30), nullable=False),
        sa.Column("source", sa.String(length=10), nullable=False),
        sa.Column("doc", sa.JSON(), nullable=False),
        sa.Column("bright_hz", sa.Double(), nullable=False),
        sa.Column("length_s", sa.Double(), nullable=False),
        sa.Column("noisy", sa.Double(), nullable=False),
        sa.Column("pitch_hz", sa.Double(), nullable=True),
        sa.Column("thirds_db", mysql.TINYBLOB(), nullable=False),
        sa.Column("picture", mysql.TINYBLOB(), nullable=False),
        sa.Column("favourite", sa.Boolean(), server_default="0", nullable=False),
        sa.Column("used_at", mysql.DATETIME(fsp=3), nullable=True),
        sa.Column("removed", sa.Boolean(), server_default="0", nullable=False),
        sa.Column("version", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("key"),
    )
    repeatable.create_index("sound_version", "sound", ["version"], unique=False)
    repeatable.add_column("kit", sa.Column("key_note", sa.Integer(), nullable=True))
    repeatable.add_column("kit", sa.Column("edited", sa.Boolean(), server_default="0", nullable=False))


def downgrade() -> None:
    op.drop_column("kit", "edited")
    op.drop_column("kit", "key_note")
    op.drop_table("sound")
