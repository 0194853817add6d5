"""When a sound went into the bin."""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    repeatable.add_column("sound", sa.Column("removed_at", sa.DateTime()))


def downgrade() -> None:
    op.drop_column("sound", "removed_at")
