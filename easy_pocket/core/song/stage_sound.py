"""What the parts of a song play, voice by voice, as a Stage takes it: made when it is asked for, and let go again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.sound.events import MASTER_GAIN, Event, EventColumns, events_of, on_samples
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.mixdown import MAX_TAIL_S, add_hits
from easy_pocket.core.sound.sound import SampleSource, no_samples
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.curves import BeatMap
from easy_pocket.core.stage.stage_mix import Sound
from easy_pocket.core.stage.units import Strikes

Floats = npt.NDArray[np.floating]
QUARTER_TICKS = 960


@dataclass(frozen=True)
class PlayedPart:
    """A part: its key, its events, and the kit they are of."""

    key: int
    columns: EventColumns
    kit: Kit

    def later(self, by_s: float) -> PlayedPart:
        """The same after so many seconds; each hit stays on the sample it is on."""
        columns = self.columns
        start_s = on_samples(columns.start_s) + by_s
        return replace(self, columns=replace(columns, start_s=start_s, cut_s=columns.cut_s + by_s))


def voice_place(part: int, voice: str) -> str:
    """What a voice of a part is called on a Stage."""
    return f"part:{part}:{voice}"


def strikes_of(parts: Sequence[PlayedPart]) -> Strikes:
    """When each voice strikes. Its velocity is told by its gain: the loudest of a voice has 127."""
    places: list[str] = []
    place, times, sizes = [], [], []
    for part in parts:
        columns = part.columns
        for index, voice in enumerate(columns.voices):
            mine = columns.voice == index
            if not mine.any():
                continue
            gain = columns.gain[mine]
            place.append(np.full(int(mine.sum()), len(places)))
            times.append(columns.start_s[mine])
            sizes.append(127 * gain / max(float(gain.max()), 1e-9))
            places.append(voice_place(part.key, voice))
    if not places:
        return Strikes((), np.zeros(0, dtype=np.int64), np.zeros(0), np.zeros(0))
    return Strikes(tuple(places), np.concatenate(place), np.concatenate(times), np.concatenate(sizes))


def song_beats(song: Arrangement) -> BeatMap:
    """Where the quarter notes of a song fall, with the tempi of its sections."""
    spans = song.spans
    beats = np.array([0, *(span.start_tick + span.ticks for span in spans)]) / QUARTER_TICKS
    times_s = np.array([0.0, *((span.start_ms + span.length_ms) / 1000 for span in spans)])
    return BeatMap(beats, times_s)


class PartsSound(Sound):
    """Voices of parts and loops under them, over length_s; a loop is folded round, else sounds ring on after it.

    layers: by place, (start in s, audio of shape (frames, 2)).
    """

    def __init__(
        self,
        parts: Sequence[PlayedPart],
        length_s: float,
        *,
        loop: bool,
        samples: SampleSource = no_samples,
        layers: Mapping[str, Sequence[tuple[float, npt.NDArray[np.float32]]]] | None = None,
        tail_s: float = MAX_TAIL_S,
    ) -> None:
        self.loop, self.samples, self.layers = loop, samples, layers or {}
        length = round(length_s * RATE_HZ)
        self.frames = length if loop else length + round(tail_s * RATE_HZ)
        self._kits: dict[str, Kit] = {}
        self._events: dict[str, list[Event]] = {}
        for part in parts:
            for event in events_of(part.columns):
                where = voice_place(part.key, event.voice)
                self._events.setdefault(where, []).append(event)
                self._kits[where] = part.kit
        self.places = (*self._events, *self.layers)
        self._hits_to_room = True

    def only(self, places: Sequence[str], *, hits_to_room: bool = True) -> PartsSound:
        """Some of the places by themselves; others are still there to be listened to by compressors.

        hits_to_room: whether single hits are sent to a room as they are drawn.
        """
        chosen = copy(self)
        chosen.places, chosen._hits_to_room = tuple(places), hits_to_room
        return chosen

    def to_room(self, name: str) -> Floats | None:
        """What hits that are sent to the long room by themselves send there."""
        sent: dict[str, list[Event]] = {}
        if name == "long" and self._hits_to_room:
            mine = {where: self._events.get(where, ()) for where in self.places}
            sent = {where: [one for one in own if one.room] for where, own in mine.items()}
        if not any(sent.values()):
            return None
        line = np.zeros((2, self.frames), dtype=np.float32)
        for where, own in sent.items():
            softer = [replace(one, gain=one.gain * one.room) for one in own]
            if softer:
                voice = self._kits[where].voice(softer[0].voice)
                add_hits(line, softer, voice, loop=self.loop, samples=self.samples)
        return line

    def add(self, where: str, line: Floats) -> None:
        for start_s, audio in self.layers.get(where, ()):
            start = round(start_s * RATE_HZ)
            count = min(len(audio), self.frames - start)
            line[:, start : start + count] += MASTER_GAIN * audio[:count].T
        events = self._events.get(where)
        if events:
            voice = self._kits[where].voice(events[0].voice)
            add_hits(line, events, voice, loop=self.loop, samples=self.samples)
