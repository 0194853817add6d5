"""Steps that are undone are found at once: every edit asks for them, and a step of a long recording is a megabyte."""

from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0022"
down_revision = "0021"


def upgrade() -> None:
    repeatable.create_index("change_undone", "change_log", ["song_id", "undone"])


def downgrade() -> None:
    op.drop_index("change_undone", "change_log")
