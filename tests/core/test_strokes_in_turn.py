"""Different strokes of one sound in turn: no two equal hits are the same samples, and all are as loud."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.sfz import read_sfz
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import NEXT_STROKE, voice_audio
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.samples import house_kits, shipped_samples
from tests.drums import one_stroke, written_sfz

SYNTHESIZED = ("boathouse", "signal_box", "net_loft")
EVERY_VOICE = [(key, voice.role) for key in SYNTHESIZED for voice in HOUSE_KITS[key].voices]


def in_a_row(kit, role, count, tempo_bpm=120):
    hits = tuple(Hit(role, 240 * number, 100) for number in range(count))
    return play_events(perform(Pattern(240 * max(count, 1), hits), tempo_bpm=tempo_bpm), kit)


@pytest.mark.parametrize(("key", "role"), EVERY_VOICE)
def test_strokes_of_a_sound_differ_and_are_as_loud_and_as_high(key, role):
    voice = HOUSE_KITS[key].voice(role)
    assert voice.sounds == (0, NEXT_STROKE, 2 * NEXT_STROKE)
    strokes = [voice_audio(voice.alternate(number), voice.hardest)[:, 0].astype(float) for number in voice.sounds]
    shortest = min(map(len, strokes))
    loud_db = [10 * np.log10(np.mean(stroke[:4410] ** 2)) for stroke in strokes]
    assert max(loud_db) - min(loud_db) < 1.5
    for one, other in ((0, 1), (1, 2), (0, 2)):
        apart = strokes[one][:shortest] - strokes[other][:shortest]
        assert np.mean(apart**2) > 1e-4 * np.mean(strokes[one] ** 2)


@given(st.integers(1, 40), st.sampled_from(SYNTHESIZED))
def test_no_two_hits_in_a_row_are_the_same_samples(count, key):
    kit = HOUSE_KITS[key]
    role = kit.voices[1].role
    played = [event.audio for event in in_a_row(kit, role, count)]
    assert len(played) == count
    assert all(one != other for one, other in pairwise(played))
    assert len(set(played)) == min(count, 3)


def test_one_stroke_plays_the_same_each_time_and_so_do_recordings():
    assert len({event.audio for event in in_a_row(one_stroke(HOUSE_KITS["boathouse"]), "snare", 8)}) == 1
    dry_dock = house_kits()["dry_dock"]
    voice = replace(dry_dock.voices[0], strokes=4)
    assert voice.turns == 1
    assert voice.sounds == tuple(range(len(voice.alternates) + 1))


def test_the_mixdown_plays_the_strokes_that_the_events_name():
    kit = HOUSE_KITS["boathouse"]
    events = in_a_row(kit, "rim", 4)
    mixed = mixdown(events, kit, 0.5).samples
    quarter = len(mixed) // 4
    assert not np.allclose(mixed[:quarter], mixed[quarter : 2 * quarter], atol=1e-4)
    assert np.array_equal(mixed, mixdown(in_a_row(kit, "rim", 4), kit, 0.5).samples)


def test_sfz_that_goes_round_holds_the_strokes_and_one_with_switches_does_not():
    kit = HOUSE_KITS["boathouse"]
    assert all(not voice.alternates for voice in read_sfz(written_sfz(kit, shipped_samples), "x.zip").kit.voices)
    round_robin = read_sfz(written_sfz(kit, shipped_samples, turns="round_robin"), "x.zip").kit
    assert all(len(voice.alternates) == 2 for voice in round_robin.voices)


def test_a_number_of_strokes_out_of_range_is_refused():
    with pytest.raises(BadValueError, match="number of strokes in turn"):
        replace(HOUSE_KITS["boathouse"].voice("snare"), strokes=7)
