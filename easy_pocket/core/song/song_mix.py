"""The song as sound: events of all its parts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.part import audible_parts
from easy_pocket.core.song.perform_song import PartPerformance, SongPerformance
from easy_pocket.core.sound.events import EventColumns, columns_of
from easy_pocket.core.sound.kit import Kit


def part_columns(played: PartPerformance, kit: Kit, more_db: npt.NDArray[np.float64] | float = 0.0) -> EventColumns:
    """What a part sounds like, its own level in it; early hits on the very first beat are negative.

    Parameters
    ----------
    played
        The part as it is played.
    kit
        Voices, and how they sound.
    more_db
        By how many dB each hit is louder besides, shape (hits,).

    Returns
    -------
    EventColumns
        When each sound begins, its gain and its pan.
    """
    level_db = played.level_db + played.part.level_db + more_db
    return columns_of(played.hits, played.struck, kit, played.part.mix, level_db=level_db)


def song_columns(song: SongPerformance, kits: Mapping[str, Kit]) -> list[EventColumns]:
    """Of every part that sounds, in their order."""
    heard = audible_parts(song.song.parts)
    return [part_columns(one, kits[one.part.kit]) for one in song.parts if one.part.key in heard]


def together(columns: Sequence[EventColumns]) -> EventColumns:
    """Several as one, sorted by start; of two on one sample the one of the earlier part first."""
    audio = tuple(dict.fromkeys(key for one in columns for key in one.audio))
    number = {key: place for place, key in enumerate(audio)}
    voices = tuple(voice for one in columns for voice in one.voices)
    firsts = np.cumsum([0, *(len(one.voices) for one in columns)])
    start_s = _end_to_end([one.start_s for one in columns])
    order = np.argsort(start_s, kind="stable")
    sound = [np.array([number[key] for key in one.audio], dtype=np.int64)[one.sound] for one in columns if one.audio]
    return EventColumns(
        voices=voices,
        audio=audio,
        voice=_end_to_end([one.voice + first for one, first in zip(columns, firsts[:-1], strict=True)])[order],
        stretch=_end_to_end([one.stretch for one in columns])[order],
        alternate=_end_to_end([one.alternate for one in columns])[order],
        sound=_end_to_end(sound)[order],
        start_s=start_s[order],
        gain=_end_to_end([one.gain for one in columns])[order],
        pan=_end_to_end([one.pan for one in columns])[order],
        cut_s=_end_to_end([one.cut_s for one in columns])[order],
        rate=_end_to_end([one.rate for one in columns])[order],
        back=_end_to_end([one.back for one in columns])[order],
        fade=_end_to_end([one.fade for one in columns])[order],
        room=_end_to_end([one.room for one in columns])[order],
    )


def _end_to_end(columns: Sequence[npt.NDArray[np.number]]) -> Any:
    return np.concatenate(columns) if columns else np.zeros(0, dtype=np.int64)


def starts_early(columns: Sequence[EventColumns]) -> bool:
    """Whether something sounds before the first beat: then files begin a bar before it, MIDI and audio alike."""
    return any(float(one.start_s.min()) < 0 for one in columns if len(one.start_s))


def pre_roll_s(song: Arrangement, columns: Sequence[EventColumns]) -> float:
    """How long that bar is, 0 where nothing is early."""
    if not song.spans or not starts_early(columns):
        return 0.0
    first = song.spans[0]
    return first.metre.bar_ticks * ms_per_tick(first.tempo_bpm) / 1000
