"""The one way in for every change of a song: hold it, make the edit, keep it with its step to undo and its id, commit.

An edit that comes a second time (its answer was lost) is answered as the first time. One that was made on an older
revision holds, too, when what it touches did not change since. What takes long is computed before the song is held,
and nothing is drawn or performed before the transaction is over.
"""

from __future__ import annotations

import json
import logging
import random
import time
import uuid
from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass, field, replace
from functools import partial
from typing import Any, TypeVar

import orjson
from sqlalchemy import delete, select, update
from sqlalchemy.exc import IntegrityError, OperationalError
from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.song.size_limits import check_size
from easy_pocket.store.database import Database
from easy_pocket.store.history.idea_choices import keep_choice
from easy_pocket.store.history.others_steps import told_by_name
from easy_pocket.store.history.shared_rows import shared_by, users_of
from easy_pocket.store.history.touches import meet, touched
from easy_pocket.store.history.undo_log import (
    Patch,
    StaleRevisionError,
    apply_patches,
    field_patch,
    hits_patch,
    lock_songs,
    note,
    take_step,
    undo_words,
    upcoming_steps,
)
from easy_pocket.store.hits_json import locks_of, pattern_to_json
from easy_pocket.store.schema.tables import EditRow, SongRow
from easy_pocket.store.scope import OF_EVERYBODY, of_everybody, viewer_of
from easy_pocket.store.songs.edits.prepared import prepared
from easy_pocket.store.songs.edits.registry import KINDS, Edit, EditContext, Kind, Step
from easy_pocket.store.songs.load import load_song, loaded_again
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.selection import ANYWHERE, Selection
from easy_pocket.store.songs.song_rows import SongRows
from easy_pocket.store.songs.spans import check_length, follow_length
from easy_pocket.store.songs.stored_patterns import cache_pattern
from easy_pocket.store.viewer import person_of

log = logging.getLogger(__name__)

FULL = 4000  # hits of a pattern, from which on it is asked how many a song of it would play
MOST_PREPARATIONS = 6  # of one edit, while others change its song again and again
MOST_TRIES = 16  # after deadlocks and lock time-outs, and commits that a cluster refuses: two seconds and more in all
DEADLOCKS = (1205, 1213)  # MariaDB's numbers for a lock time-out and a deadlock
KEPT_EDITS = 5_000  # of a song, by revisions; an edit that is older than that is not known any more
PRUNED_EVERY = 200
LONG_AGO = "changes made long ago"


@dataclass(frozen=True)
class SentEdit:
    """edit_id: given by the page, "TAB-NUMBER"; edits of one tab come one after another, so they never stand against
    each other. revision: of the song as its sender saw it; None takes the song as it is."""

    edit: Edit
    revision: int | None = None
    selection: Selection = ANYWHERE
    edit_id: str = ""
    gesture: str | None = None

    @property
    def tab(self) -> str:
        return tab_of(self.edit_id)


@dataclass(frozen=True)
class Changed:
    """What an edit changed, for the page: voices whose hits changed when nothing else did (None: more than that); felt:
    the feel and nothing else; added, made: the pattern or groove it brought."""

    voices: frozenset[str] | None = None
    felt: bool = False
    added: int | None = None
    made: int | None = None


@dataclass(frozen=True)
class EditResult:
    """The song as it is when the edit is made, its words, and what changed. undo, redo: what they would do now."""

    song: LoadedSong
    words: str
    changed: Changed = field(default_factory=Changed)
    undo: str | None = None
    redo: str | None = None
    repeated: bool = False  # it was made before, and is only answered again


def tab_of(edit_id: str) -> str:
    return edit_id.rpartition("-")[0]


def make_edit(database: Database, song_id: int, sent: SentEdit) -> EditResult:
    """Raises StaleRevisionError when what the edit touches was changed meanwhile, MissingSongError, EditRefusedError or
    BadValueError; nothing is written then."""
    kind = KINDS[sent.edit.kind]
    sent = sent if sent.edit_id else replace(sent, edit_id=f"-{uuid.uuid4().hex}")
    try:
        return _made_once(database, song_id, sent, kind)
    except IntegrityError:  # its id is there already: it came twice at the same moment, or a page counts anew
        with database.reader.together() as session:
            known = _known(database, load_song(session, song_id, sent.selection), sent.edit_id)
        if known is None:
            raise
        return known


