"""Loops that play under a song: added, set, taken away; and what they play."""

from __future__ import annotations

import hashlib
import json
from collections import OrderedDict
from threading import Lock
from typing import Any

import numpy as np
import numpy.typing as npt
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.listen.under import NAMES, PLAIN, under_from_doc, under_stack
from easy_pocket.core.perform import Performance
from easy_pocket.core.sound.cache import AudioCache
from easy_pocket.store.changes import field_patch
from easy_pocket.store.keep import begin, finish
from easy_pocket.store.loops import found_from_doc, get_loop, load_audio
from easy_pocket.store.songs import LoadedSong
from easy_pocket.store.templates import find_template
from easy_pocket.store.under_rows import UnderLoop, sections_of, under_docs

MOST_UNDER = 8
TOLD = 256  # what pages were told to play lately
RENDERED_BYTES = 160_000_000
WORDS = {
    "how": "how it is set",
    "level_db": "level",
    "low_cut_hz": "low cut",
    "muted": "mute",
    "from_bar": "first bar",
    "to_bar": "last bar",
    "section_id": "section",
    "cycle_ticks": "length of a turn",
    "start_ticks": "start",
    "to": "what it goes to",
    "strength_percent": "strength",
    "template_id": "groove it goes to",
    "duck_voice": "voice it makes room for",
    "duck_db": "depth of the room",
    "duck_hold_ms": "hold of the room",
    "duck_release_ms": "release of the room",
}


def put_under(session: Session, song_id: int, revision: int, loop_id: int) -> LoadedSong:
    """Play a loop under the stack, as it is by itself."""
    loaded = begin(session, song_id, revision)
    row, docs = get_loop(session, song_id, loop_id), under_docs(loaded.row)
    if any(doc["loop_id"] == loop_id for doc in docs):
        raise EditRefusedError(f"{row.name} plays under the stack already.")
    if len(docs) >= MOST_UNDER:
        raise EditRefusedError(f"{MOST_UNDER} loops play under the stack, the most there can be: take one away first.")
    patch = field_patch("song", loaded.row, under=[*docs, {"loop_id": loop_id}])
    return finish(session, loaded, f"{row.name} under the stack", [patch], None)


def set_under(
    session: Session, song_id: int, revision: int, loop_id: int, field: str, value: Any, gesture: str | None = None
) -> LoadedSong:
    """Set one thing of how a loop plays under the stack; raises BadValueError for what is out of range."""
    loaded = begin(session, song_id, revision)
    docs = under_docs(loaded.row)
    doc = next((doc for doc in docs if doc["loop_id"] == loop_id), None)
    if doc is None:
        raise EditRefusedError("This loop does not play under the stack: put it there first.")
    if field == "section_id":
        if value is not None and all(row.id != value for row in loaded.sections):
            raise BadValueError("This section is gone: choose another.")
        changed = {**doc, "section_id": None, "section_ids": [] if value is None else [int(value)]}
    elif field == "template_id":
        if value is not None and find_template(session, int(value)) is None:
            raise BadValueError("This groove template is gone: choose another.")
        changed = {**doc, "template_id": None if value is None else int(value)}
    else:
        changed = {**doc, field: _of_kind(field, value)}
    if changed.get("to") == "groove" and not changed.get("template_id"):
        part, stack = (own.get("template_id") for own in (loaded.part.feel, loaded.row.feel))
        changed["template_id"] = part or stack or next((key for key, _ in loaded.groove_names_of()), None)
    under_from_doc(changed)  # refuses what is out of range
    after = [changed if one is doc else one for one in docs]
    named = next((row.name for row in loaded.sections if field == "section_id" and row.id == value), None)
    words = f"{WORDS[field]} of {get_loop(session, song_id, loop_id).name} {named or _said(value)}"
    return finish(session, loaded, words, [field_patch("song", loaded.row, under=after)], gesture)


