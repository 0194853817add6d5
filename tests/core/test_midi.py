"""MIDI files: there and back without loss, and what a damaged one says."""

import io

import mido
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import MidiRefusedError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.formats.note_map import nearest_voice
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.pattern.voices import DRUMS, ROLES
from tests.drums import ROCK, beat


def file_of(*messages, ticks_per_beat=480, kind=1):
    midi = mido.MidiFile(type=kind, ticks_per_beat=ticks_per_beat)
    midi.tracks.append(mido.MidiTrack(messages))
    out = io.BytesIO()
    midi.save(file=out)
    return out.getvalue()


def on(note, time=0, velocity=90, channel=9):
    return mido.Message("note_on", note=note, velocity=velocity, channel=channel, time=time)


def ticks_of(data):
    return sorted(
        (tick, message.note, message.velocity)
        for track in mido.MidiFile(file=io.BytesIO(data)).tracks
        for tick, message in absolute(track)
        if message.type == "note_on" and message.velocity
    )


def absolute(track):
    now = 0
    for message in track:
        now += message.time
        yield now, message


EVERY = Pattern(3 * 2880, tuple(Hit(voice, 240 * index, 40 + index) for index, voice in enumerate(DRUMS)), Metre(3, 4))


@pytest.mark.parametrize("file_type", [0, 1])
def test_there_and_back(file_type):
    written = write_midi(perform(EVERY, tempo_bpm=97.0), file_type=file_type, loop=True)
    beat_back = read_midi(written.data, "back.mid")
    assert [(h.voice, h.tick, h.velocity) for h in beat_back.pattern.hits] == [
        (h.voice, h.tick, h.velocity) for h in EVERY.hits
    ]
    assert beat_back.tempo_bpm == pytest.approx(97.0, abs=1e-3)
    assert beat_back.pattern.metre == Metre(3, 4)
    assert beat_back.pattern.length_ticks == EVERY.length_ticks
    assert mido.MidiFile(file=io.BytesIO(written.data)).type == file_type


def test_ticks_agree_with_the_ledger_to_one_tick():
    performance = perform(
        beat(ROCK), FeelScopes(Feel(swing_percent=58, push_ms=6), voices={"snare": Feel(push_ms=9)}), tempo_bpm=104
    )
    found = ticks_of(write_midi(performance, loop=True).data)
    expected = sorted(
        (performance.loop_ms[i] * 104 * 960 / 60_000, ROLES[line.voice].midi_note, line.velocity)
        for i, line in ((i, performance.ledger(i)) for i in range(len(performance.hits.tick)))
    )
    assert len(found) == len(expected)
    for (tick, note, velocity), (exact, role_note, played) in zip(found, expected, strict=True):
        assert abs(tick - exact) <= 0.5 + 1e-6
        assert (note, velocity) == (role_note, played)


def test_offsets_come_back_as_own_offsets():
    pattern = Pattern(3840, (Hit("kick", 960, 90, 7.0), Hit("snare", 1920, 80, -11.0)))
    back = read_midi(write_midi(perform(pattern, tempo_bpm=120), loop=False).data, "x.mid").pattern
    assert [(h.voice, h.tick) for h in back.hits] == [("kick", 960), ("snare", 1920)]
    assert [h.offset_ms for h in back.hits] == [pytest.approx(7.0, abs=0.3), pytest.approx(-11.0, abs=0.3)]


def test_a_hit_before_the_start_gets_a_bar_of_pre_roll():
    pattern = Pattern(3840, (Hit("kick", 0, 90, -10.0), Hit("snare", 960, 90)))
    written = write_midi(perform(pattern, tempo_bpm=120, loop=False))
    assert written.pre_roll_bars == 1
    assert [tick for tick, *_ in ticks_of(written.data)] == [3840 - 19, 3840 + 960]
    looped = write_midi(perform(pattern, tempo_bpm=120), loop=True)
    assert [tick for tick, *_ in ticks_of(looped.data)] == [960, 3840 - 19]


def test_notes_end_before_the_next_of_their_kind():
    pattern = Pattern(3840, tuple(Hit("hat_closed", tick, 90) for tick in range(0, 300, 30)))
    sounding = set()
    for track in mido.MidiFile(file=io.BytesIO(write_midi(perform(pattern, tempo_bpm=100)).data)).tracks:
        for message in track:
            if message.type == "note_on":
                assert message.note not in sounding
                sounding.add(message.note)
            elif message.type == "note_off":
                sounding.remove(message.note)
    assert not sounding


def test_other_resolutions_and_unknown_notes_are_kept():
    data = file_of(on(60), on(36, 96), on(35, 96), ticks_per_beat=96)
    hits = read_midi(data, "x.mid").pattern.hits
    assert [(hit.voice, hit.tick) for hit in hits] == [("note60", 0), ("kick", 960), ("note35", 1920)]
    assert nearest_voice("note35") == "kick"
    assert all(nearest_voice(f"note{note}") in DRUMS for note in range(128))


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(0, 4000), st.sampled_from([36, 38, 42, 60]), st.integers(1, 127)),
        min_size=1,
        max_size=80,
        unique_by=lambda note: note[:2],
    )
)
def test_no_note_is_ever_lost(notes):
    messages, now = [], 0
    for tick, note, velocity in sorted(notes):
        messages.append(on(note, tick - now, velocity))
        now = tick
    hits = read_midi(file_of(*messages), "x.mid").pattern.hits
    assert sorted(hit.velocity for hit in hits) == sorted(velocity for _, _, velocity in notes)


def tempo(bpm, time=0):
    return mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm), time=time)


def metre(beats, unit, time=0):
    return mido.MetaMessage("time_signature", numerator=beats, denominator=unit, time=time)


WHOLE = file_of(tempo(100), on(36), on(38, 480))


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "x.mid is empty"),
        (b"hello, this is text", "no MIDI file"),
        (WHOLE[: len(WHOLE) // 2], "damaged or cut off"),
        (WHOLE[:-3], "damaged or cut off"),
        (WHOLE[:12] + b"\xe7\x28" + WHOLE[14:], "SMPTE"),
        (file_of(tempo(100)), "holds no notes"),
        (
            file_of(metre(4, 4), on(36), metre(3, 4, 1920), on(36)),
            r"changes its metre from 4/4 to 3/4 at beat 5: split",
        ),
        (file_of(tempo(100), on(36), tempo(120, 960), on(36)), "changes its tempo"),
        (file_of(tempo(5), on(36)), "between 20 and 400"),
        (file_of(metre(4, 32), on(36)), "metre of 4/32"),
    ],
)
def test_what_cannot_be_read_says_why(data, words):
    with pytest.raises(Exception, match=words) as caught:
        read_midi(data, "x.mid")
    assert "Traceback" not in str(caught.value)


def test_a_hundred_thousand_notes_are_read_and_more_are_refused():
    many = [on(36 + index % 3, 1 if index % 3 == 0 else 0) for index in range(100_000)]
    assert len(read_midi(file_of(*many), "x.mid").pattern.hits) == 100_000
    with pytest.raises(MidiRefusedError, match="more than 120000 notes"):
        read_midi(file_of(*many, *many[:30_000]), "x.mid")


def test_voices_that_are_not_heard_are_left_out_and_the_others_stay_where_they_are():
    played = perform(beat(ROCK), tempo_bpm=100)
    whole = ticks_of(write_midi(played).data)
    kick = ROLES["kick"].midi_note
    heard = set(played.hits.voices) - {"kick"}
    assert ticks_of(write_midi(played, heard=heard).data) == [note for note in whole if note[1] != kick]
    assert ticks_of(write_midi(played, heard=set()).data) == []
