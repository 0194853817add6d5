"""Edits: what they do, what they refuse, and that any series of them can be taken back hit by hit."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.pattern.edits import apply_edit
from easy_pocket.core.pattern.hit_edits import (
    MoveHit,
    RemoveHit,
    SetOffset,
    SetVelocity,
    WriteHit,
)
from easy_pocket.core.pattern.length_edits import SetLength
from easy_pocket.core.pattern.pattern import Hit, Pattern

TWO_BARS = Pattern(7680, (Hit("kick", 0, 110), Hit("snare", 960, 100, -4.0)))


def test_each_edit_does_what_it_says():
    pattern = apply_edit(TWO_BARS, WriteHit("rim", 480, 70))
    pattern = apply_edit(pattern, SetVelocity("rim", 480, 71))
    pattern = apply_edit(pattern, SetOffset("rim", 480, 6.5))
    pattern = apply_edit(pattern, MoveHit("rim", 480, "clap", 720))
    assert Hit("clap", 720, 71, 6.5) in pattern.hits
    assert apply_edit(pattern, RemoveHit("clap", 720)) == TWO_BARS


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (WriteHit("kick", 0), "already has a hit at 1.1"),
        (RemoveHit("kick", 240), "no kick hit at 1.1 e"),
        (MoveHit("kick", 0, "snare", 960), "Snare already has a hit at 1.2"),
        (SetVelocity("rim", 0, 60), "no rim hit"),
    ],
)
def test_an_edit_that_does_not_fit_is_refused_in_words(edit, words):
    with pytest.raises(EditRefusedError, match=words):
        apply_edit(TWO_BARS, edit)


@pytest.mark.parametrize(
    "edit",
    [
        WriteHit("kick", 7680),
        WriteHit("kazoo", 0),
        WriteHit("rim", 0, 128),
        SetVelocity("kick", 0, 0),
        SetOffset("kick", 0, float("nan")),
        SetOffset("kick", 0, 400.0),
        MoveHit("kick", 0, "kick", -240),
    ],
)
def test_values_out_of_range_are_refused(edit):
    with pytest.raises(BadValueError):
        apply_edit(TWO_BARS, edit)


def test_doubling_copies_and_halving_gives_it_back():
    at_double_tempo = apply_edit(TWO_BARS, SetLength(4))
    assert [hit.tick for hit in at_double_tempo.hits] == [0, 960, 7680, 8640]
    assert apply_edit(at_double_tempo, SetLength(2)) == TWO_BARS


def test_shortening_never_drops_a_hit_silently():
    longer = apply_edit(apply_edit(TWO_BARS, SetLength(4)), WriteHit("crash", 7680))
    with pytest.raises(EditRefusedError, match="3 hits lie after bar 2"):
        apply_edit(longer, SetLength(2))


def test_words_for_the_undo_list():
    assert SetOffset("snare", 960, -3.0).description(TWO_BARS) == "snare 1.2 to -3.0 ms"
    assert WriteHit("hat_open", 3840 + 720).description(TWO_BARS) == "write open hat at 2.1 a"


places = st.tuples(
    st.sampled_from(["kick", "snare", "rim", "hat_closed"]), st.integers(0, 31).map(lambda slot: slot * 240)
)


@given(st.dictionaries(places, st.integers(1, 127), max_size=40))
def test_writing_and_removing_in_any_order_leaves_nothing(written):
    pattern = Pattern(7680)
    for (voice, tick), velocity in written.items():
        pattern = apply_edit(pattern, WriteHit(voice, tick, velocity))
    assert {(hit.voice, hit.tick): hit.velocity for hit in pattern.hits} == written
    for voice, tick in sorted(written):
        pattern = apply_edit(pattern, RemoveHit(voice, tick))
    assert pattern == Pattern(7680)


def test_a_pattern_checks_what_it_is_given():
    with pytest.raises(BadValueError, match="Two kick hits lie on tick 0"):
        Pattern(3840, (Hit("kick", 0, 90), Hit("kick", 0, 91)))
    with pytest.raises(BadValueError, match="lengthen the pattern or move the hit"):
        Pattern(3840, (Hit("kick", 3840, 90),))
