"""The step by which an idea was put in: while that is taken back, nothing is learned from it."""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0021"
down_revision = "0020"


def upgrade() -> None:
    repeatable.add_column("idea_choice", sa.Column("change_id", sa.BigInteger, nullable=True))
    repeatable.create_index("idea_choice_step", "idea_choice", ["change_id"])


def downgrade() -> None:
    op.drop_index("idea_choice_step", "idea_choice")
    op.drop_column("idea_choice", "change_id")
