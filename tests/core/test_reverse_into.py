"""A sound that runs backwards into a hit ends where the hit is played, whatever the feel does to both."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.strokes import strokes
from easy_pocket.core.pattern.edits import apply_edit
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.reverse_into import ReverseInto
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.tones import RATE_HZ

BAR = 3840
BEAT = 960


def ends_ms(pattern: Pattern, percent: float) -> tuple[float, float]:
    """When the sound that runs backwards ends, and when the snare is played, in ms within the loop."""
    played = perform(pattern, FeelScopes(Feel(swing_percent=percent)), tempo_bpm=104.0)
    struck = strokes(played)
    back = int(np.flatnonzero(struck.backwards)[0])
    snare = next(i for i, hit in enumerate(pattern.hits) if hit.voice == "snare" and not hit.articulation.backwards)
    own = int(np.flatnonzero(struck.hit == snare)[0])
    return float((struck.time_ms[back] + struck.length_ms[back]) % played.length_ms), float(struck.time_ms[own])


@given(
    tick=st.sampled_from([240, 960, 1200, 3600]),
    slots=st.integers(1, 15),
    percent=st.floats(50, 70),
    offset_ms=st.floats(-20, 20),
)
def test_its_end_falls_on_the_hit(tick: int, slots: int, percent: float, offset_ms: float) -> None:
    pattern = Pattern(BAR, (Hit("snare", tick, 100, offset_ms),))
    after = apply_edit(pattern, ReverseInto((("snare", tick),), "crash", slots * 240))
    end, due = ends_ms(after, percent)
    assert end == pytest.approx(due, abs=1e-6)
    assert len(after.hits) == 2


def test_before_the_first_bar_it_begins_at_the_end_of_the_loop() -> None:
    pattern = Pattern(BAR, (Hit("snare", 0, 100),))
    after = apply_edit(pattern, ReverseInto((("snare", 0),), "crash", BEAT))
    assert after.at("crash", BAR - BEAT) is not None
    end, due = ends_ms(after, 50.0)
    assert end == pytest.approx(due, abs=1e-6)


def test_it_is_heard_up_to_the_hit() -> None:
    pattern = Pattern(BAR, (Hit("snare", 2 * BEAT, 100, 11.0),))
    after = apply_edit(pattern, ReverseInto((("snare", 2 * BEAT),), "snare", BEAT))
    played = perform(after, FeelScopes(Feel()), tempo_bpm=100.0)
    back, hit = sorted(play_events(played, HOUSE_KITS["boathouse"]), key=lambda event: event.start_s)
    assert back.back
    assert not hit.back
    assert back.start_s + back.back / RATE_HZ == pytest.approx(hit.start_s, abs=1.5 / RATE_HZ)


def test_a_hit_in_the_way_is_named_and_nothing_changes() -> None:
    pattern = Pattern(BAR, (Hit("snare", BEAT, 100), Hit("snare", 0, 90)))
    with pytest.raises(EditRefusedError, match=r"snare hit stands at 1\.1"):
        apply_edit(pattern, ReverseInto((("snare", BEAT),), "snare", BEAT))
    with pytest.raises(BadValueError, match="length of the sound"):
        apply_edit(pattern, ReverseInto((("snare", BEAT),), "crash", 2 * BAR))
    with pytest.raises(EditRefusedError, match="no rim hit"):
        apply_edit(pattern, ReverseInto((("rim", BEAT),), "crash", BEAT))
