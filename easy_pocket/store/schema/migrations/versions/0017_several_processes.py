"""What several processes of one server agree on: a secret, and who does what is done once."""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    repeatable.create_table(
        "agreed",
        sa.Column("name", sa.String(120), primary_key=True),
        sa.Column("value", sa.String(200), nullable=False),
        sa.Column("until", sa.DateTime()),
    )


def downgrade() -> None:
    op.drop_table("agreed")
