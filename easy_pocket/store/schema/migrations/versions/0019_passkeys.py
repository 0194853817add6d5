"""Passkeys: keys of a device by which somebody signs in without a password."""

import sqlalchemy as sa

from easy_pocket.store.schema import repeatable

revision = "0019"
down_revision = "0018"


def upgrade() -> None:
    repeatable.create_table(
        "passkey",
        sa.Column("id", sa.Integer, primary_key=True),
        repeatable.person_column(),
        sa.Column("digest", sa.String(64), nullable=False, unique=True),
        sa.Column("public_key", sa.LargeBinary(4000), nullable=False),
        sa.Column("sign_count", sa.BigInteger, nullable=False),
        sa.Column("device", sa.String(120), nullable=False),
        sa.Column("made_at", sa.DateTime, nullable=False, server_default=sa.func.now()),
        sa.Column("used_at", sa.DateTime),
    )


def downgrade() -> None:
    from alembic import op

    op.drop_table("passkey")
