"""The tables. A pattern's hits are one JSON document in its row: the pattern is the unit of editing."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    DateTime,
    Double,
    ForeignKey,
    Index,
    Integer,
    String,
    Text,
    func,
    text,
)
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB, LONGTEXT, TINYBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

Doc = dict[str, Any]
HOUSE, FIRST_PERSON = 0, 1  # whose a row is: of the house, or, while there are no accounts, of the one who works here


class Base(DeclarativeBase):
    type_annotation_map = {Doc: JSON}  # noqa: RUF012 - SQLAlchemy's own way of declaring it


class Owned:
    """Belongs to a person, or to the house (0). Who looks decides what is read: see store/scope.py."""

    owner_id: Mapped[int] = mapped_column(Integer, server_default="1", index=True)


class SongRow(Owned, Base):
    __tablename__ = "song"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    tempo_bpm: Mapped[float] = mapped_column(Double)
    metre_beats: Mapped[int] = mapped_column(Integer)
    metre_unit: Mapped[int] = mapped_column(Integer)
    seed: Mapped[int] = mapped_column(BigInteger)
    feel: Mapped[Doc] = mapped_column(JSON)
    layered_loops: Mapped[list[Any] | None] = mapped_column(JSON)  # loops that play under the stack, as docs
    collision_choices: Mapped[Doc | None] = mapped_column(
        JSON
    )  # "part:part:voice" to what is done where both strike at once
    sections_before_flatten: Mapped[str | None] = mapped_column(
        LONGTEXT
    )  # the sections before the song was written out flat, as JSON
    guide: Mapped[Doc | None] = mapped_column(JSON)  # a long piece of audio under it: see songs/guide.py
    stage: Mapped[Doc | None] = mapped_column(JSON)  # where its sounds stand: see songs/stage_doc.py
    key_map: Mapped[Doc | None] = mapped_column(JSON)  # MIDI notes by voice, where they are not those of the kits
    revision: Mapped[int] = mapped_column(Integer)
    created_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())
    changed_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())
    deleted_at: Mapped[datetime | None] = mapped_column(DateTime)


class PartRow(Base):
    """One independent line. cycle_ticks None: as long as its pattern. mix: per voice level, pan, mute, solo.
    voice_steps: the grid of voices that have their own, in ticks, 0 for none. player: what its looseness is drawn by,
    besides the seed; the first part's is 0. bars: marks 0 and 1 of the bars it plays, "" for all. pattern_order: ids,
    turn by turn. fills: whether the fills of joins reach it."""

    __tablename__ = "part"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"), index=True)
    position: Mapped[int] = mapped_column(Integer)
    name: Mapped[str] = mapped_column(String(120))
    kit_key: Mapped[str] = mapped_column(ForeignKey("kit.key"))
    voices: Mapped[list[str]] = mapped_column(JSON)
    cycle_ticks: Mapped[int | None] = mapped_column(Integer)
    step_ticks: Mapped[int] = mapped_column(Integer)
    start_shift_ticks: Mapped[int] = mapped_column(Integer)
    restarts: Mapped[bool] = mapped_column(Boolean)
    feel: Mapped[Doc] = mapped_column(JSON)
    voice_feel: Mapped[Doc] = mapped_column(JSON)
    mix: Mapped[Doc] = mapped_column(JSON)
    voice_steps: Mapped[Doc] = mapped_column(JSON, server_default=text("'{}'"), default=dict)
    player: Mapped[int] = mapped_column(Integer, server_default="0", default=0)
    rotation_ticks: Mapped[int] = mapped_column(Integer, server_default="0", default=0)
    bars: Mapped[str] = mapped_column(String(64), server_default="", default="")
    pattern_order: Mapped[list[Any]] = mapped_column(JSON, server_default=text("'[]'"), default=list)
    change_percent: Mapped[float] = mapped_column(Double, server_default="0", default=0.0)
    seed: Mapped[int] = mapped_column(BigInteger, server_default="1", default=1)
    fills: Mapped[bool] = mapped_column(Boolean, server_default="1", default=True)
    level_db: Mapped[float] = mapped_column(Double, server_default="0", default=0.0)
    mute: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    solo: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)


class PatternRow(Base):
    """locks: {"voices": [...], "places": [ticks within a bar]}."""

    __tablename__ = "pattern"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    part_id: Mapped[int] = mapped_column(ForeignKey("part.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(120))
    length_ticks: Mapped[int] = mapped_column(Integer)
    hits: Mapped[str] = mapped_column(LONGTEXT)
    locks: Mapped[Doc] = mapped_column(JSON, server_default=text("'{}'"), default=dict)
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)


class SnapshotRow(Base):
    """A pattern as it was when its user named it."""

    __tablename__ = "snapshot"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    pattern_id: Mapped[int] = mapped_column(ForeignKey("pattern.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(120))
    length_ticks: Mapped[int] = mapped_column(Integer)
    hits: Mapped[str] = mapped_column(LONGTEXT)
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class PhraseRow(Owned, Base):
    """A short line the user keeps, open to every song."""

    __tablename__ = "line"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    doc: Mapped[Doc] = mapped_column(JSON)
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    created_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class SectionRow(Base):
    """cells: part id to what the part plays here, as a doc (see store/songs/cells.py); a part without a cell rests.
    parent_id: the section this is a variation of; then cells has only those that are its own, and own names the other
    fields that are. mark: a sign the user gave it. bars = 0 marks a deleted section."""

    __tablename__ = "section"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"), index=True)
    position: Mapped[int] = mapped_column(Integer)
    name: Mapped[str] = mapped_column(String(120))
    bars: Mapped[int] = mapped_column(Integer)
    repeats: Mapped[int] = mapped_column(Integer)
    tempo_bpm: Mapped[float | None] = mapped_column(Double)
    metre: Mapped[str | None] = mapped_column(String(8))
    cells: Mapped[Doc] = mapped_column(JSON)
    joins: Mapped[list[Any]] = mapped_column(JSON, server_default=text("'[]'"), default=list)
    parent_id: Mapped[int | None] = mapped_column(Integer)
    own: Mapped[list[Any]] = mapped_column(JSON, server_default=text("'[]'"), default=list)
    notes: Mapped[str] = mapped_column(String(2000), server_default="", default="")
    mark: Mapped[str] = mapped_column(String(12), server_default="", default="")


class KitRow(Owned, Base):
    """edited: it is the user's now, and a new version of the program leaves it as it is. removed_at: when it went into
    the bin; one that a part plays on is there all the same (undo may have brought the part back to it)."""

    __tablename__ = "kit"
    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    voices: Mapped[list[Any]] = mapped_column(JSON)
    key_note: Mapped[int | None] = mapped_column(Integer)
    edited: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    removed_at: Mapped[datetime | None] = mapped_column(DateTime)


class SoundRow(Owned, Base):
    """A sound of the library with what was measured of it. version: grows with every change of any sound."""

    __tablename__ = "sound"
    __table_args__ = (Index("sound_version", "version"), Index("sound_once", "owner_id", "key", unique=True))
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    key: Mapped[str] = mapped_column(String(40))
    name: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(String(30))
    source: Mapped[str] = mapped_column(String(10))
    doc: Mapped[Doc] = mapped_column(JSON)
    bright_hz: Mapped[float] = mapped_column(Double)
    length_s: Mapped[float] = mapped_column(Double)
    noisy: Mapped[float] = mapped_column(Double)
    pitch_hz: Mapped[float | None] = mapped_column(Double)
    thirds_db: Mapped[bytes] = mapped_column(TINYBLOB)
    picture: Mapped[bytes] = mapped_column(TINYBLOB)
    favourite: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    used_at: Mapped[datetime | None] = mapped_column(DATETIME(fsp=3))
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    removed_at: Mapped[datetime | None] = mapped_column(DateTime)
    version: Mapped[int] = mapped_column(BigInteger)


class AudioRow(Base):
    """Audio by content hash; stored once however often it is used."""

    __tablename__ = "audio"
    hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    kind: Mapped[str] = mapped_column(String(8))
    data: Mapped[bytes] = mapped_column(LONGBLOB)


class LoopRow(Base):
    """found: hits and readings as heard, so that opening a loop does not listen again. overruled: what the user
    corrected."""

    __tablename__ = "audio_loop"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(200))
    audio_hash: Mapped[str] = mapped_column(ForeignKey("audio.hash"))
    found: Mapped[Doc] = mapped_column(JSON)
    overruled: Mapped[Doc] = mapped_column(JSON)
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0")


class TemplateRow(Owned, Base):
    """A groove template, open to every song. house: its key among those of the house. removed: off the shelf; songs
    that lean on it still do."""

    __tablename__ = "groove_template"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    doc: Mapped[Doc] = mapped_column(JSON)
    house: Mapped[str | None] = mapped_column(String(40), unique=True)
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    created_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class TakeRow(Base):
    """What was played in over some bars: passes, and how they are sewn. start_tick: where in the pattern they begin.
    settings: see songs/edits/takes.py. sews: rows of bar, pass, voice ("" for all)."""

    __tablename__ = "take"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"), index=True)
    part_id: Mapped[int] = mapped_column(Integer)
    name: Mapped[str] = mapped_column(String(120))
    start_tick: Mapped[int] = mapped_column(Integer)
    length_ticks: Mapped[int] = mapped_column(Integer)
    metre: Mapped[str] = mapped_column(String(8))
    tempo_bpm: Mapped[float] = mapped_column(Double)
    settings: Mapped[Doc] = mapped_column(JSON)
    sews: Mapped[list[Any]] = mapped_column(JSON)
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class PassRow(Base):
    """One time round. hits: rows of voice, ms, velocity, as JSON. source: what it was played on."""

    __tablename__ = "take_pass"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(120))
    source: Mapped[str] = mapped_column(String(40))
    hits: Mapped[str] = mapped_column(LONGTEXT)
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class HandRow(Owned, Base):
    """A player's hand, open to every song. house: its key among those of the house."""

    __tablename__ = "hand"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    doc: Mapped[str] = mapped_column(LONGTEXT)
    house: Mapped[str | None] = mapped_column(String(40), unique=True)
    removed: Mapped[bool] = mapped_column(Boolean, server_default="0", default=False)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class IdeaRow(Base):
    """An idea the user pinned, took or dropped, with what is needed to have it again: its changes, words, tags and
    seed. state: "pinned", "taken" or "dropped"."""

    __tablename__ = "idea"
    __table_args__ = (Index("idea_in_order", "song_id", "id"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"))
    pattern_id: Mapped[int] = mapped_column(ForeignKey("pattern.id", ondelete="CASCADE"))
    kind: Mapped[str] = mapped_column(String(20))
    state: Mapped[str] = mapped_column(String(10))
    doc: Mapped[str] = mapped_column(LONGTEXT)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class ChangeRow(Base):
    """One step of the undo log: patches that can be applied and taken back. person_id: whose step it is."""

    __tablename__ = "change_log"
    __table_args__ = (Index("change_in_order", "song_id", "id"), Index("change_undone", "song_id", "undone"))
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"))
    words: Mapped[str] = mapped_column(Text)
    gesture: Mapped[str | None] = mapped_column(String(40))
    patches: Mapped[str] = mapped_column(LONGTEXT)
    undone: Mapped[bool] = mapped_column(Boolean)
    person_id: Mapped[int] = mapped_column(Integer, server_default="1", default=FIRST_PERSON)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


class EditRow(Base):
    """An edit that was made, by the id its page gave it, so that it is known when it comes again; and what it touched,
    so that an edit sent on an older revision can be held against it. edit_id None: another song changed what this one
    shares with it. facts: what its answer told besides the song."""

    __tablename__ = "edit_log"
    __table_args__ = (
        Index("edit_once", "song_id", "edit_id", unique=True),
        Index("edit_by_revision", "song_id", "revision"),
    )
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    song_id: Mapped[int] = mapped_column(ForeignKey("song.id", ondelete="CASCADE"))
    edit_id: Mapped[str | None] = mapped_column(String(64))
    revision: Mapped[int] = mapped_column(Integer)
    kind: Mapped[str] = mapped_column(String(40))
    words: Mapped[str] = mapped_column(Text)
    touched: Mapped[str] = mapped_column(LONGTEXT)
    facts: Mapped[Doc] = mapped_column(JSON)
    person_id: Mapped[int] = mapped_column(Integer, server_default="1", default=FIRST_PERSON)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())


def row_values(row: Any) -> dict[str, object]:
    """What a row holds, but its id, whose it is, and when it came to be."""
    left_out = ("id", "owner_id", "person_id", "created_at", "changed_at", "deleted_at", "made_at")
    return {column.key: getattr(row, column.key) for column in row.__table__.columns if column.key not in left_out}


class TokenRow(Base):
    """Lets a program in. scope: "read" or "write". digest: SHA-256 of the token, which is kept nowhere."""

    __tablename__ = "token"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    scope: Mapped[str] = mapped_column(String(10))
    digest: Mapped[str] = mapped_column(String(64), index=True)
    person_id: Mapped[int] = mapped_column(Integer, server_default="1", default=FIRST_PERSON)
    made_at: Mapped[datetime] = mapped_column(DateTime, server_default=func.now())
    used_at: Mapped[datetime | None] = mapped_column(DateTime)
