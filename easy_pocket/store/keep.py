"""The frame of every change of a song: hold it, change it, keep it with its step in the undo log."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy.orm import Session

from easy_pocket.core.pattern import Pattern
from easy_pocket.store.changes import (
    Patch,
    StaleRevisionError,
    apply_patches,
    field_patch,
    hits_patch,
    note,
    record,
)
from easy_pocket.store.hits import locks_of, pattern_to_json
from easy_pocket.store.sections import fit_sections
from easy_pocket.store.songs import LoadedSong, load_song, remember_pattern


def begin(session: Session, song_id: int, revision: int | None) -> LoadedSong:
    """The song, held against other changes until the transaction ends; revision None takes it as it is. Raises
    StaleRevisionError when it has changed since."""
    loaded = load_song(session, song_id, lock=True)
    if revision is not None and revision != loaded.row.revision:
        raise StaleRevisionError(loaded.row.revision, revision)
    return loaded


def finish(session: Session, loaded: LoadedSong, words: str, patches: list[Patch], gesture: str | None) -> LoadedSong:
    """Apply patches as one step, and give the song as it is then."""
    record(session, loaded.row, words, patches, gesture)
    session.flush()
    return replace(load_song(session, loaded.row.id), just_done=words)


def keep_pattern(
    session: Session,
    loaded: LoadedSong,
    after: Pattern,
    words: str,
    gesture: str | None = None,
    patches: tuple[Patch, ...] = (),
) -> LoadedSong:
    """Keep `after` as the song's pattern, with patches that belong to the same step; these are applied here too."""
    apply_patches(session, loaded.row, patches)  # first: the pattern is remembered under the song's metre
    step: list[Patch] = [hits_patch(loaded.pattern_row.id, loaded.pattern, after)]
    loaded.pattern_row.hits = pattern_to_json(after)
    if locks_of(after) != locks_of(loaded.pattern):
        step.append(field_patch("pattern", loaded.pattern_row, locks=locks_of(after)))
        loaded.pattern_row.locks = locks_of(after)
    loaded.pattern_row.length_ticks = after.length_ticks
    remember_pattern(loaded.row, loaded.pattern_row, after)
    step += fit_sections(loaded.sections, after.bars)
    note(session, loaded.row, words, [*step, *patches], gesture)
    session.flush()
    return replace(loaded, pattern=after, performances={}, just_done=words)
