"""The song as sound: events of all its parts, and the mix of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.song.part import audible_parts
from easy_pocket.core.song.perform_song import PartPerformance, SongPerformance
from easy_pocket.core.sound.events import EventColumns, columns_of, events_of
from easy_pocket.core.sound.headroom import BLOCK, MeasuredMix, block_peaks, louder
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.mixdown import UNDER, mixdown
from easy_pocket.core.sound.models import RATE_HZ
from easy_pocket.core.sound.sound import SampleSource, no_samples

PRE_ROLL_S = 0.25  # before the first beat, when something comes before it


def part_columns(played: PartPerformance, kit: Kit) -> EventColumns:
    """What a part sounds like, its own level in it; early hits on the very first beat are negative."""
    return columns_of(played.hits, played.struck, kit, played.part.mix, level_db=played.level_db + played.part.level_db)


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
    )


def _end_to_end(columns: Sequence[npt.NDArray[np.number]]) -> Any:
    return np.concatenate(columns) if columns else np.zeros(0, dtype=np.int64)


def pre_roll_s(columns: Sequence[EventColumns]) -> float:
    """What has to come before the first beat so that nothing early is cut off."""
    earliest = min((float(one.start_s.min()) for one in columns if len(one.start_s)), default=0.0)
    return PRE_ROLL_S if earliest < 0 else 0.0


def mix_song(
    song: SongPerformance,
    kits: Mapping[str, Kit],
    *,
    samples: SampleSource = no_samples,
    layers: Sequence[tuple[float, npt.NDArray[np.float32]]] = (),
    name: str = "song",
) -> MeasuredMix:
    """The whole song at 44.1 kHz and the peaks of its parts, tails ringing out after its end.

    layers: loops, as (start in s, shape (frames, 2)).
    """
    heard = audible_parts(song.song.parts)
    sounding = [
        (one.part.name, part_columns(one, kits[one.part.kit]), kits[one.part.kit])
        for one in song.parts
        if one.part.key in heard
    ]
    before = pre_roll_s([columns for _, columns, _ in sounding])
    length_s = before + song.length_ms / 1000
    total = np.zeros((round(length_s * RATE_HZ), 2), dtype=np.float32)
    peaks: dict[str, npt.NDArray[np.float64]] = {}
    for part_name, columns, kit in sounding:
        events = events_of(replace(columns, start_s=columns.start_s + before, cut_s=columns.cut_s + before))
        mix = mixdown(events, kit, length_s, loop=False, samples=samples).samples
        peaks[part_name] = louder(peaks.get(part_name, np.zeros(0)), block_peaks(mix))
        total = _added(total, mix, 0)
    for start_s, audio in layers:
        silent = mixdown([], next(iter(kits.values())), len(audio) / RATE_HZ, loop=True, layers=[audio])
        start = round((start_s + before) * RATE_HZ)
        own = np.pad(block_peaks(silent.samples), (start // BLOCK, 0))
        peaks[UNDER] = louder(peaks.get(UNDER, np.zeros(0)), own)
        total = _added(total, silent.samples, start)
    return MeasuredMix(Audio(total, RATE_HZ, name), peaks)


def _added(total: npt.NDArray[np.float32], more: npt.NDArray[np.float32], at: int) -> npt.NDArray[np.float32]:
    if at + len(more) > len(total):
        total = np.pad(total, ((0, at + len(more) - len(total)), (0, 0)))
    total[at : at + len(more)] += more
    return total
