"""Songs as audio: all that is heard, on the song's Stage, under its ceiling."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.exchange import MixChoice, MixToWrite
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.progress import OnProgress, no_progress
from easy_pocket.core.song.part import audible_parts
from easy_pocket.core.song.perform_song import SongPerformance, perform_song
from easy_pocket.core.song.section_levels import louder_in_sections
from easy_pocket.core.song.song_mix import part_columns, pre_roll_s
from easy_pocket.core.song.stage_sound import PartsSound, PlayedPart, song_beats, strikes_of
from easy_pocket.core.sound.mixdown import MAX_TAIL_S
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.mix_stage import mix_stage
from easy_pocket.core.stage.stage import Stage
from easy_pocket.core.stage.stage_mix import Sound, cut_out, without_silent_end
from easy_pocket.core.stage.units import Music
from easy_pocket.store.database import Reads
from easy_pocket.store.loops.layered_loop_audio import render_loop_layer
from easy_pocket.store.songs.guide import GUIDE_PLACE, guide_in_mix, heard_guide
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.song_loops import layers_in_song, loop_here, loop_place
from easy_pocket.store.songs.stack_playing import stack_music, stack_parts

Layers = dict[str, list[tuple[float, npt.NDArray[np.float32]]]]


def stack_sound(
    reader: Reads, song: LoadedSong, *, straight: bool = False, only_part: bool = False
) -> tuple[PartsSound, Music]:
    """The loop that plays: all parts that sound and the loops under them, one pass with its tails folded in.

    only_part: the selected part alone, still ducked by the others.
    """
    parts = stack_parts(song, straight=straight)
    music = stack_music(song, parts)
    layers: Layers = {
        loop_place(one.id): [(0.0, render_loop_layer(reader, loop_here(song, one), song.performance()))]
        for one in song.layered_loops
        if not one.settings.muted and not only_part
    }
    sounding = [one for one in parts if one.key == song.part.id] if only_part else parts
    return PartsSound(sounding, music.length_s, loop=True, samples=song.samples, layers=layers), music


def played_parts(song: LoadedSong, played: SongPerformance) -> list[PlayedPart]:
    """Every part of the song that sounds, over its whole length; hits before its first beat are negative."""
    heard = audible_parts(song.arrangement.parts)
    return [
        PlayedPart(one.part.key, part_columns(one, kit, louder_in_sections(song.stage, played, one)), kit)
        for one in played.parts
        if one.part.key in heard
        for kit in (song.kits[one.part.kit],)
    ]


def song_sound(
    reader: Reads, song: LoadedSong, *, straight: bool = False, with_guide: bool = False
) -> tuple[PartsSound, Music]:
    """The whole song, ringing out after its end; what comes before its first beat is not cut off."""
    played = perform_song(song.arrangement, straight=straight)
    parts = played_parts(song, played)
    before = pre_roll_s(song.arrangement, [one.columns for one in parts])
    beats, strikes = song_beats(song.arrangement), strikes_of(parts)
    parts = [one.later(before) for one in parts]
    layers: Layers = {}
    for at_s, one, stack in layers_in_song(song, played):
        layers.setdefault(loop_place(one.id), []).append((at_s + before, render_loop_layer(reader, one, stack)))
    if with_guide and (guide := heard_guide(song)) is not None:
        layers[GUIDE_PLACE] = [guide_in_mix(reader, song, guide, before)]
    tail_s = MAX_TAIL_S + song.stage.rings_s(beats.beat_s, any(one.columns.room.any() for one in parts))
    sound = PartsSound(parts, beats.length_s + before, loop=False, samples=song.samples, layers=layers, tail_s=tail_s)
    music = Music(beats, strikes, loops=False, before_s=before, sections=sections_of_song(song))
    return sound, music


def sections_of_song(song: LoadedSong) -> tuple[tuple[float, int], ...]:
    """When each section of the song begins, in s, and its key."""
    return tuple((span.start_ms / 1000, span.section.key) for span in song.arrangement.spans)


def pattern_to_mix(
    reader: Reads, song: LoadedSong, timing: str, choice: MixChoice, on_progress: OnProgress = no_progress
) -> MixToWrite:
    """The loop that plays. timing: "felt", or "straight" at the same loudness."""
    sound, music = stack_sound(reader, song, straight=timing == "straight", only_part=choice.only == "part")
    return _to_write(song, sound, music, choice, on_progress)


def song_to_mix(
    reader: Reads, song: LoadedSong, choice: MixChoice, on_progress: OnProgress = no_progress
) -> MixToWrite:
    """The song, or some bars of it as they are heard in it."""
    sound, music = song_sound(reader, song, with_guide=choice.guide)
    made = _to_write(song, sound, music, choice, on_progress)
    if not choice.from_bar:
        return replace(made, mix=without_silent_end(made.mix, round((music.length_s + music.before_s) * RATE_HZ)))
    starts_ms = song.arrangement.bar_starts_ms
    last = len(starts_ms) - 1
    if choice.from_bar > last:
        raise BadValueError(f"The song has {last} bars; there is no bar {choice.from_bar}: choose one of them.")
    end = min(choice.from_bar - 1 + choice.bars, last) if choice.bars else last
    first, until = (round((starts_ms[bar] / 1000 + music.before_s) * RATE_HZ) for bar in (choice.from_bar - 1, end))
    return replace(made, mix=cut_out(made.mix, first, until))


def _to_write(song: LoadedSong, sound: Sound, music: Music, choice: MixChoice, on_progress: OnProgress) -> MixToWrite:
    stage = song.stage_here if music.loops else song.stage
    stage = Stage(ceiling_db=stage.ceiling_db) if choice.dry else stage
    names = stem_names(song, sound, choice.stems) if choice.stems else None
    apart = choice.rooms_apart or not choice.stems
    mix = mix_stage(
        sound, stage, music, leaf=names.__getitem__ if names else None, rooms_apart=apart, on_progress=on_progress
    )
    on_progress(0.95, "writing the file")
    if names:
        mix = replace(mix, stems={RETURN_NAMES.get(name, name): line for name, line in mix.stems.items()})
    return MixToWrite(
        song.name, mix, stage.ceiling_db, music.loops, pre_roll_s=0.0 if choice.from_bar else music.before_s
    )


RETURN_NAMES = {"short": "short room", "long": "long room", "echo": "echo"}


def stem_names(song: LoadedSong, sound: Sound, by: str) -> dict[str, str]:
    """The stem each place goes into: its voice, its part, or its group where it is in one."""
    parts = {str(one.id): one for one in song.parts}
    named: dict[str, str] = {}
    taken: dict[str, str] = {}  # names that are in use, by what they stand for
    for where in sound.places:
        kind, _, rest = where.partition(":")
        number, _, voice = rest.partition(":")
        group = song.stage.group_of(where) or song.stage.group_of(f"part:{number}")
        if where == GUIDE_PLACE:
            meant, name = where, "guide"
        elif kind == "loop":
            loop = next((one.name for one in song.layered_loops if str(one.id) == number), f"loop {number}")
            meant, name = where, loop
        elif by == "voice":
            meant, name = where, f"{parts[number].name} {voice_name(voice)}"
        elif by == "group" and group:
            meant, name = f"group:{group.key}", group.name
        else:
            meant, name = f"part:{number}", parts[number].name
        named[where] = _free_name(name, meant, taken)
    return named


def _free_name(name: str, meant: str, taken: dict[str, str]) -> str:
    for number in range(1, 1000):
        wanted = name if number == 1 else f"{name} {number}"
        if taken.setdefault(wanted, meant) == meant:
            return wanted
    return f"{name} {meant}"
