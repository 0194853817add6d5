"""grooves of the house, and grooves off the shelf"""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    repeatable.add_column("groove_template", sa.Column("house", sa.String(length=40), nullable=True))
    repeatable.add_column("groove_template", sa.Column("removed", sa.Boolean(), server_default="0", nullable=False))
    repeatable.create_unique_constraint("house", "groove_template", ["house"])


def downgrade() -> None:
    op.drop_constraint("house", "groove_template", type_="unique")
    op.drop_column("groove_template", "removed")
    op.drop_column("groove_template", "house")
