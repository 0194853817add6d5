"""What a MIDI file means beyond plain notes: names, maps of tempo and metre, swing, pedals, hands, types, channels."""

import io

import mido
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import MidiRefusedError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi import TracksAskedError, read_midi
from easy_pocket.core.formats.midi_drums import Note
from easy_pocket.core.formats.midi_places import split_places
from easy_pocket.core.formats.midi_swing import Swing, found_swing
from easy_pocket.core.formats.midi_track import Manner
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.formats.song_midi import read_song_midi
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre, ms_per_tick


def file_of(*tracks, kind=1, charset="latin-1"):
    """Tracks of (tick, message)."""
    midi = mido.MidiFile(type=kind, ticks_per_beat=960, charset=charset)
    for events in tracks:
        now, track = 0, mido.MidiTrack()
        for tick, message in events:
            track.append(message.copy(time=tick - now))
            now = tick
        midi.tracks.append(track)
    out = io.BytesIO()
    midi.save(file=out)
    return out.getvalue()


def on(note=36, velocity=90, channel=9):
    return mido.Message("note_on", note=note, velocity=velocity, channel=channel)


def meta(kind, **values):
    return mido.MetaMessage(kind, **values)


def messages(data, kind):
    return [
        m for track in mido.MidiFile(file=io.BytesIO(data), charset="utf-8").tracks for m in track if m.type == kind
    ]


def written(hits, metre=Metre(), manner=Manner(), **more):
    return write_midi(perform(Pattern(metre.bar_ticks, hits, metre), tempo_bpm=100), manner=manner, **more).data


def test_names_are_written_as_utf_8_and_read_as_either():
    data = written((Hit("kick", 0, 90),), name="Grüße, 潮", marker="Réprise", part="Große Trommel")
    assert "Grüße, 潮".encode() in data
    assert "Réprise".encode() in data
    song = read_song_midi(data, "x.mid")
    assert (song.parts[0].name, song.sections[0].name) == ("Große Trommel", "Réprise")
    older = file_of([(0, meta("track_name", name="Große Trommel")), (0, on())], charset="latin-1")
    assert read_song_midi(older, "x.mid").parts[0].name == "Große Trommel"


@pytest.mark.parametrize(("metre", "clocks"), [((4, 4), 24), ((6, 8), 36), ((9, 8), 36), ((7, 8), 12), ((2, 2), 48)])
def test_a_metronome_clicks_on_the_beats_one_taps(metre, clocks):
    (signature,) = messages(written((Hit("kick", 0, 90),), Metre(*metre)), "time_signature")
    assert signature.clocks_per_click == clocks


def test_two_equal_notes_on_one_tick_are_one_and_it_is_said():
    back = read_midi(file_of([(0, on(velocity=40)), (0, on(velocity=100)), (960, on(38))]), "x.mid")
    assert [(hit.voice, hit.tick, hit.velocity) for hit in back.pattern.hits] == [("kick", 0, 100), ("snare", 960, 90)]
    assert back.remarks == ("1 note stood twice on one tick: each counts once, as the louder one.",)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (meta("set_tempo", tempo=mido.bpm2tempo(90)), "changes its tempo from 120 to 90 at beat 5"),
        (meta("time_signature", numerator=3, denominator=4), "changes its metre from 4/4 to 3/4 at beat 5"),
    ],
)
def test_a_first_change_after_the_beginning_keeps_its_place(change, words):
    data = file_of([(0, on()), (3840, change), (3840, on(38)), (9600, on())])
    with pytest.raises(MidiRefusedError, match=words):
        read_midi(data, "x.mid")
    song = read_song_midi(data, "x.mid")
    first = song.sections[0]
    assert (first.bars, str(first.metre), first.tempo_bpm) == (1, "4/4", 120.0)
    assert song.sections[1].tempo_bpm == 90 or str(song.sections[1].metre) == "3/4"


SHUFFLE = [tick for beat in range(8) for tick in (960 * beat, 960 * beat + 595)]


def test_swung_8ths_are_written_on_the_8th():
    data = file_of([(tick, on(42)) for tick in SHUFFLE])
    back = read_midi(data, "x.mid")
    assert [hit.tick for hit in back.pattern.hits] == [480 * number for number in range(16)]
    assert back.remarks == ("Its 8ths swing at 62 %: they are written on the 8th.",)
    song = read_song_midi(data, "x.mid")
    assert song.swing == Swing(62.0, 8)
    assert [hit.tick for hit in song.parts[0].hits] == [480 * number for number in range(16)]
    assert max(abs(hit.offset_ms) for hit in song.parts[0].hits) < 1
    assert song.remarks == back.remarks


@pytest.mark.parametrize("unit", [8, 16])
@given(percent=st.floats(54, 64.5), spread=st.floats(0, 6), seed=st.integers(0, 99))
def test_swing_is_found_through_a_hand(unit, percent, spread, seed):
    pair = 2 * 3840 // unit
    ticks = np.array([tick for at in range(0, 7680, pair) for tick in (at, at + pair * percent / 100)])
    played = np.rint(ticks + np.random.default_rng(seed).uniform(-spread, spread, len(ticks))).astype(np.int64)
    found = found_swing(np.maximum(played, 0))
    assert found
    assert found.unit == unit
    assert found.percent == pytest.approx(percent, abs=0.3 + 100 * spread / pair)


@pytest.mark.parametrize("step", [480, 320, 240, 160, 120, 192, 720, 80])
def test_what_lies_on_a_grid_does_not_swing(step):
    assert found_swing(np.arange(0, 7680, step)) is None