def _made_once(database: Database, song_id: int, sent: SentEdit, kind: Kind) -> EditResult:
    if kind.prepare is None:
        made = _tried_again(lambda: _made(database, song_id, sent, kind))
        assert made is not None
        return made
    for _ in range(MOST_PREPARATIONS):
        with database.reader.together() as session:
            song = load_song(session, song_id, sent.selection)
        known = _known(database, song, sent.edit_id)
        if known is not None:
            return known
        found = prepared(database.reader, song, sent.edit)
        at = song.row.revision
        made = _tried_again(partial(_made, database, song_id, sent, kind, found, at))
        if made is not None:
            return made
    raise EditRefusedError("The song is changed by others faster than this can be computed: try again in a moment.")


def _known(database: Database, song: SongRows, edit_id: str) -> EditResult | None:
    with database.reader.together() as session:
        return _made_before(session, song, edit_id)


def _made_before(session: Session, song: SongRows, edit_id: str) -> EditResult | None:
    """The answer to an edit that came before."""
    row = session.scalar(select(EditRow).where(EditRow.song_id == song.row.id, EditRow.edit_id == edit_id))
    if row is None:
        return None
    undo, redo = undo_words(session, song.row.id)
    changed = Changed(added=row.facts.get("added"), made=row.facts.get("made"))
    return EditResult(song.values, row.words, changed, undo, redo, repeated=True)


def _made(
    database: Database, song_id: int, sent: SentEdit, kind: Kind, found: Any = None, prepared_at: int | None = None
) -> EditResult | None:
    """None when the song has changed since the edit was prepared."""
    with database.transaction() as session:
        song = _held(session, song_id, sent, kind)
        if sent.revision != song.row.revision:  # only then can it have been made before
            known = _made_before(session, song, sent.edit_id)
            if known is not None:
                return known
        if prepared_at is not None and song.row.revision != prepared_at:
            return None
        since = _changed_since(session, song.row, sent.revision, sent.tab)
        try:
            steps = kind.apply(EditContext(session, song, found), sent.edit)
        except EditRefusedError as error:
            if since:
                raise StaleRevisionError(told_by_name(session, since), str(error)) from error
            raise
        steps = steps if isinstance(steps, list) else [steps]
        patches: list[Patch] = []
        words, now, changed = "", song, Changed()
        gesture = f"{sent.tab[-20:]}:{sent.gesture}"[:40] if sent.gesture else None
        for step in steps:
            words = kind.described(now, sent.edit, step)[:2000]
            now, applied, changed = _carried_out(session, now, step, words, gesture)
            patches += applied
        aims = frozenset[str]().union(*(step.aims for step in steps))
        _refuse_conflict(session, since, touched(patches) | aims, words)
        if since:  # its page has not seen what others changed: it is told everything
            changed = replace(changed, voices=None, felt=False)
        _log_edit(session, now.row, sent.edit_id, kind.name, words, patches, changed)
        # A drag that ends where it began leaves no step.
        undo = undo_words(session, song_id)[0] if gesture else words
        return EditResult(now.values, words, changed, undo=undo)


def _held(session: Session, song_id: int, sent: SentEdit, kind: Kind) -> SongRows:
    """The song, held; with it those that use what the edit changes for all of them, in one order."""
    if kind.shares is None:
        return load_song(session, song_id, sent.selection, lock=True)
    name = kind.shares(load_song(session, song_id, sent.selection), sent.edit)
    session.expunge_all()  # what was read before the lock is read anew
    lock_songs(session, {song_id, *users_of(session, [name])})
    song = load_song(session, song_id, sent.selection, lock=True)
    if kind.shares(song, sent.edit) != name:
        raise EditRefusedError("The part was put on another kit meanwhile: look at it, then try again.")
    return song


