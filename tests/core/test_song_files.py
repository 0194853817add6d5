"""A song as MIDI: a track per part, markers, tempo and metre where they change, and back again."""

import io
from dataclasses import replace

import mido
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings

from easy_pocket.core.errors import MidiRefusedError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.formats.note_map import voice_of_note
from easy_pocket.core.formats.song_midi import ReadSong, read_song_midi, song_ticks, write_song_midi
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.part import Part
from easy_pocket.core.song.perform_song import SongPerformance, perform_song
from easy_pocket.core.song.section import Cell, Section
from easy_pocket.core.sound.events import VoiceMix
from tests.core.songs import arrangements, small


def as_song(read: ReadSong) -> Arrangement:
    """The song a file was read as: every part one long pattern, every section a stretch of it."""
    parts = tuple(
        Part(number, part.name, {number: Pattern(read.length_ticks, part.hits)})
        for number, part in enumerate(read.parts, 1)
    )
    sections, tick = [], 0
    for number, one in enumerate(read.sections, 1):
        cells = {part.key: Cell(part.key, tick, written=True) for part in parts}
        sections.append(Section(number, one.name, one.bars, 1, one.tempo_bpm, one.metre, cells))
        tick += one.bars * one.metre.bar_ticks
    return Arrangement(120.0, parts=parts, sections=tuple(sections))


def events(played: SongPerformance, shift_ms: float = 0.0) -> dict[str, list[tuple[float, int]]]:
    """Per part and voice when it is struck and how hard; parts without hits are left out."""
    found: dict[str, list[tuple[float, int]]] = {}
    for one in played.parts:
        voice = one.hits.voice_index[one.struck.hit]
        for place, time_ms, velocity in zip(voice, one.struck.time_ms, one.struck.velocity, strict=True):
            key = f"{one.part.name} {one.hits.voices[place]}"
            found.setdefault(key, []).append((float(time_ms) + shift_ms, int(velocity)))
    return {key: sorted(rows) for key, rows in found.items()}


def two_tempi() -> Arrangement:
    song = small()
    verse, chorus = song.sections
    loose = FeelScopes(Feel(swing_percent=58, push_ms=6, drift_ms=3, touch=6))
    return replace(
        song,
        parts=tuple(replace(part, feel=loose) for part in song.parts),
        sections=(replace(verse, metre=Metre(7, 8)), replace(chorus, tempo_bpm=96.0, cells={1: Cell(11), 2: Cell(20)})),
    )


def test_a_track_per_part_with_markers_and_changes_where_they_are():
    song = two_tempi()
    written = write_song_midi(perform_song(song), {}, name="Lamplighter")
    midi = mido.MidiFile(file=io.BytesIO(written.data))
    assert [track.name for track in midi.tracks] == ["Lamplighter", "Backbone", "Shaker"]
    told, now = [], 0
    for message in midi.tracks[0]:
        now += message.time
        if message.type in ("marker", "set_tempo", "time_signature"):
            told.append((now, message.type))
    verse = 4 * 3360
    assert [at for at, kind in told if kind == "marker"] == [0, verse, 2 * verse]
    assert [at for at, kind in told if kind == "set_tempo"] == [0, 2 * verse]
    assert [at for at, kind in told if kind == "time_signature"] == [0, 2 * verse]
    assert sum(m.time for m in midi.tracks[1]) == song.length_ticks
    by_voice = mido.MidiFile(file=io.BytesIO(write_song_midi(perform_song(song), {}, by="voice").data))
    assert [track.name for track in by_voice.tracks][1:] == ["Backbone: kick", "Backbone: snare", "Shaker: shaker"]