@given(st.lists(st.integers(0, 123), min_size=1, max_size=30, unique=True), st.floats(53, 72), st.sampled_from([8, 16]))
def test_a_feel_plays_what_was_left_to_it_where_it_was(places, percent, unit):
    swing, ticks = Swing(percent, unit), [31 * place for place in places]
    hits = split_places([Note(tick, "kick", 90) for tick in sorted(ticks)], 100.0, 3840, swing, in_feel=True)
    feel = Feel(swing_percent=percent, swing_unit=unit)
    played = perform(Pattern(3840, hits), FeelScopes(feel), tempo_bpm=100.0, loop=False)
    at = sorted(played.played_ms / ms_per_tick(100.0))
    assert np.allclose(at, sorted(ticks), atol=0.51)


@pytest.mark.parametrize(("a_beat", "voice"), [(7, "hat_closed"), (12, "snare"), (5, "kick")])
def test_many_of_a_beat_keep_places_of_their_own(a_beat, voice):
    ticks = [round(960 * number / a_beat) for number in range(4 * a_beat)]
    hits = split_places([Note(tick, voice, 90) for tick in ticks], 100.0, 3840)
    assert [hit.tick for hit in hits] == ticks
    assert {hit.offset_ms for hit in hits} == {0.0}


def test_a_hat_of_one_note_is_open_where_its_pedal_is_up():
    def pedal(value):
        return mido.Message("control_change", control=4, value=value, channel=9)

    data = file_of([(0, pedal(127)), (0, on(42)), (960, pedal(10)), (960, on(42)), (1920, pedal(90)), (1920, on(42))])
    assert [hit.voice for hit in read_midi(data, "x.mid").pattern.hits] == ["hat_closed", "hat_open", "hat_closed"]
    both = file_of([(0, pedal(127)), (0, on(42)), (960, pedal(0)), (960, on(46)), (1920, on(42))])
    assert [hit.voice for hit in read_midi(both, "x.mid").pattern.hits] == ["hat_closed", "hat_open", "hat_closed"]


def test_a_hand_on_a_cymbal_ends_its_sound():
    def pressed(note, value):
        return mido.Message("polytouch", note=note, value=value, channel=9)

    data = file_of([(0, on(49)), (480, pressed(49, 127)), (960, on(49)), (1920, on(49)), (2400, pressed(49, 20))])
    lengths = [hit.articulation.length_ticks for hit in read_midi(data, "x.mid").pattern.hits]
    assert lengths == [480, 0, 0]


def test_all_channels_are_read_when_asked_for():
    data = file_of([(0, on()), (480, on(38, channel=0))])
    drums = read_song_midi(data, "x.mid")
    assert [hit.voice for hit in drums.parts[0].hits] == ["kick"]
    assert drums.left_out == 1
    everything = read_song_midi(data, "x.mid", channels="all")
    assert [hit.voice for hit in everything.parts[0].hits] == ["kick", "snare"]
    assert not everything.left_out
    assert [hit.voice for hit in read_midi(data, "x.mid", "all").pattern.hits] == ["kick", "snare"]


def test_tracks_of_type_2_are_asked_about():
    first = [(0, meta("track_name", name="Verse")), (0, on()), (1920, on(38))]
    second = [(0, meta("track_name", name="Fill")), (0, meta("set_tempo", tempo=mido.bpm2tempo(90))), (0, on(38))]
    data = file_of(first, second, kind=2)
    for read in (read_midi, read_song_midi):
        with pytest.raises(TracksAskedError, match="its 2 tracks are patterns of their own"):
            read(data, "x.mid")
    together = read_song_midi(data, "x.mid", tracks="together")
    assert [part.name for part in together.parts] == ["Verse", "Fill"]
    in_turn = read_song_midi(data, "x.mid", tracks="in turn")
    assert [(one.name, one.bars, one.tempo_bpm) for one in in_turn.sections] == [("Verse", 1, 120.0), ("Fill", 1, 90.0)]
    assert [(hit.voice, hit.tick) for hit in in_turn.parts[0].hits] == [("kick", 0), ("snare", 1920), ("snare", 3840)]
    assert read_midi(file_of(first, kind=2), "x.mid").pattern.hits  # one alone is one


def test_the_pedal_is_written_on_request():
    hits = (Hit("hat_closed", 0, 90), Hit("hat_open", 960, 90), Hit("hat_pedal", 1920, 90), Hit("kick", 0, 90))
    assert not messages(written(hits), "control_change")
    data = written(hits, manner=Manner(pedal=True))
    assert [(m.control, m.value) for m in messages(data, "control_change")] == [(4, 127), (4, 0), (4, 127)]
    back = read_midi(data, "x.mid").pattern.hits
    assert sorted((hit.voice, hit.tick) for hit in back) == sorted((hit.voice, hit.tick) for hit in hits)


@pytest.mark.parametrize(
    ("shape", "strokes", "words"),
    [
        (Articulation("flam"), 2, "flam"),
        (Articulation("drag"), 3, "drag"),
        (Articulation("ratchet", 4, 480), 4, "ratchet 4 in 480 ticks"),
        (Articulation("roll", 12, 960), 12, "roll 12 in 960 ticks"),
    ],
)
def test_an_ornament_is_single_notes_or_one_note_and_text(shape, strokes, words):
    hits = (Hit("snare", 960, 100, articulation=shape), Hit("kick", 0, 90))
    assert len(messages(written(hits), "note_on")) == strokes + 1
    data = written(hits, manner=Manner(ornaments="text"))
    assert [m.text for m in messages(data, "text")] == [words]
    back = read_midi(data, "x.mid").pattern.hits
    assert [(hit.voice, hit.tick) for hit in back] == [("kick", 0), ("snare", 960)]
