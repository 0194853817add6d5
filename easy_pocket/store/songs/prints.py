"""Printing: some of what a song plays, as audio of its own, with the bars and hits it is known to have."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError, EditRefusedError, require_range
from easy_pocket.core.listen.known_hits import known_hits
from easy_pocket.core.listen.loop_analysis import LoopAnalysis
from easy_pocket.core.listen.reading import Reading, known_reading
from easy_pocket.core.pattern.timebase import Metre, one_bar_metre
from easy_pocket.core.progress import OnProgress, no_progress
from easy_pocket.core.song.stage_sound import PartsSound
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.mix_stage import mix_stage
from easy_pocket.core.stage.printing import places_under, stage_to_print
from easy_pocket.core.stage.units import Music
from easy_pocket.core.text import counted
from easy_pocket.store.database import Reads
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.mixes import song_sound, stack_sound

LONGEST_S = 300.0
SILENT = 10 ** (-70 / 20)


@dataclass(frozen=True)
class PrintChoice:
    """What is printed: of a place, so many bars of the loop that plays or of the song, counted from 1 (bars 0: all that
    are left), with or without its chains and rooms."""

    where: str
    of: str = "loop"
    from_bar: int = 1
    bars: int = 0
    chains: bool = True
    rooms: bool = True


@dataclass(frozen=True)
class Printed:
    """Audio of some bars: frames of shape (n, 2) at 44.1 kHz, how they read, and when hits fall, in s."""

    frames: npt.NDArray[np.float32]
    reading: Reading
    times_s: npt.NDArray[np.float64]
    has_loops: bool

    def heard(self, name: str) -> LoopAnalysis:
        """What is in it, as of any loop. Raises NoHitsError when there is no hit."""
        return known_hits(Audio(self.frames, RATE_HZ, name), self.times_s, self.reading, listen=self.has_loops)


def print_place(reader: Reads, song: LoadedSong, choice: PrintChoice, on_progress: OnProgress = no_progress) -> Printed:
    """Raises EditRefusedError for what is silent there, BadValueError for bars there are not or too many of them."""
    sound, music, lines_s, metre = _music_of(reader, song, choice)
    last = len(lines_s) - 1
    require_range("The first bar", choice.from_bar, 1, last)
    end = min(choice.from_bar - 1 + choice.bars, last) if choice.bars else last
    bars_s = lines_s[choice.from_bar - 1 : end + 1] + music.before_s
    length_s = float(bars_s[-1] - bars_s[0])
    if length_s > LONGEST_S:
        raise BadValueError(
            f"{counted(end - choice.from_bar + 1, 'bar')} last {length_s / 60:.1f} minutes; a print lasts at most "
            f"{LONGEST_S / 60:.0f}: choose fewer bars."
        )
    places = places_under(choice.where, song.stage, sound.places)
    frames = _frames(sound, music, song, choice, places, on_progress)
    first, until = round(float(bars_s[0]) * RATE_HZ), round(float(bars_s[-1]) * RATE_HZ)
    x = np.ascontiguousarray(frames[:, first:until].T, dtype=np.float32)
    if not places or float(np.abs(x).max(initial=0.0)) < SILENT:
        raise EditRefusedError(
            "It is silent in these bars: it is muted, or nothing is written for it there. Choose other bars, or unmute "
            "it first."
        )
    strikes = music.strikes
    mine = np.isin(strikes.place, [number for number, place in enumerate(strikes.places) if place in places])
    times_s = strikes.times_s[mine] + music.before_s
    times_s = np.mod(times_s, music.length_s) if music.loops else times_s
    has_loops = any(place.startswith("loop:") for place in places)
    return Printed(x, known_reading(bars_s, metre), times_s - bars_s[0], has_loops)


def _frames(
    sound: PartsSound,
    music: Music,
    song: LoadedSong,
    choice: PrintChoice,
    places: tuple[str, ...],
    on_progress: OnProgress,
) -> npt.NDArray[np.floating]:
    stage = song.stage_here if music.loops else song.stage
    stage = stage_to_print(stage, chains=choice.chains, rooms=choice.rooms)
    mix = mix_stage(sound.only(places, hits_to_room=choice.rooms), stage, music, on_progress=on_progress)
    return mix.audio if choice.where == "whole" and choice.chains else mix.before


def _music_of(
    reader: Reads, song: LoadedSong, choice: PrintChoice
) -> tuple[PartsSound, Music, npt.NDArray[np.float64], Metre]:
    """The sound, its music, where its bars begin and end in s (bars + 1 of them), and its metre."""
    if choice.of == "loop":
        sound, music = stack_sound(reader, song)
        metre, length = song.pattern.metre, song.pattern.length_ticks
        if length % metre.bar_ticks:
            metre = one_bar_metre(length, metre)
        lines_s = np.linspace(0.0, music.length_s, length // metre.bar_ticks + 1)
        return sound, music, lines_s, metre
    sound, music = song_sound(reader, song)
    first, end = choice.from_bar - 1, choice.from_bar - 1 + choice.bars if choice.bars else song.arrangement.bars
    metres = {
        span.metre
        for span in song.arrangement.spans
        if span.first_bar <= end and span.first_bar + span.bars > first + 1
    }
    if len(metres) > 1:
        raise BadValueError("These bars are of several metres: print those of each metre by themselves.")
    return sound, music, np.asarray(song.arrangement.bar_starts_ms) / 1000, metres.pop() if metres else song.metre
