"""loops under the stack"""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    repeatable.add_column("song", sa.Column("under", sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("song", "under")
