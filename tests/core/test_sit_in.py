"""Sit in: hits go to the loop's, what has none near follows its template, nothing is left behind; and the other way."""

import numpy as np
import pytest

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.timing_comparison import gap, side_of
from easy_pocket.core.listen.layered_loop import LayerSettings, slice_times_s
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.listen.loop_side import side_of_loop
from easy_pocket.core.listen.sit_in import SitIn, sit_in
from easy_pocket.core.listen.slices import cut_slices, retimed
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick
from tests.drums import SWUNG, beat, rendered

TEMPO = 96.0
HALF_MS = 120 * ms_per_tick(TEMPO)
STRAIGHT = FeelScopes()


@pytest.fixture(scope="module")
def loop():
    audio, performance = rendered(beat(SWUNG), TEMPO, Feel(swing_percent=60))
    return audio, performance, analyze_loop(audio)


def gap_to(pattern, heard, feel=STRAIGHT):
    side = side_of(perform(pattern, feel, tempo_bpm=TEMPO), "beat")
    return gap(side, side_of_loop(heard.onsets, heard.reading, "loop", TEMPO), HALF_MS)


def test_at_full_strength_every_hit_lies_on_the_loops(loop):
    _, _, heard = loop
    done = sit_in(beat(SWUNG), STRAIGHT, TEMPO, heard.onsets, heard.reading, SitIn())
    assert gap_to(beat(SWUNG), heard).mean_size_ms > 5
    assert gap_to(done.tightening.after, heard).mean_size_ms < 0.5
    assert len(done.tightening.after.hits) == len(beat(SWUNG).hits)


def test_half_strength_halves_the_gap_and_the_feel_stays_on(loop):
    _, _, heard = loop
    feel = FeelScopes(Feel(push_ms=12))
    before = gap_to(beat(SWUNG), heard, feel).mean_size_ms
    done = sit_in(beat(SWUNG), feel, TEMPO, heard.onsets, heard.reading, SitIn(50.0))
    assert gap_to(done.tightening.after, heard, feel).mean_size_ms == pytest.approx(before / 2, rel=0.05)


def test_what_has_no_hit_near_it_follows_the_template(loop):
    _, _, heard = loop
    lonely = Pattern(7680, (Hit("shaker", 240, 70), Hit("shaker", 1200, 70), Hit("kick", 0, 100)))
    done = sit_in(lonely, STRAIGHT, TEMPO, heard.onsets, heard.reading, SitIn())
    late_ms = {hit.tick: hit.offset_ms for hit in done.tightening.after.hits}
    swing_ms = 0.1 * 480 * ms_per_tick(TEMPO)
    assert not done.led.all()
    assert [late_ms[240], late_ms[1200]] == pytest.approx([swing_ms, swing_ms], abs=4)


def test_only_the_chosen_voices_go_and_locked_rows_stay(loop):
    _, _, heard = loop
    done = sit_in(beat(SWUNG), STRAIGHT, TEMPO, heard.onsets, heard.reading, SitIn(voices=("hat_closed",)))
    assert {hit.voice for hit in done.tightening.after.hits if hit.offset_ms} == {"hat_closed"}
    locked = Pattern(7680, beat(SWUNG).hits, locked_voices=frozenset({"hat_closed"}))
    done = sit_in(locked, STRAIGHT, TEMPO, heard.onsets, heard.reading, SitIn())
    assert "hat_closed" not in {hit.voice for hit in done.tightening.after.hits if hit.offset_ms}


def test_the_loop_sits_in_the_beat(loop):
    audio, _, heard = loop
    slices = cut_slices(heard.onsets, heard.reading)
    straight = perform(beat(SWUNG), STRAIGHT, tempo_bpm=TEMPO)
    to_s = slice_times_s(slices.attack_s, heard.reading, LayerSettings(to="stack"), straight, None)
    moved = analyze_loop(retimed(audio, slices, to_s, straight.length_ms / 1000, wraps=True))
    side = side_of_loop(moved.onsets, moved.reading, "moved", TEMPO)
    assert gap(side_of(straight, "beat"), side, HALF_MS).mean_size_ms < 2


def test_what_cannot_be_done_is_said(loop):
    _, _, heard = loop
    with pytest.raises(EditRefusedError, match="no hits to sit in"):
        sit_in(Pattern(3840), STRAIGHT, TEMPO, heard.onsets, heard.reading, SitIn())
    with pytest.raises(BadValueError, match="strength is 200 %"):
        SitIn(200.0)
    silent = heard.onsets.take(np.zeros(len(heard.onsets), dtype=bool))
    with pytest.raises(BadValueError, match="no hits to sit in with"):
        sit_in(beat(SWUNG), STRAIGHT, TEMPO, silent, heard.reading, SitIn())
