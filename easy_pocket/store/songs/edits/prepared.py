"""What an edit computes before its song is held. Where that is long it may be done before the edit is sent, by a worker
anywhere: it lies by what it was computed from, and whoever makes the edit finds it there."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from typing import Any

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.progress import OnProgress
from easy_pocket.store.database import Reader
from easy_pocket.store.made.made import made
from easy_pocket.store.songs.edits.registry import KINDS, Edit, Preparation
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.selection import Selection
from easy_pocket.store.songs.song_rows import SongRows


def _key(song: SongRows, edit: Edit) -> str:
    """Of everything that goes in: the song as it is, where it is looked at, and the edit."""
    said = f"{song.values.selection} {edit.model_dump_json()}"
    return f"prepared/{song.row.id}/{song.row.revision}/{hashlib.sha256(said.encode()).hexdigest()}"


def prepared_before(song: SongRows, edit: Edit) -> Any:
    """What was computed for this edit on the song as it is; None when nothing was."""
    return made.get_value(_key(song, edit)) if KINDS[edit.kind].long else None


def prepared(reader: Reader, song: SongRows, edit: Edit) -> Any:
    """Computed before, or now. Raises what the edit refuses."""
    prepare = KINDS[edit.kind].prepare
    assert prepare is not None
    found = prepared_before(song, edit)
    return prepare(Preparation(reader, song), edit) if found is None else found


def prepare_long(
    reader: Reader, song_id: int, selection: Selection, edit: Edit, on_progress: OnProgress
) -> tuple[str, Any]:
    """Compute it, for `keep_prepared`: under which name it is to lie, and what it is."""
    prepare = require_long(edit)
    with reader.together() as session:
        song = load_song(session, song_id, selection)
    return _key(song, edit), prepare(replace(Preparation(reader, song), on_progress=on_progress), edit)


def require_long(edit: Edit) -> Any:
    """Raises BadValueError for an edit that is made at once."""
    kind = KINDS[edit.kind]
    if kind.prepare is None or not kind.long:
        raise BadValueError(f"The edit '{kind.name}' needs no preparing: send it as it is.")
    return kind.prepare


def keep_prepared(name: str, found: Any) -> None:
    made.put_value(name, found)
