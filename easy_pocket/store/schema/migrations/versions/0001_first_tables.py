"""first tables"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from easy_pocket.store.schema import repeatable

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    repeatable.create_table(
        "audio",
        sa.Column("hash", sa.String(length=64), nullable=False),
        sa.Column("kind", sa.String(length=8), nullable=False),
        sa.Column("data", mysql.LONGBLOB(), nullable=False),
        sa.PrimaryKeyConstraint("hash"),
    )
    repeatable.create_table(
        "groove_template",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("doc", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.DateTime(), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    repeatable.create_table(
        "kit",
        sa.Column("key", sa.String(length=40), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("voices", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    repeatable.create_table(
        "song",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("tempo_bpm", sa.Double(), nullable=False),
        sa.Column("metre_beats", sa.Integer(), nullable=False),
        sa.Column("metre_unit", sa.Integer(), nullable=False),
        sa.Column("seed", sa.BigInteger(), nullable=False),
        sa.Column("feel", sa.JSON(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(), server_default=sa.text("now()"), nullable=False),
        sa.Column("changed_at", sa.DateTime(), server_default=sa.text("now()"), nullable=False),
        sa.Column("deleted_at", sa.DateTime(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    repeatable.create_table(
        "audio_loop",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("song_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("audio_hash", sa.String(length=64), nullable=False),
        sa.Column("found", sa.JSON(), nullable=False),
        sa.Column("overruled", sa.JSON(), nullable=False),
        sa.Column("removed", sa.Boolean(), server_default="0", nullable=False),
        sa.ForeignKeyConstraint(
            ["audio_hash"],
            ["audio.hash"],
        ),
        sa.ForeignKeyConstraint(["song_id"], ["song.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    repeatable.create_index("ix_audio_loop_song_id", "audio_loop", ["song_id"], unique=False)
    repeatable.create_table(
        "change_log",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("song_id", sa.Integer(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("gesture", sa.String(length=40), nullable=True),
        sa.Column("patches", mysql.LONGTEXT(), nullable=False),
        sa.Column("undone", sa.Boolean(), nullable=False),
        sa.Column("made_at", sa.DateTime(), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["song_id"], ["song.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    repeatable.create_index("change_in_order", "change_log", ["song_id", "id"], unique=False)
    repeatable.create_table(
        "part",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("song_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("kit_key", sa.String(length=40), nullable=False),
        sa.Column("voices", sa.JSON(), nullable=False),
        sa.Column("cycle_ticks", sa.Integer(), nullable=True),
        sa.Column("step_ticks", sa.Integer(), nullable=False),
        sa.Column("start_shift_ticks", sa.Integer(), nullable=False),
        sa.Column("restarts", sa.Boolean(), nullable=False),
        sa.Column("feel", sa.JSON(), nullable=False),
        sa.Column("voice_feel", sa.JSON(), nullable=False),
        sa.Column("mix", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["kit_key"],
            ["kit.key"],
        ),
        sa.ForeignKeyConstraint(["song_id"], ["song.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    repeatable.create_index("ix_part_song_id", "part", ["song_id"], unique=False)
    repeatable.create_table(
        "section",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("song_id", sa.Integer(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("bars", sa.Integer(), nullable=False),
        sa.Column("repeats", sa.Integer(), nullable=False),
        sa.Column("tempo_bpm", sa.Double(), nullable=True),
        sa.Column("metre", sa.String(length=8), nullable=True),
        sa.Column("cells", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["song_id"], ["song.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    repeatable.create_index("ix_section_song_id", "section", ["song_id"], unique=False)
    repeatable.create_table(
        "pattern",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("part_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("length_ticks", sa.Integer(), nullable=False),
        sa.Column("hits", mysql.LONGTEXT(), nullable=False),
        sa.ForeignKeyConstraint(["part_id"], ["part.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    repeatable.create_index("ix_pattern_part_id", "pattern", ["part_id"], unique=False)


def downgrade() -> None:
    op.drop_index(op.f("ix_pattern_part_id"), table_name="pattern")
    op.drop_table("pattern")
    op.drop_index(op.f("ix_section_song_id"), table_name="section")
    op.drop_table("section")
    op.drop_index(op.f("ix_part_song_id"), table_name="part")
    op.drop_table("part")
    op.drop_index("change_in_order", table_name="change_log")
    op.drop_table("change_log")
    op.drop_index(op.f("ix_audio_loop_song_id"), table_name="audio_loop")
    op.drop_table("audio_loop")
    op.drop_table("song")
    op.drop_table("kit")
    op.drop_table("groove_template")
    op.drop_table("audio")
