"""When a kit went into the bin."""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    repeatable.add_column("kit", sa.Column("removed_at", sa.DateTime()))


def downgrade() -> None:
    op.drop_column("kit", "removed_at")
