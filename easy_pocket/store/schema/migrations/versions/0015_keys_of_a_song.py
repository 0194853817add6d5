"""Which MIDI notes a song's voices have, where they are other ones than those of its kits."""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    repeatable.add_column("song", sa.Column("key_map", sa.JSON()))


def downgrade() -> None:
    op.drop_column("song", "key_map")
