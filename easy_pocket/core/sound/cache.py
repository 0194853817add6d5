"""Rendered audio by content key, the least lately used dropped first when it grows too large."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock

import numpy as np
import numpy.typing as npt

Frames = npt.NDArray[np.float32]  # audio at 44.1 kHz, shape (frames, 1 or 2 channels)


class AudioCache:
    """Safe to share between threads; two threads that miss the same key both render it, and one result is kept."""

    def __init__(self, max_bytes: int) -> None:
        self.max_bytes = max_bytes
        self._held: OrderedDict[str, Frames] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()

    def get(self, key: str, make: Callable[[], Frames]) -> Frames:
        """The audio of this key, rendered now if it is not held. Callers must not change it."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
        audio = make()
        audio.flags.writeable = False
        with self._lock:
            if key not in self._held:
                self._held[key] = audio
                self._bytes += audio.nbytes
            while self._bytes > self.max_bytes and len(self._held) > 1:
                self._bytes -= self._held.popitem(last=False)[1].nbytes
        return audio

    def clear(self) -> None:
        with self._lock:
            self._held.clear()
            self._bytes = 0
