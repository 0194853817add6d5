"""What loops that play under a song sound like: told to pages by key, made when it is asked for."""

from __future__ import annotations

import hashlib
import json

import numpy as np
import numpy.typing as npt

from easy_pocket.caches import ByteCache
from easy_pocket.core.errors import NotThereError
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.listen.layered_loop import NAMES, render_layered_loop
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.store.database import Reads
from easy_pocket.store.loops.layered_loop_rows import LayeredLoop
from easy_pocket.store.loops.loops import analysis_from_doc, load_audio
from easy_pocket.store.made.made import made
from easy_pocket.store.viewer import told_to

TOLD_BYTES = 64_000_000  # what pages were told to play lately
RENDERED_BYTES = 160_000_000
# What pages were told to play: made when it is asked for, from what it was then.
_told: ByteCache[tuple[LayeredLoop, Performance]] = ByteCache("loops told to pages", TOLD_BYTES)
_made: ByteCache[Frames] = ByteCache("loops, rendered", RENDERED_BYTES)


def register_layered_loop(one: LayeredLoop, performance: Performance) -> str:
    """Register what this loop plays in a pass of the performance, and give its key for `layered_loop_audio`."""
    shape = hashlib.sha256()
    doc = {name: getattr(one.settings, name) for name in NAMES}
    loop = (one.id, one.audio_hash, one.corrections)  # what is heard in it follows from these
    heard = (*loop, doc, one.template_id, performance.tempo_bpm, performance.length_ms)
    shape.update(json.dumps(heard, sort_keys=True).encode())
    if one.template is not None:
        shape.update(repr(one.template.lanes["all"].offset_ms).encode())
    if one.settings.to == "stack" or one.settings.duck_voice:
        shape.update(repr(performance.hits.voices).encode())
        shape.update(performance.hits.voice_index.tobytes())
        shape.update(np.round(performance.loop_ms, 4).tobytes())
    key = shape.hexdigest()[:24]
    if _told.find(told_to() + key) is None:
        made.put_value(f"loop/{told_to()}{key}", (one, performance))
    _told.put(told_to() + key, (one, performance))
    return key


def layered_loop_audio(session: Reads, key: str) -> npt.NDArray[np.float32]:
    """Render the audio of a registered key, shape (frames, 2). Raises BadValueError when the key is no longer known."""
    told = _told_loop(key)
    return _made.get(key, lambda: render_loop_layer(session, *told))


def check_told(key: str) -> None:
    """Raises NotThereError when who asks was not told of it."""
    _told_loop(key)


def _told_loop(key: str) -> tuple[LayeredLoop, Performance]:
    name = told_to() + key
    told = _told.find(name) or made.get_value(f"loop/{name}")
    if told is None:
        raise NotThereError("What this loop plays was changed since: reload the page.")
    return _told.put(name, told)


def render_loop_layer(session: Reads, one: LayeredLoop, performance: Performance) -> npt.NDArray[np.float32]:
    heard = analysis_from_doc(one.found)
    audio = load_audio(session, one.audio_hash, one.name)
    return render_layered_loop(audio, heard.onsets, heard.reading, one.settings, performance, one.template)
