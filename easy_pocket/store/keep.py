"""The frame of every change of a song: hold it, change it, keep it with its step in the undo log."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy.orm import Session

from easy_pocket.core.pattern import Pattern
from easy_pocket.core.song.bounds import check_size
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
from easy_pocket.store.sections import follow_length
from easy_pocket.store.songs import LoadedSong, assembled_again, load_song, remember_pattern

FULL = 4000  # hits of a pattern, from which on it is asked how many a song of it would play


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
    if any(map(_rearranges, patches)):
        now = load_song(session, loaded.row.id)
    else:
        now = assembled_again(session, loaded, kits=any(patch["table"] == "kit" for patch in patches))
    return replace(now, just_done=words)


def _rearranges(patch: Patch) -> bool:
    """Whether rows come, go or change their places."""
    return "exists" in patch or bool({"removed", "position"} & set(patch.get("fields", {})))


def keep_pattern(
    session: Session,
    loaded: LoadedSong,
    after: Pattern,
    words: str,
    gesture: str | None = None,
    patches: tuple[Patch, ...] = (),
    *,
    follows: bool = True,
) -> LoadedSong:
    """Keep `after` as the pattern that is looked at, with patches that belong to the same step; these are applied here
    too. follows: sections as long as the pattern get its new length."""
    apply_patches(session, loaded.row, patches)  # first: the pattern is remembered under the song's metre
    step: list[Patch] = [hits_patch(loaded.pattern_row.id, loaded.pattern, after)]
    loaded.pattern_row.hits = pattern_to_json(after)
    if locks_of(after) != locks_of(loaded.pattern):
        step.append(field_patch("pattern", loaded.pattern_row, locks=locks_of(after)))
        loaded.pattern_row.locks = locks_of(after)
    loaded.pattern_row.length_ticks = after.length_ticks
    remember_pattern(loaded.row, loaded.pattern_row, after)
    if follows:
        step += follow_length(loaded, loaded.pattern, after)
    note(session, loaded.row, words, [*step, *patches], gesture)
    session.flush()
    parts = tuple(replace(part) for part in loaded.parts)  # what they know of their patterns is of before
    kept = replace(loaded, parts=parts, pattern=after, performances={}, just_done=words)
    if len(after.hits) > len(loaded.pattern.hits) and len(after.hits) > FULL:
        check_size(kept.arrangement)
    return kept
