"""Where notes of a MIDI file are written: on the slots they were meant for, the rest as own offset, none lost."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.formats.midi_drums import Note
from easy_pocket.core.formats.midi_places import FINE_TICKS, split_places
from easy_pocket.core.pattern.timebase import GRID_TICKS, ms_per_tick

BAR = 3840
VOICES = ("kick", "snare", "hat_closed")


def written(ticks, voice="hat_closed", tempo_bpm=100.0, length=BAR):
    return split_places([Note(tick, voice, 90) for tick in ticks], tempo_bpm, length)


@pytest.mark.parametrize("name", ["8", "16", "32", "8T", "16T"])
def test_notes_on_a_grid_stay_on_it(name):
    step = GRID_TICKS[name]
    ticks = list(range(0, BAR, step))
    found = written(ticks)
    assert [hit.tick for hit in found] == ticks
    assert all(hit.offset_ms == 0 for hit in found)


@pytest.mark.parametrize("off", [-FINE_TICKS, 2, FINE_TICKS])
def test_a_note_a_hair_off_a_slot_is_written_on_it(off):
    found = written([960 + off])
    assert found[0].tick == 960
    assert found[0].offset_ms == pytest.approx(off * ms_per_tick(100.0))


def test_loose_notes_go_to_the_grid_that_suits_them_best():
    early, late = -17, 23
    found = written([240 + late, 480 + early, 720 + late, 960 + early])
    assert [hit.tick for hit in found] == [240, 480, 720, 960]
    assert [round(hit.offset_ms / ms_per_tick(100.0)) for hit in found] == [late, early, late, early]


def test_a_single_note_on_a_fifth_of_a_beat_is_swung_and_two_are_a_quintuplet():
    step = GRID_TICKS["quint"]
    alone = written([0, step, 960])
    assert step not in [hit.tick for hit in alone]
    both = written([0, step, 2 * step, 3 * step, 4 * step])
    assert [hit.tick for hit in both] == [0, step, 2 * step, 3 * step, 4 * step]


def test_two_notes_of_one_slot_are_both_kept_in_their_order():
    found = sorted(written([960, 975]), key=lambda hit: hit.tick)
    assert len({hit.tick for hit in found}) == 2
    times = [hit.tick * ms_per_tick(100.0) + hit.offset_ms for hit in found]
    assert times == pytest.approx([960 * ms_per_tick(100.0), 975 * ms_per_tick(100.0)])


notes = st.lists(
    st.tuples(st.integers(0, BAR - 1), st.sampled_from(VOICES), st.integers(1, 127)),
    min_size=1,
    max_size=40,
    unique_by=lambda note: note[:2],
).map(lambda found: [Note(*note) for note in sorted(found)])


@given(notes, st.floats(40, 300))
def test_no_note_is_lost_moved_in_time_or_put_on_another(listed, tempo_bpm):
    found = split_places(listed, tempo_bpm, BAR)
    assert len(found) == len(listed)
    assert len({(hit.voice, hit.tick) for hit in found}) == len(found)
    assert all(0 <= hit.tick < BAR and abs(hit.offset_ms) <= 250 for hit in found)
    tick_ms = ms_per_tick(tempo_bpm)
    times = sorted((hit.voice, round(hit.tick + hit.offset_ms / tick_ms, 3), hit.velocity) for hit in found)
    assert times == sorted((voice, round(float(tick), 3), velocity) for tick, voice, velocity, _ in listed)


@given(notes)
def test_places_of_a_voice_are_in_order_of_time(listed):
    found = split_places(listed, 120.0, BAR)
    for voice in VOICES:
        mine = sorted((hit for hit in found if hit.voice == voice), key=lambda hit: hit.tick + hit.offset_ms / 0.52)
        exact = sorted(mine, key=lambda hit: hit.tick * ms_per_tick(120.0) + hit.offset_ms)
        assert [hit.tick for hit in exact] == sorted(hit.tick for hit in exact)
