"""People: who they are, what is whose, links to a song, comments."""

import sqlalchemy as sa
from alembic import op

from easy_pocket.store.schema import repeatable

revision = "0016"
down_revision = "0015"

OWNED = ("song", "kit", "sound", "groove_template", "hand", "line")
OF_A_PERSON = ("change_log", "edit_log", "token")


def upgrade() -> None:
    person = repeatable.person_column
    repeatable.create_table(
        "person",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(60), nullable=False, unique=True),
        sa.Column("role", sa.String(10), nullable=False),
        sa.Column("password", sa.String(200)),
        sa.Column("invitation", sa.String(64)),
        sa.Column("invited_until", sa.DateTime()),
        sa.Column("quotas", sa.JSON(), nullable=False, server_default=sa.text("'{}'")),
        sa.Column("made_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
    )
    repeatable.create_index("ix_person_invitation", "person", ["invitation"])
    repeatable.create_table(
        "sign_in",
        sa.Column("id", sa.Integer(), primary_key=True),
        person(),
        sa.Column("digest", sa.String(64), nullable=False, unique=True),
        sa.Column("device", sa.String(120), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
        sa.Column("used_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
    )
    repeatable.create_table(
        "failed_sign_in",
        sa.Column("digest", sa.String(64), primary_key=True),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("again_at", sa.DateTime(), nullable=False),
    )
    repeatable.create_table(
        "share_link",
        sa.Column("id", sa.Integer(), primary_key=True),
        repeatable.song_column(),
        person(),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("digest", sa.String(64), nullable=False, unique=True),
        sa.Column("made_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
    )
    repeatable.create_index("ix_share_link_song_id", "share_link", ["song_id"])
    repeatable.create_table(
        "song_member",
        sa.Column("song_id", sa.Integer(), sa.ForeignKey("song.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("link_id", sa.Integer(), sa.ForeignKey("share_link.id", ondelete="CASCADE"), nullable=False),
        sa.Column("made_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
    )
    repeatable.create_index("ix_song_member_person_id", "song_member", ["person_id"])
    repeatable.create_table(
        "comment",
        sa.Column("id", sa.Integer(), primary_key=True),
        repeatable.song_column(),
        sa.Column("author", sa.String(60), nullable=False),
        sa.Column("section_id", sa.Integer(), nullable=False),
        sa.Column("bar", sa.Integer(), nullable=False),
        sa.Column("voice", sa.String(30), nullable=False),
        sa.Column("words", sa.String(1000), nullable=False),
        sa.Column("done", sa.Boolean(), nullable=False, server_default="0"),
        sa.Column("made_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
        person(),
    )
    repeatable.create_index("ix_comment_song_id", "comment", ["song_id"])
    repeatable.create_table(
        "presence",
        sa.Column("song_id", sa.Integer(), sa.ForeignKey("song.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("tab", sa.String(60), primary_key=True),
        person(),
        sa.Column("screen", sa.String(20), nullable=False),
        sa.Column("place", sa.String(60), nullable=False),
        sa.Column("seen_at", sa.DateTime(), nullable=False, server_default=sa.func.now()),
    )
    repeatable.create_table(
        "sound_mark",
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("sound_id", sa.Integer(), sa.ForeignKey("sound.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("favourite", sa.Boolean(), nullable=False, server_default="0"),
        sa.Column("used_at", sa.dialects.mysql.DATETIME(fsp=3)),
    )
    op.execute("INSERT IGNORE INTO person (id, name, role) VALUES (1, 'me', 'owner')")
    for table in OWNED:
        repeatable.add_column(table, sa.Column("owner_id", sa.Integer(), nullable=False, server_default="1"))
        repeatable.create_index(f"ix_{table}_owner_id", table, ["owner_id"])
    for table in OF_A_PERSON:
        repeatable.add_column(table, sa.Column("person_id", sa.Integer(), nullable=False, server_default="1"))
    for table in ("groove_template", "hand"):
        op.execute(f"UPDATE {table} SET owner_id = 0 WHERE house IS NOT NULL")
    known = {one["name"] for one in sa.inspect(op.get_bind()).get_indexes("sound")}
    if "key" in known:
        op.drop_index("key", "sound")
    repeatable.create_index("sound_once", "sound", ["owner_id", "key"], unique=True)


def downgrade() -> None:
    op.drop_index("sound_once", "sound")
    op.execute("DELETE one FROM sound one JOIN sound other ON one.key = other.key AND one.id > other.id")
    op.create_index("key", "sound", ["key"], unique=True)
    for table in OF_A_PERSON:
        op.drop_column(table, "person_id")
    for table in OWNED:
        op.drop_index(f"ix_{table}_owner_id", table)
        op.drop_column(table, "owner_id")
    for table in ("sound_mark", "presence", "comment", "song_member", "share_link", "failed_sign_in", "sign_in"):
        op.drop_table(table)
    op.drop_table("person")
