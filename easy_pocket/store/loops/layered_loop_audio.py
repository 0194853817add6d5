"""What loops that play under a song sound like: told to pages by key, made when it is asked for."""

from __future__ import annotations

import hashlib
import json

import numpy as np
import numpy.typing as npt

from easy_pocket.caches import ByteCache
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.listen.layered_loop import NAMES, under_stack
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.store.database import Reads
from easy_pocket.store.loops.layered_loop_rows import UnderLoop
from easy_pocket.store.loops.loops import found_from_doc, load_audio

TOLD_BYTES = 64_000_000  # what pages were told to play lately
RENDERED_BYTES = 160_000_000
# What pages were told to play: made when it is asked for, from what it was then.
_told: ByteCache[tuple[UnderLoop, Performance]] = ByteCache("loops told to pages", TOLD_BYTES)
_made: ByteCache[Frames] = ByteCache("loops, rendered", RENDERED_BYTES)


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
    _told.put(key, (one, performance))
    return key


def play_under(session: Reads, key: str) -> npt.NDArray[np.float32]:
    """The audio behind a key a page was told; shape (frames, 2). Raises BadValueError when it is too long ago."""
    told = _told.find(key)
    if told is None:
        raise BadValueError("What this loop plays was changed since: reload the page.")
    return _made.get(key, lambda: render_under(session, *told))


def render_under(session: Reads, one: UnderLoop, performance: Performance) -> npt.NDArray[np.float32]:
    heard = found_from_doc(one.row.found)
    audio = load_audio(session, one.row.audio_hash, one.row.name)
    return under_stack(audio, heard.onsets, heard.reading, one.under, performance, one.template)