def test_a_hit_before_the_first_beat_gets_a_bar_of_pre_roll():
    song = replace(small(), parts=(replace(small().parts[0], feel=FeelScopes(Feel(push_ms=-20))),))
    written = write_song_midi(perform_song(song), {})
    assert written.pre_roll_bars == 1
    read = read_song_midi(written.data, "early.mid")
    assert [section.name for section in read.sections][:2] == ["pre-roll", "Verse"]
    again = events(perform_song(as_song(read)), -2000.0)
    for key, rows in events(perform_song(song)).items():
        np.testing.assert_allclose([t for t, _ in again[key]], [t for t, _ in rows], atol=0.6)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(arrangements())
def test_a_song_comes_back_with_the_same_events(song):
    played = perform_song(song)
    written = write_song_midi(played, {})
    wanted = events(played)
    if not wanted:
        with pytest.raises(MidiRefusedError, match="no notes"):
            read_song_midi(written.data, "song.mid")
        return
    read = read_song_midi(written.data, "song.mid")
    first = song.spans[0]
    shift = written.pre_roll_bars * first.metre.bar_ticks * ms_per_tick(first.tempo_bpm)
    found = events(perform_song(as_song(read)), -shift)
    assert set(found) == set(wanted)
    for key, rows in wanted.items():
        # To a tick: what the file counts in.
        np.testing.assert_allclose([t for t, _ in found[key]], [t for t, _ in rows], atol=ms_per_tick(90.0))
        assert sorted(v for _, v in found[key]) == sorted(v for _, v in rows)


def test_song_ticks_go_by_the_tempo_of_each_section():
    song = two_tempi()
    start = song.spans[2].start_ms
    beats = song_ticks(song, np.array([-10.0, 500.0, start - 1e-6, start + 625.0]))
    np.testing.assert_allclose(beats, [-19.2, 960, song.spans[2].start_tick, song.spans[2].start_tick + 960], atol=1e-3)


def test_a_take_becomes_one_part_per_voice():
    song = replace(small(), parts=(small().parts[0],))
    data = write_song_midi(perform_song(song), {}).data
    parted = read_song_midi(data, "take.mid", by_voice=True)
    assert sorted(part.name for part in parted.parts) == ["Kick", "Snare"]
    assert all(len({hit.voice for hit in part.hits}) == 1 for part in parted.parts)
    whole = read_song_midi(data, "take.mid")
    assert sum(len(part.hits) for part in parted.parts) == len(whole.parts[0].hits)
    assert voice_of_note(36) == "kick"


@pytest.mark.parametrize("data", [b"", b"MThd", b"RIFF" * 20])
def test_what_is_no_midi_file_is_refused(data):
    with pytest.raises(MidiRefusedError):
        read_song_midi(data, "x.mid")


def notes_by_track(song: Arrangement, by: str) -> dict[str, int]:
    midi = mido.MidiFile(file=io.BytesIO(write_song_midi(perform_song(song), {}, by=by).data))
    return {track.name: sum(message.type == "note_on" for message in track) for track in midi.tracks[1:]}


@pytest.mark.parametrize("by", ["part", "voice"])
def test_what_is_muted_has_its_track_and_no_notes(by: str) -> None:
    song = small()
    whole = notes_by_track(song, by)
    assert all(whole.values())
    quiet, other = song.parts
    muted = notes_by_track(replace(song, parts=(replace(quiet, mute=True), other)), by)
    soloed = notes_by_track(replace(song, parts=(quiet, replace(other, solo=True))), by)
    assert muted == soloed == {name: 0 if name.startswith(quiet.name) else count for name, count in whole.items()}


def test_a_muted_voice_is_left_out_and_moves_nothing_else() -> None:
    song = small()
    one, *others = song.parts
    voice = sorted({hit.voice for hit in next(iter(one.patterns.values())).hits})[0]
    muted = replace(song, parts=(replace(one, mix={**one.mix, voice: VoiceMix(mute=True)}), *others))
    before, after = notes_by_track(song, "voice"), notes_by_track(muted, "voice")
    name = f"{one.name}: {voice_name(voice)}"
    assert before[name] > 0
    assert after == {**before, name: 0}
