"""The tables of people: accounts, who is signed in, links to songs, who writes in which song, comments."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    DateTime,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    String,
    Text,
    func,
    text,
)
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import Mapped, mapped_column

from easy_pocket.store.schema.tables import Base, Doc


def _person() -> Mapped[int]:
    return mapped_column(ForeignKey("person.id", ondelete="CASCADE"))


class PersonRow(Base):
    """role: "owner" of the server, "member", or "guest" who came by a link. password: hashed by argon2; none until the
    invitation was taken up. invitation: SHA-256 of it. quotas: what differs from the server's."""

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    role: Mapped[str] = mapped_column(String(10))
    password: Mapped[str | None] = mapped_column(String(200))
    invitation: Mapped[str | None] = mapped_column(String(64), index=True)
    invited_until: Mapped[datetime | None] = mapped_column(DateTime)
    quotas: Mapped[Doc] = mapped_column(JSON, server_default=text("'{}'"), default=dict)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class SignInRow(Base):
    """A browser somebody signed in with. digest: SHA-256 of what its cookie holds."""

    __tablename__ = "sign_in"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    person_id: Mapped[int] = _person()
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    device: Mapped[str] = mapped_column(String(120))
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())
    used_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class PasskeyRow(Base):
    """A key of a device somebody signs in with. digest: SHA-256 of the name the device gave it; public_key: as COSE."""

    __tablename__ = "passkey"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    person_id: Mapped[int] = _person()
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    public_key: Mapped[bytes] = mapped_column(LargeBinary(4000))
    sign_count: Mapped[int] = mapped_column(BigInteger)
    device: Mapped[str] = mapped_column(String(120))
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())
    used_at: Mapped[datetime | None] = mapped_column(DateTime)


class FailedSignInRow(Base):
    """How often it went wrong for a name or from an address (a digest of it), and from when on it is listened to."""

    __tablename__ = "failed_sign_in"
    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    count: Mapped[int] = mapped_column(Integer)
    again_at: Mapped[datetime] = mapped_column(DateTime)


class LinkRow(Base):
    """Lets somebody in to one song: to "listen", to "copy" it, or to "write" in it. digest: SHA-256 of the link."""

    __tablename__ = "share_link"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"), index=True)
    person_id: Mapped[int] = _person()
    kind: Mapped[str] = mapped_column(String(10))
    digest: Mapped[str] = mapped_column(String(64), unique=True)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class MemberRow(Base):
    """Somebody who writes in a song of somebody else, as long as the link they came by is there."""

    __tablename__ = "song_member"
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), primary_key=True, index=True)
    link_id: Mapped[int] = mapped_column(ForeignKey("share_link.id", ondelete="CASCADE"))
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class CommentRow(Base):
    """What somebody says about a bar (of a section, from 1), or about one voice of it. author: their name then."""

    __tablename__ = "comment"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"), index=True)
    author: Mapped[str] = mapped_column(String(60))
    section_id: Mapped[int] = mapped_column(Integer)
    bar: Mapped[int] = mapped_column(Integer)
    voice: Mapped[str] = mapped_column(String(30))
    words: Mapped[str] = mapped_column(String(1000))
    done: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())
    person_id: Mapped[int] = _person()


class PresenceRow(Base):
    """Who has which song open, in which tab, and where they look."""

    __tablename__ = "presence"
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"), primary_key=True)
    tab: Mapped[str] = mapped_column(String(60), primary_key=True)
    person_id: Mapped[int] = _person()
    screen: Mapped[str] = mapped_column(String(20))
    place: Mapped[str] = mapped_column(String(60))
    seen_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class SoundMarkRow(Base):
    """What somebody noted of a sound of the house: it is theirs alone."""

    __tablename__ = "sound_mark"
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), primary_key=True)
    sound_id: Mapped[int] = mapped_column(ForeignKey("sound.id", ondelete="CASCADE"), primary_key=True)
    favourite: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    used_at: Mapped[datetime | None] = mapped_column(DATETIME(fsp=3))


class IdeaChoiceRow(Base):
    """An idea of a song that somebody kept or dropped, by its traits. forgotten: nothing is learned from it. change_id:
    the step of the undo log that put it in; without that step, or while it is taken back, nothing is learned either."""

    __tablename__ = "idea_choice"
    __table_args__ = (
        Index("idea_choice_of", "song_id", "person_id", "kind"),
        Index("idea_choice_step", "change_id"),
    )
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"))
    person_id: Mapped[int] = mapped_column(Integer)
    kind: Mapped[str] = mapped_column(String(20))
    idea_key: Mapped[str] = mapped_column(String(16))
    kept: Mapped[bool] = mapped_column(Boolean)
    traits: Mapped[str] = mapped_column(Text)
    change_id: Mapped[int | None] = mapped_column(BigInteger)
    forgotten: Mapped[bool] = mapped_column(Boolean, server_default=text("0"), default=False)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class AgreedRow(Base):
    """What the processes of one server agree on, by name: a secret; who does something until when."""

    __tablename__ = "agreed"
    name: Mapped[str] = mapped_column(String(120), primary_key=True)
    value: Mapped[str] = mapped_column(String(200))
    until: Mapped[datetime | None] = mapped_column(DateTime)