def _changed_since(session: Session, song: SongRow, revision: int | None, tab: str) -> list[EditRow]:
    """What others changed since a revision. Raises StaleRevisionError when that is not known any more."""
    if revision is None or revision == song.revision:
        return []
    if revision > song.revision:
        raise StaleRevisionError([LONG_AGO])  # the database was brought back from a dump, say
    asked = select(EditRow).where(EditRow.song_id == song.id, EditRow.revision > revision)
    rows = list(session.scalars(asked.order_by(EditRow.revision)))
    if len({row.revision for row in rows}) < song.revision - revision:
        raise StaleRevisionError([LONG_AGO])
    return [row for row in rows if not tab or row.edit_id is None or tab_of(row.edit_id) != tab]


def _refuse_conflict(session: Session, since: Iterable[EditRow], mine: set[str], words: str) -> None:
    theirs = [row for row in since if meet(set(orjson.loads(row.touched)), mine)]
    if theirs:
        raise StaleRevisionError(told_by_name(session, theirs), words)


def _carried_out(
    session: Session, song: SongRows, step: Step, words: str, gesture: str | None
) -> tuple[SongRows, list[Patch], Changed]:
    """The song after one step, which is in the undo log then; the patches; what changed."""
    apply_patches(session, step.patches)  # first: the pattern is remembered under the song's metre
    patches, voices = list(step.patches), None
    if step.pattern is not None:
        of_pattern, voices = _keep_pattern(song, step.pattern, follows=step.follows)
        patches = [*of_pattern, *patches]
    change = note(session, song.row, words, patches, gesture)
    session.flush()
    if step.chosen and change is not None:
        keep_choice(session, song.row.id, step.chosen, True, change.id)
    now = _as_it_is_now(session, song, step, patches)
    grown = step.pattern is not None and len(step.pattern.hits) > max(len(song.pattern.hits), FULL)
    if step.long:
        check_length(now.resolved)
    if step.long or grown:
        check_size(now.arrangement)
    voices = None if step.patches else voices
    return now, patches, Changed(voices, step.felt, step.added, step.made)


def _keep_pattern(song: SongRows, after: Pattern, *, follows: bool) -> tuple[list[Patch], frozenset[str] | None]:
    """Keep `after` as the selected pattern; the voices whose hits differ, when nothing else does."""
    row, before = song.pattern_row, song.pattern
    patches: list[Patch] = [hits_patch(row.id, before, after)]
    row.hits = pattern_to_json(after)
    same_frame = after.length_ticks == before.length_ticks and locks_of(after) == locks_of(before)
    if locks_of(after) != locks_of(before):
        patches.append(field_patch("pattern", row, locks=locks_of(after)))
        row.locks = locks_of(after)
    row.length_ticks = after.length_ticks
    cache_pattern(song.row, row, after)
    if follows:
        patches += follow_length(song, before, after)
    hits = patches[0]["hits"]
    voices = frozenset(hit[0] for hit in (*hits["minus"], *hits["plus"]))
    return patches, voices if same_frame else None


def _as_it_is_now(session: Session, song: SongRows, step: Step, patches: list[Patch]) -> SongRows:
    if any(map(_rearranges, patches)):
        return load_song(session, song.row.id, song.values.selection)
    if step.patches or step.pattern is None or any(patch["table"] == "section" for patch in patches):
        return loaded_again(session, song, kits=any(patch["table"] == "kit" for patch in step.patches))
    parts = tuple(replace(part) for part in song.parts)  # what they know of their patterns is of before
    values = replace(song.values.with_selected_pattern(step.pattern), revision=song.row.revision)
    return replace(song, parts=parts, values=values)


def _rearranges(patch: Patch) -> bool:
    """Whether rows come, go or change their places."""
    return "exists" in patch or bool({"removed", "position"} & set(patch.get("fields", {})))


