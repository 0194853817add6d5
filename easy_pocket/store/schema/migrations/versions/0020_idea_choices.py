"""What somebody kept and dropped of a song's ideas."""

import sqlalchemy as sa

from easy_pocket.store.schema import repeatable

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    repeatable.create_table(
        "idea_choice",
        sa.Column("id", sa.Integer, primary_key=True),
        repeatable.song_column(),
        sa.Column("person_id", sa.Integer, nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("idea_key", sa.String(16), nullable=False),
        sa.Column("kept", sa.Boolean, nullable=False),
        sa.Column("traits", sa.Text, nullable=False),
        sa.Column("forgotten", sa.Boolean, nullable=False, server_default=sa.false()),
        sa.Column("made_at", sa.DateTime, nullable=False, server_default=sa.func.now()),
    )
    repeatable.create_index("idea_choice_of", "idea_choice", ["song_id", "person_id", "kind"])


def downgrade() -> None:
    from alembic import op

    op.drop_table("idea_choice")