def set_under_section(
    session: Session, song_id: int, revision: int, loop_id: int, section_id: int, there: bool
) -> LoadedSong:
    """Whether a loop plays in a section. One that went by its bars plays in all sections before."""
    loaded = begin(session, song_id, revision)
    docs = under_docs(loaded.row)
    doc = next((doc for doc in docs if doc["loop_id"] == loop_id), None)
    section = next((one.row for one in loaded.resolved if one.row.id == section_id), None)
    if doc is None or section is None:
        raise EditRefusedError("This loop or section is gone: look at the song as it is now.")
    everywhere = [one.row.id for one in loaded.resolved]
    ids = [one for one in sections_of(doc) or everywhere if one != section_id and one in everywhere]
    ids = [one for one in everywhere if one in ids or (there and one == section_id)]
    changed = {**doc, "section_id": None, "section_ids": ids, "muted": not ids}
    after = [changed if one is doc else one for one in docs]
    name = get_loop(session, song_id, loop_id).name
    words = f"{name} {'plays' if there else 'rests'} in {section.name}"
    return finish(session, loaded, words, [field_patch("song", loaded.row, under=after)], None)


def take_from_under(session: Session, song_id: int, revision: int, loop_id: int) -> LoadedSong:
    loaded = begin(session, song_id, revision)
    after = [doc for doc in under_docs(loaded.row) if doc["loop_id"] != loop_id]
    words = f"{get_loop(session, song_id, loop_id).name} no longer under the stack"
    return finish(session, loaded, words, [field_patch("song", loaded.row, under=after)], None)


def _of_kind(field: str, value: Any) -> Any:
    """The value as its setting has it: a word, a switch, a whole number or a number."""
    plain = getattr(PLAIN, field)
    if isinstance(plain, str) != isinstance(value, str):
        raise BadValueError(f"'{value}' does not fit {WORDS[field]}: choose one of its values.")
    return value if isinstance(plain, str) else type(plain)(value)


def _said(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    return str(value or "none") if value is None or isinstance(value, str) else f"{value:g}"


# What pages were told to play: made when it is asked for, from what it was then.
_told: OrderedDict[str, tuple[UnderLoop, Performance]] = OrderedDict()
_made = AudioCache(RENDERED_BYTES)
_lock = Lock()


def tell_under(one: UnderLoop, performance: Performance) -> str:
    """A key for what this loop plays in a pass of the performance; `play_under` makes it."""
    shape = hashlib.sha256()
    doc = {name: getattr(one.under, name) for name in NAMES}
    loop = (one.row.id, one.row.audio_hash, one.row.overruled)  # what is heard in it follows from these
    heard = (*loop, doc, one.template_id, performance.tempo_bpm, performance.length_ms)
    shape.update(json.dumps(heard, sort_keys=True).encode())
    if one.template is not None:
        shape.update(repr(one.template.lanes["all"].offset_ms).encode())
    if one.under.to == "stack" or one.under.duck_voice:
        shape.update(repr(performance.hits.voices).encode())
        shape.update(performance.hits.voice_index.tobytes())
        shape.update(np.round(performance.loop_ms, 4).tobytes())
    key = shape.hexdigest()[:24]
    with _lock:
        _told[key] = one, performance
        _told.move_to_end(key)
        while len(_told) > TOLD:
            _told.popitem(last=False)
    return key


def play_under(session: Session, key: str) -> npt.NDArray[np.float32]:
    """The audio behind a key a page was told; shape (frames, 2). Raises BadValueError when it is too long ago."""
    with _lock:
        told = _told.get(key)
    if told is None:
        raise BadValueError("What this loop plays was changed since: reload the page.")
    return _made.get(key, lambda: render_under(session, *told))


def render_under(session: Session, one: UnderLoop, performance: Performance) -> npt.NDArray[np.float32]:
    heard = found_from_doc(one.row.found)
    audio = load_audio(session, one.row.audio_hash, one.row.name)
    return under_stack(audio, heard.onsets, heard.reading, one.under, performance, one.template)
