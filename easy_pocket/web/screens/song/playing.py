"""The whole song as the player takes it: every event in seconds, where bars and sections begin, loops under it."""

from __future__ import annotations

from easy_pocket.core.song.arrangement import Span
from easy_pocket.core.song.clicks import song_clicks
from easy_pocket.core.song.perform_song import SongPerformance, perform_song
from easy_pocket.core.song.song_mix import together
from easy_pocket.core.song.stage_sound import song_beats, strikes_of
from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN
from easy_pocket.core.stage.graph_plan import stage_plan
from easy_pocket.core.stage.units import Music
from easy_pocket.store.kits.kits import register_voices
from easy_pocket.store.loops.layered_loop_audio import register_layered_loop
from easy_pocket.store.songs.guide import PLACE, Guide, begins_s, heard_guide, register_guide
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.mixes import played_parts, sections_of_song
from easy_pocket.store.songs.song_loops import layers_in_song, loop_place
from easy_pocket.web.shared.playing import click_times, columns, placed
from easy_pocket.web.shared.shapes import LoopLayer, SongPlaying, SongSpan


def guide_layer(song: LoadedSong, guide: Guide) -> LoopLayer:
    """The guide as one more loop: it lies where its bar one falls on its bar of the song."""
    at_s = begins_s(song.arrangement, guide)
    gain = 10 ** (guide.level_db / 20) / MASTER_GAIN
    return {"key": register_guide(guide), "place": PLACE, "at_s": at_s, "length_s": guide.duration_s, "gain": gain}


def song_playing(song: LoadedSong, timing: str = "felt") -> SongPlaying:
    """As `playing`, of the song from its first beat to its end. bars_s: when each bar begins, and the end; beats: of
    each bar, beat_s of each."""
    for kit in song.kits.values():
        register_voices(kit)
    arrangement = song.arrangement
    played = perform_song(arrangement, straight=timing == "straight")
    guide = heard_guide(song)
    alone = guide is not None and guide.solo
    parts = [] if alone else played_parts(song, played)
    events = together([placed(one) for one in parts])
    spans = arrangement.spans
    return {
        "revision": song.revision,
        "whole": True,
        "strikes": {},
        "tempo_bpm": arrangement.tempo_bpm,
        "length_s": arrangement.length_ms / 1000,
        "beat_s": 60.0 / arrangement.tempo_bpm * 4 / arrangement.metre.unit,
        "beats": arrangement.metre.beats,
        "bars": arrangement.bars,
        "bars_s": [at_ms / 1000 for at_ms in arrangement.bar_starts_ms],
        "bar_beats": [span.metre.beats for span in spans for _ in range(span.bars)],
        "spans": list(map(_span_doc, spans)),
        "first_pass_differs": False,
        "master_gain": MASTER_GAIN,
        "cut_fade_s": CUT_FADE_S,
        "felt": columns(events),
        "felt_more": [],
        "straight": None,
        "straight_more": [],
        "timing": timing,
        "layered_loops": [],
        "layered_loop_places": [],
        "clicks": click_times(song_clicks(arrangement)),
        "stage": stage_plan(
            song.stage,
            Music(song_beats(arrangement), strikes_of(parts), loops=False, sections=sections_of_song(song)),
            hits_to_room=bool(events.room.any()),
        ),
        "layered_loops_at": [
            *([] if alone else _layers(song, played)),
            *([guide_layer(song, guide)] if guide else []),
        ],
    }


def _span_doc(span: Span) -> SongSpan:
    return {
        "section": span.section.key,
        "turn": span.turn,
        "from_s": span.start_ms / 1000,
        "to_s": (span.start_ms + span.length_ms) / 1000,
        "first_bar": span.first_bar,
        "bars": span.bars,
        "start_tick": span.start_tick,
        "ticks": span.ticks,
    }


def _layers(song: LoadedSong, played: SongPerformance) -> list[LoopLayer]:
    return [
        {
            "key": register_layered_loop(one, performance),
            "place": loop_place(one.id),
            "at_s": at_s,
            "length_s": performance.length_ms / 1000,
        }
        for at_s, one, performance in layers_in_song(song, played)
    ]