def _log_edit(
    session: Session, song: SongRow, edit_id: str, kind: str, words: str, patches: list[Patch], changed: Changed
) -> None:
    """Remember the edit by its id, and tell the other songs that use what it changed."""
    facts = {name: value for name, value in asdict(changed).items() if name in ("added", "made") and value}
    paths = touched(patches)
    row = EditRow(
        song_id=song.id,
        edit_id=edit_id,
        revision=song.revision,
        kind=kind,
        words=words,
        touched=json.dumps(sorted(paths)),
        facts=facts,
        person_id=person_of(viewer_of(session)),
    )
    session.add(row)
    session.flush()
    names = shared_by(patches)
    if names:
        _tell_others(session, song.id, names, kind, words, paths)
    if row.id % PRUNED_EVERY == 0:
        old = EditRow.revision < song.revision - KEPT_EDITS
        session.execute(delete(EditRow).where(EditRow.song_id == song.id, old))


def _tell_others(session: Session, song_id: int, names: set[str], kind: str, words: str, paths: set[str]) -> None:
    others = sorted(users_of(session, names) - {song_id})
    if not others:
        return
    session.execute(
        update(SongRow)
        .where(SongRow.id.in_(others))
        .values(revision=SongRow.revision + 1)
        .execution_options(synchronize_session=False, **{OF_EVERYBODY: True})
    )
    asked = of_everybody(select(SongRow.id, SongRow.revision).where(SongRow.id.in_(others)))
    revisions = session.execute(asked).all()
    shared = json.dumps(sorted(path for path in paths if path.startswith(("kit/", "template/"))))
    for other, revision in revisions:
        session.add(
            EditRow(
                song_id=other, edit_id=None, revision=revision, kind=kind, words=f"{words} (in another song)",
                touched=shared, facts={}, person_id=person_of(viewer_of(session)),
            )
        )  # fmt: skip
    session.flush()


@dataclass(frozen=True)
class SentStep:
    """Steps of the undo log to be taken; direction: "undo" or "redo"."""

    direction: str
    steps: int = 1
    revision: int | None = None
    selection: Selection = ANYWHERE
    edit_id: str = ""


def take_steps(database: Database, song_id: int, sent: SentStep) -> EditResult:
    """Undo or redo. Raises NothingToUndoError at the end of the log, StaleRevisionError when others changed the song
    since: what would be taken back is not what its sender saw."""
    sent = sent if sent.edit_id else replace(sent, edit_id=f"-{uuid.uuid4().hex}")
    return _tried_again(lambda: _stepped(database, song_id, sent))


def _stepped(database: Database, song_id: int, sent: SentStep) -> EditResult:
    with database.transaction() as session:
        upcoming = upcoming_steps(session, song_id, sent.direction, sent.steps)
        names = shared_by(patch for change in upcoming for patch in orjson.loads(change.patches))
        session.expunge_all()
        if names:
            lock_songs(session, {song_id, *users_of(session, names)})
        song = load_song(session, song_id, sent.selection, lock=True)
        if sent.revision != song.row.revision:
            known = _made_before(session, song, sent.edit_id)
            if known is not None:
                return known
        since = _changed_since(session, song.row, sent.revision, tab_of(sent.edit_id))
        me = person_of(viewer_of(session))
        since = [row for row in since if row.person_id == me]  # what others did is asked step by step
        if since:
            raise StaleRevisionError([row.words for row in since], sent.direction)
        patches: list[Patch] = []
        words = ""
        for _ in range(sent.steps):
            words, some = take_step(session, song.row, sent.direction)
            patches += some
        now = _as_it_is_now(session, song, Step(patches), patches)
        _log_edit(session, now.row, sent.edit_id, sent.direction, words, patches, Changed())
        undo, redo = undo_words(session, song_id)
        return EditResult(now.values, words, undo=undo, redo=redo)


Given = TypeVar("Given")


def _tried_again(work: Callable[[], Given]) -> Given:
    """Deadlocks and lock time-outs are tried again here: the page need not know of them."""
    for attempt in range(MOST_TRIES):
        try:
            return work()
        except OperationalError as error:
            number = error.orig.args[0] if error.orig is not None and error.orig.args else 0
            if number not in DEADLOCKS or attempt == MOST_TRIES - 1:
                raise
            log.warning("an edit is tried again after a %s", "deadlock" if number == 1213 else "lock time-out",
                        exc_info=True)  # fmt: skip
            time.sleep(random.uniform(0.005, 0.03) * (attempt + 1))
    raise AssertionError("unreachable")
