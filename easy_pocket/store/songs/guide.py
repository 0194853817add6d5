"""The guide of a song: which audio, where its bar one is, from which bar of the song it plays, how loud."""

from __future__ import annotations

import hashlib
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.caches import ByteCache
from easy_pocket.core.errors import BadValueError, NotThereError, require_range
from easy_pocket.core.listen.guide import guide_frames
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.sound.events import MASTER_GAIN
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.store.database import Reads
from easy_pocket.store.loops.loops import load_audio
from easy_pocket.store.made.made import made
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.viewer import told_to

Doc = dict[str, Any]
PLACE = "whole"
GUIDE_PLACE = "loop:0"  # in a mix, where every line has a place of its own
MADE_BYTES = 200_000_000
_made: ByteCache[Frames] = ByteCache("guides, as they are played", MADE_BYTES)


@dataclass(frozen=True)
class Guide:
    """start_s: where in the file its bar one is. bar: of the song at which that falls, from 1. solo: it is heard alone.
    picture: its size, column by column. words: what was found of its beat. tempo_bpm: found, 0 for none. lines_s: where
    its bars begin and the last one ends, in s of the file."""

    audio_hash: str
    name: str
    duration_s: float
    start_s: float = 0.0
    bar: int = 1
    level_db: float = -6.0
    muted: bool = False
    solo: bool = False
    tempo_bpm: float = 0.0
    words: str = ""
    picture: tuple[float, ...] = ()
    lines_s: tuple[float, ...] = ()

    def __post_init__(self) -> None:
        require_range("Where the guide's bar one is", self.start_s, 0, self.duration_s, "s")
        require_range("The bar a guide begins at", self.bar, 1, 512)
        require_range("The level of a guide", self.level_db, -60, 12, "dB")

    @property
    def key(self) -> str:
        """What its audio is asked for by."""
        return hashlib.sha256(f"guide {self.audio_hash}".encode()).hexdigest()[:24]


def guide_to_doc(guide: Guide) -> Doc:
    return {**asdict(guide), "picture": list(guide.picture), "lines_s": list(guide.lines_s)}


def guide_of(doc: Doc | None) -> Guide | None:
    if not doc:
        return None
    return Guide(**{**doc, **{name: tuple(doc.get(name, ())) for name in ("picture", "lines_s")}})


_told: dict[str, Guide] = {}  # by key; few, and small
MOST_TOLD = 512


def register_guide(guide: Guide) -> str:
    """Register it, so that its audio can be asked for by key."""
    key = told_to() + guide.key
    if len(_told) >= MOST_TOLD:
        _told.pop(next(iter(_told)))
    if key not in _told:
        made.put_value(f"guide/{key}", guide)
    _told[key] = guide
    return guide.key


def is_guide(key: str) -> bool:
    return _told_guide(key) is not None


def _told_guide(key: str) -> Guide | None:
    return _told.get(told_to() + key) or made.get_value(f"guide/{told_to()}{key}")


def guide_audio(reads: Reads, key: str) -> npt.NDArray[np.float32]:
    """As it is played, shape (frames, 2)."""
    guide = _told_guide(key)
    if guide is None:
        raise NotThereError("The guide was changed since: reload the page.")
    return _made.get(key, lambda: guide_frames(load_audio(reads, guide.audio_hash, guide.name)))


def heard_guide(song: LoadedSong) -> Guide | None:
    """The guide, if it is heard and begins within the song."""
    guide = guide_of(song.guide_doc)
    if guide is None or guide.muted or guide.bar >= len(song.arrangement.bar_starts_ms):
        return None
    return guide


def guide_in_mix(
    reads: Reads, song: LoadedSong, guide: Guide, before_s: float
) -> tuple[float, npt.NDArray[np.float32]]:
    """When it begins in a mix that begins before_s before the song, and its frames, as loud as the page plays it."""
    at_s = begins_s(song.arrangement, guide) + before_s
    frames = guide_audio(reads, register_guide(guide))
    frames = frames[max(0, round(-at_s * RATE_HZ)) :] * np.float32(10 ** (guide.level_db / 20) / MASTER_GAIN)
    return max(at_s, 0.0), frames


def begins_s(arrangement: Arrangement, guide: Guide) -> float:
    """When the file begins, in s of the song; negative where it began before. Raises BadValueError for a guide that
    begins after the song's end."""
    starts_ms = arrangement.bar_starts_ms
    if guide.bar >= len(starts_ms):
        raise BadValueError(f"The guide begins at bar {guide.bar}, after the song's end: place it earlier.")
    return starts_ms[guide.bar - 1] / 1000 - guide.start_s
