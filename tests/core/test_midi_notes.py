"""Notes of a MIDI file that are no voice of ours."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.midi_notes import note_choices, unknown_notes, with_notes
from easy_pocket.core.formats.song_midi import read_song_midi
from easy_pocket.core.pattern.voices import ROLES
from tests.core.test_midi import file_of, on

READ = read_song_midi(file_of(on(36), on(22, 120), on(22, 120), on(3, 120), on(42, 0, velocity=50)), "x.mid")


def test_unknown_notes_are_counted_the_most_frequent_first():
    assert [(one.note, one.count) for one in unknown_notes(READ)] == [(22, 2), (3, 1)]
    assert all(one.nearest in ROLES for one in unknown_notes(READ))


def test_chosen_voices_play_them_and_of_two_on_one_place_the_louder_stays():
    (part,) = with_notes(READ, {22: "shaker", 3: "hat_closed"}).parts
    assert sorted((hit.tick, hit.voice, hit.velocity) for hit in part.hits) == [
        (0, "kick", 90),
        (240, "shaker", 90),
        (480, "shaker", 90),
        (720, "hat_closed", 90),
    ]


def test_notes_may_be_left_out_but_not_all_of_them():
    (part,) = with_notes(READ, {22: "", 3: ""}).parts
    assert {hit.voice for hit in part.hits} == {"kick", "hat_closed"}
    only = read_song_midi(file_of(on(22)), "x.mid")
    with pytest.raises(BadValueError, match="All notes of this file were left out"):
        with_notes(only, {22: ""})


@given(st.dictionaries(st.integers(0, 127), st.sampled_from(["", *ROLES]), max_size=40))
def test_choices_are_read_as_written(chosen):
    assert note_choices(",".join(f"{note}:{voice}" for note, voice in chosen.items())) == chosen


@pytest.mark.parametrize("text", ["128:kick", "x:kick", "22:bathtub", "-1:kick", "٣:kick"])
def test_other_words_are_refused(text):
    with pytest.raises(BadValueError, match="does not say what a note plays"):
        note_choices(text)
