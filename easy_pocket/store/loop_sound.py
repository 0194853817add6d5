"""The sound of a loop as it is drawn, decoded once while it is looked at."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

from easy_pocket.core.listen.picture import Ints16, as_int16
from easy_pocket.store.database import Reads
from easy_pocket.store.loops import load_audio
from easy_pocket.store.models import LoopRow

MOST_FRAMES = 60_000_000  # held at once, two bytes each: two loops of ten minutes

_held: OrderedDict[str, tuple[Ints16, int]] = OrderedDict()
_lock = Lock()


def drawn_sound(session: Reads, row: LoopRow) -> tuple[Ints16, int]:
    """Mono samples with the loudest at full scale, and their rate in Hz."""
    with _lock:
        if row.audio_hash in _held:
            _held.move_to_end(row.audio_hash)
            return _held[row.audio_hash]
    audio = load_audio(session, row.audio_hash, row.name)
    sound = as_int16(audio.mono()), audio.rate_hz
    with _lock:
        _held[row.audio_hash] = sound
        while sum(len(samples) for samples, _ in _held.values()) > MOST_FRAMES and len(_held) > 1:
            _held.popitem(last=False)
    return sound
