"""A song as a file, and a file as a song: the kits, grooves, hands and audio it names come along."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, PocketError, require_range
from easy_pocket.core.formats.hand_json import dump_hand, load_hand
from easy_pocket.core.formats.pocket_file import Doc, SongContents
from easy_pocket.core.pattern.timebase import MAX_BARS
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.core.song.section import MAX_REPEATS
from easy_pocket.store.grooves.templates import find_template
from easy_pocket.store.kits.kits import add_kit, kit_from_row
from easy_pocket.store.loops.loops import analysis_from_doc, corrections_from_doc, loops_of
from easy_pocket.store.people.quotas import check_kept_already
from easy_pocket.store.schema.tables import AudioRow, HandRow, IdeaRow, KitRow, SongRow, TemplateRow
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.guide import guide_of
from easy_pocket.store.songs.kept_ideas import check_kept_idea
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.open_rows import OnShelf, open_rows
from easy_pocket.store.songs.song_doc import IDEA_STATES, recordings_of, song_doc
from easy_pocket.store.songs.stage_doc import stage_of
from easy_pocket.store.takes.hands import new_hand
from easy_pocket.store.takes.takes import load_take, takes_of

# What reading rows from outside raises when they are not what they should be.
BROKEN = (SQLAlchemyError, LookupError, TypeError, ValueError, ArithmeticError, AttributeError, RecursionError)
NOT_A_SONG = "{name} does not hold a song as Easy Pocket writes it: save it again where it came from."


def song_contents(session: Session, song_id: int, *, history: bool = False) -> SongContents:
    """Everything the song needs, numbered from 1. history: with the steps that lead to it."""
    doc = song_doc(session, song_id, history=history)
    audio = session.scalars(select(AudioRow).where(AudioRow.hash.in_(sorted(recordings_of(doc)))))
    return SongContents(doc, {row.hash: (row.kind, row.data) for row in audio})


def song_from_contents(session: Session, contents: SongContents, file_name: str, name: str = "") -> SongRow:
    """A new song of a file; kits, grooves and hands that are here by content are used, nothing here is changed.

    Raises BadValueError for rows that are no song, in words that name the file.
    """
    try:
        with session.begin_nested():
            row = _opened(session, contents, name)
            _try_out(session, row.id)
    except PocketError as error:
        raise BadValueError(f"{NOT_A_SONG.format(name=file_name)} ({error})") from error
    except BROKEN as error:
        raise BadValueError(NOT_A_SONG.format(name=file_name)) from error
    return row


def _opened(session: Session, contents: SongContents, name: str) -> SongRow:
    doc = contents.doc
    named = recordings_of(doc)
    asked = select(AudioRow.hash).where(AudioRow.hash.in_([*contents.audio, *named]))
    known = set(session.scalars(asked.with_for_update(read=True)))  # held against being cleaned away
    if missing := named - set(contents.audio):
        raise BadValueError(f"the audio {min(missing)[:12]} is not in it")
    for key, (kind, data) in contents.audio.items():
        if key not in known:
            session.add(AudioRow(hash=key, kind=kind, data=data))
    check_kept_already(session, known)
    session.flush()
    came: dict[str, set[Any]] = {"kits": set(), "grooves": set(), "hands": set()}
    kits = _kits(session, doc["kits"], came["kits"])
    grooves = _grooves(session, doc["grooves"], came["grooves"])
    hands = _hands(session, doc["hands"], came["hands"])
    return open_rows(session, doc, name, OnShelf(kits, grooves, hands, came))


def _kits(session: Session, docs: list[Doc], came: set[str]) -> dict[Any, str]:
    there = list(session.scalars(select(KitRow).order_by(KitRow.removed_at.is_not(None))))
    found = {}
    for doc in docs:
        same = next((one for one in there if one.voices == doc["voices"] and one.key_note == doc["key_note"]), None)
        if same is None:
            values = {"name": check_name(doc["name"]), "voices": doc["voices"], "key_note": doc["key_note"]}
            kit = kit_from_row(KitRow(key="from-a-file", **values))
            same = add_kit(session, kit)
            came.add(same.key)
        same.removed_at = None
        found[doc["id"]] = same.key
    return found


def _grooves(session: Session, docs: list[Doc], came: set[int]) -> dict[Any, int]:
    there = list(session.scalars(select(TemplateRow).where(TemplateRow.removed.is_(False))))
    found = {}
    for doc in docs:
        same = next((one for one in there if one.doc == doc["doc"]), None)
        if same is None:
            same = TemplateRow(name=check_name(doc["name"])[:120], doc=doc["doc"])
            session.add(same)
            session.flush()
            find_template(session, same.id)
            came.add(same.id)
        found[doc["id"]] = same.id
    return found


def _hands(session: Session, docs: list[Doc], came: set[int]) -> dict[Any, int]:
    found = {}
    for doc in docs:
        hand = load_hand(json.dumps(doc["doc"]), str(doc["name"])[:120])
        same = session.scalar(select(HandRow).where(HandRow.doc == dump_hand(hand), HandRow.removed.is_(False)))
        if same is None:
            same = new_hand(session, hand)
            same.removed = False
            came.add(same.id)
        found[doc["id"]] = same.id
    return found


def _try_out(session: Session, song_id: int) -> None:
    """Whether it can be played and looked at. Raises what reading it raises."""
    session.expire_all()
    song = load_song(session, song_id)
    for section in song.sections:
        require_range("The bars of a section", section.bars, 1, MAX_BARS)
        require_range("The repeats of a section", section.repeats, 1, MAX_REPEATS)
    perform_song(song.values.arrangement)
    for loop in loops_of(session, song_id):
        analysis_from_doc(loop.found)
        corrections_from_doc(loop.overruled)
    for take in takes_of(session, song_id):
        load_take(session, take)
    for idea in session.scalars(select(IdeaRow).where(IdeaRow.song_id == song_id)):
        if idea.state not in IDEA_STATES:
            raise ValueError(idea.state)
        check_kept_idea(idea.doc)
    guide_of(song.row.guide)
    stage_of(song.row.stage)
