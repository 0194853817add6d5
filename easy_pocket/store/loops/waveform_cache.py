"""The sound of a loop as it is drawn, decoded once while it is looked at."""

from __future__ import annotations

from easy_pocket.caches import ByteCache
from easy_pocket.core.listen.waveform import Ints16, as_int16
from easy_pocket.store.database import Reads
from easy_pocket.store.loops.loops import load_audio
from easy_pocket.store.schema.tables import LoopRow

HELD_BYTES = 120_000_000  # two bytes a frame: two loops of ten minutes

_held: ByteCache[tuple[Ints16, int]] = ByteCache("loops, as they are drawn", HELD_BYTES)


def drawn_sound(session: Reads, row: LoopRow) -> tuple[Ints16, int]:
    """Mono samples with the loudest at full scale, and their rate in Hz."""

    def decoded() -> tuple[Ints16, int]:
        audio = load_audio(session, row.audio_hash, row.name)
        return as_int16(audio.mono()), audio.rate_hz

    return _held.get(row.audio_hash, decoded)
