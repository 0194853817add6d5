"""What the player needs: the times, gains and pans it is to schedule, felt and straight."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from easy_pocket.core.feel.strokes import first_pass_differs, pass_cycle
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from easy_pocket.core.song.clicks import Clicks, loop_clicks
from easy_pocket.core.song.song_mix import together
from easy_pocket.core.song.stage_sound import PlayedPart, voice_place
from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN, EventColumns, VoiceMix, on_samples
from easy_pocket.core.sound.kit import Kit, KitVoice, audio_key
from easy_pocket.core.sound.velocity import gains
from easy_pocket.core.stage.graph_plan import StagePlan, stage_plan
from easy_pocket.store.kits.kits import register_voices
from easy_pocket.store.loops.layered_loop_audio import register_layered_loop
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.song_loops import loop_here, loop_place
from easy_pocket.store.songs.stack_playing import parts_beside, selected_part_playing, stack_music, stack_parts
from easy_pocket.web.shared.shapes import ClickTimes, Columns, Playing, Strike

STRIKE_VELOCITY = 116  # a single hit to listen to


def columns(events: EventColumns) -> Columns:
    """Events as the player takes them; a rate of 1 is the rule and is left out, a cut that never comes is null."""
    plain_rate = bool((events.rate == 1.0).all())
    return {
        "audio": list(events.audio),
        "sound": events.sound,
        "places": list(events.voices),
        "place": events.voice,
        "start_s": np.round(on_samples(events.start_s), 7),
        "gain": np.round(events.gain, 5),
        "rate": None if plain_rate else np.round(events.rate, 6),
        "pan": np.round(events.pan, 4),
        "cut_s": np.round(events.cut_s, 7),
        "room": np.round(events.room, 3) if events.room.any() else None,
    }


LOOSE_PASSES = 8  # of looseness that runs on, before the loop comes round to the first
MOST_EVENTS = 60_000


def passes(song: LoadedSong, *, straight: bool = False, tempo_bpm: float | None = None) -> list[Columns]:
    """One pass after another until they repeat: only a pattern with odds, hits of certain passes, or looseness that
    runs on has more than one. After the last one the player goes back to the second if
    `first_pass_differs`, else to the first."""
    cycle = pass_cycle(song.pattern)
    runs_on = not straight and song.feel.runs_on(song.pattern.arrays.voices)
    if runs_on:
        cycle = math.lcm(cycle, max(1, min(LOOSE_PASSES, MOST_EVENTS // max(1, len(song.pattern.hits)))))
    found = []
    others = parts_beside(song, straight=straight, tempo_bpm=tempo_bpm)
    for number in range(1, min(cycle, 48) + first_pass_differs(song.pattern) + 1):
        own = selected_part_playing(
            song,
            straight=straight,
            tempo_bpm=tempo_bpm,
            pass_number=number,
            drawn_pass=number if runs_on else 1,
        )
        found.append(columns(together([placed(one) for one in ([own] if own else []) + others])))
    return found


def placed(part: PlayedPart) -> EventColumns:
    """Its events, each voice called by its place on the Stage."""
    return replace(part.columns, voices=tuple(voice_place(part.key, voice) for voice in part.columns.voices))


def stack_stage(song: LoadedSong, tempo_bpm: float | None, played: list[Columns]) -> StagePlan:
    """Where the sounds of the loop stand; what others step back for is looked up only if something does."""
    stage = song.stage_here
    parts = [] if stage.is_plain else stack_parts(song, tempo_bpm=tempo_bpm)
    to_room = any(one["room"] is not None for one in played)
    return stage_plan(stage, stack_music(song, parts, tempo_bpm), hits_to_room=to_room)


def click_times(clicks: Clicks) -> ClickTimes:
    return {"times_s": np.round(clicks.times_s, 7).tolist(), "kinds": clicks.kinds.tolist(), "bar_s": clicks.bar_s}


def strike(voice: KitVoice, mix: VoiceMix | None = None) -> Strike:
    """One hard hit of a voice, for the ear."""
    register_voices(Kit("", "", (voice,)))
    pan = voice.pan if mix is None or mix.pan is None else mix.pan
    level_db = voice.level_db + (mix.level_db if mix else 0.0)
    gain = gains(voice.velocity_level)[STRIKE_VELOCITY] * 10 ** (level_db / 20)
    return {"audio": audio_key(voice, int(voice.stretch_of[STRIKE_VELOCITY])), "gain": round(gain, 5), "pan": pan}


def playing(
    song: LoadedSong,
    tempo_bpm: float | None = None,
    gain_db: float = 0.0,
    *,
    timings: tuple[str, ...] = ("felt", "straight"),
) -> Playing:
    """The loop's passes at a tempo (default: the song's), all of it louder by gain_db. `felt` and `straight` are the
    first pass, `felt_more` and `straight_more` what differs after it; a timing not asked for is null."""
    for kit in song.kits.values():
        register_voices(kit)
    tempo = song.tempo_bpm if tempo_bpm is None else tempo_bpm
    metre: Metre = song.metre
    felt = passes(song, tempo_bpm=tempo) if "felt" in timings else []
    straight = passes(song, straight=True, tempo_bpm=tempo) if "straight" in timings else []
    part = [voice for voice in song.kit.voices if voice.role in song.part.voices]
    return {
        "strikes": {voice.role: strike(voice, song.mix.get(voice.role)) for voice in part},
        "tempo_bpm": tempo,
        "length_s": song.pattern.length_ticks * ms_per_tick(tempo) / 1000,
        "beat_s": 60.0 / tempo * 4 / metre.unit,
        "beats": metre.beats,
        "bars": song.pattern.bars,
        "first_pass_differs": first_pass_differs(song.pattern),
        "master_gain": MASTER_GAIN * 10 ** (gain_db / 20),
        "cut_fade_s": CUT_FADE_S,
        "layered_loops": [
            register_layered_loop(loop_here(song, one), song.performance(tempo_bpm=tempo))
            for one in song.layered_loops
            if not one.settings.muted
        ],
        "layered_loop_places": [loop_place(one.id) for one in song.layered_loops if not one.settings.muted],
        "clicks": click_times(loop_clicks(song.pattern.length_ticks, song.pattern.metre, tempo)),
        "stage": stack_stage(song, tempo_bpm, [*felt, *straight]),
        "felt": felt[0] if felt else None,
        "felt_more": felt[1:],
        "straight": straight[0] if straight else None,
        "straight_more": straight[1:],
    }
