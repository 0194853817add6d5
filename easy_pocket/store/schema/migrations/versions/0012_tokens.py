"""Tokens: what lets a program in, and what it may do."""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    repeatable.create_table(
        "token",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("scope", sa.String(10), nullable=False),
        sa.Column("digest", sa.String(64), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
        sa.Column("used_at", sa.DateTime()),
    )
    repeatable.create_index("ix_token_digest", "token", ["digest"])


def downgrade() -> None:
    op.drop_table("token")
