"""Where the sounds of a song stand: its chains, groups, rooms and settings."""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    repeatable.add_column("song", sa.Column("stage", sa.JSON()))


def downgrade() -> None:
    op.drop_column("song", "stage")
