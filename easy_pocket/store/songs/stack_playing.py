"""What is heard when the stack plays: the parts that sound, each with its events, and the loops under them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.core.song.part import audible_parts
from easy_pocket.core.song.stage_sound import PlayedPart, strikes_of
from easy_pocket.core.sound.events import VoiceMix, play_columns
from easy_pocket.core.stage.curves import BeatMap
from easy_pocket.core.stage.units import Music
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.other_parts import other_parts_at, part_columns_at, selected_cell
from easy_pocket.store.songs.straight_gain import straight_gain

QUARTER_TICKS = 960


def other_than_own(song: LoadedSong, tempo_bpm: float | None) -> float | None:
    """None for the song's own tempo: what is computed for that is kept."""
    return None if tempo_bpm == song.tempo_bpm else tempo_bpm


def selected_part_gain(song: LoadedSong) -> float:
    """Level of the selected part, and of its cell."""
    return float(10 ** ((song.part.level_db + selected_cell(song).level_db) / 20))


def mix_here(song: LoadedSong, part_id: int, mix: Mapping[str, VoiceMix]) -> Mapping[str, VoiceMix]:
    """How a part's voices sit in the section that is looked at: it may give them levels of its own."""
    levels = {where: level_db for where, level_db in song.levels_here.items() if where.startswith(f"part:{part_id}:")}
    own = {where.split(":")[2]: level_db for where, level_db in levels.items()}
    return {**mix, **{voice: replace(mix.get(voice, VoiceMix()), level_db=level_db) for voice, level_db in own.items()}}


def heard_parts(song: LoadedSong) -> set[int]:
    """The parts that sound: neither muted nor left out by another's solo. A single part always does."""
    return set(audible_parts(song.arrangement.parts)) if len(song.parts) > 1 else {song.part.id}


def parts_beside(song: LoadedSong, *, straight: bool = False, tempo_bpm: float | None = None) -> list[PlayedPart]:
    """The parts but the selected one, over the length of the pattern that is looked at."""
    heard = heard_parts(song)
    return [
        PlayedPart(
            one.part.key,
            part_columns_at(song, one, mix_here(song, one.part.key, one.part.mix)),
            song.kits[one.part.kit],
        )
        for one in other_parts_at(song, tempo_bpm=other_than_own(song, tempo_bpm), straight=straight)
        if one.part.key in heard
    ]


def selected_part_playing(
    song: LoadedSong,
    *,
    straight: bool = False,
    tempo_bpm: float | None = None,
    pass_number: int = 1,
    drawn_pass: int = 1,
) -> PlayedPart | None:
    """The selected part in a pass of the loop; None when it does not sound. drawn_pass: of its looseness."""
    if song.part.id not in heard_parts(song):
        return None
    louder = straight_gain(song, tempo_bpm) if straight else 1.0
    played = song.performance(straight=straight, tempo_bpm=tempo_bpm, pass_number=drawn_pass)
    mix = mix_here(song, song.part.id, song.mix)
    events = play_columns(played, song.kit, mix, pass_number=pass_number, seed=song.seed)
    gain = louder * selected_part_gain(song)
    return PlayedPart(song.part.id, replace(events, gain=events.gain * gain), song.kit)


def stack_parts(song: LoadedSong, *, straight: bool = False, tempo_bpm: float | None = None) -> list[PlayedPart]:
    """All that sound, in the first pass of the loop."""
    own = selected_part_playing(song, straight=straight, tempo_bpm=tempo_bpm)
    return [*([own] if own else []), *parts_beside(song, straight=straight, tempo_bpm=tempo_bpm)]


def stack_music(song: LoadedSong, parts: list[PlayedPart], tempo_bpm: float | None = None) -> Music:
    """What units need to know of the loop that plays."""
    tempo = song.tempo_bpm if tempo_bpm is None else tempo_bpm
    beat_s = QUARTER_TICKS * ms_per_tick(tempo) / 1000
    length_s = song.pattern.length_ticks * ms_per_tick(tempo) / 1000
    return Music(BeatMap.steady(beat_s, length_s), strikes_of(parts))
