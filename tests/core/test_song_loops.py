"""Loops under a song: the bars of each span they play over, and the stack they make room for there."""

from dataclasses import replace

import numpy as np
import pytest

from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.listen.layered_loop import LayerSettings
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.core.song.song_loops import layer_in_span, stack_of
from tests.core.songs import small

BAR = 3840


def bars_of(settings, sections=()):
    """From and to which bar of each span it plays, None where it rests."""
    found = [layer_in_span(settings, span, sections) for span in small().spans]
    return [one and (one.from_bar, one.to_bar, one.start_ticks) for one in found]


def test_a_loop_that_goes_by_its_bars_goes_on_through_the_song():
    assert bars_of(LayerSettings()) == [(1, 0, 0), (1, 0, 4 * BAR), (1, 0, 8 * BAR)]
    assert bars_of(LayerSettings(from_bar=3, to_bar=6)) == [(3, 4, 0), (1, 2, 2 * BAR), None]
    assert bars_of(LayerSettings(from_bar=10)) == [None, None, (2, 0, 0)]
    assert bars_of(LayerSettings(cycle_ticks=1440)) == [(1, 0, 0), (1, 0, 4 * BAR % 1440), (1, 0, 8 * BAR % 1440)]


def test_a_loop_of_sections_begins_anew_in_each_turn_of_them():
    assert bars_of(LayerSettings(from_bar=3, to_bar=3, muted=True), (100,)) == [(1, 0, 0), (1, 0, 0), None]
    assert bars_of(LayerSettings(), (101, 100)) == [(1, 0, 0)] * 3
    assert bars_of(LayerSettings(), (7,)) == [None] * 3


@pytest.mark.parametrize("number", [0, 1, 2])
def test_the_stack_of_a_span_is_what_all_parts_play_there(number):
    song = small()
    song = replace(song, parts=tuple(replace(p, feel=FeelScopes(Feel(push_ms=5, jitter_ms=2))) for p in song.parts))
    played = perform_song(song)
    span = song.spans[number]
    stack = stack_of(played, span)
    assert stack.length_ms == pytest.approx(span.length_ms)
    wanted = [
        (part.hits.voices[voice], at_ms - span.start_ms)
        for part in played.parts
        for voice, at_ms, where in zip(part.hits.voice_index, part.played_ms, part.span, strict=True)
        if where == number
    ]
    found = [(stack.hits.voices[v], at) for v, at in zip(stack.hits.voice_index, stack.played_ms, strict=True)]
    assert len(found) == len(wanted)
    np.testing.assert_allclose(sorted(at for _, at in found), sorted(at for _, at in wanted))
    assert sorted(voice for voice, _ in found) == sorted(voice for voice, _ in wanted)
    assert (np.diff(stack.hits.tick) >= 0).all()


def test_bars_begin_by_the_tempo_of_their_section():
    song = small()
    verse, chorus = song.sections
    slow = replace(song, sections=(verse, replace(chorus, tempo_bpm=60.0)))
    starts = np.array(slow.bar_starts_ms)
    np.testing.assert_allclose(np.diff(starts), [2000.0] * 8 + [4000.0] * 4)
    assert len(starts) == slow.bars + 1
