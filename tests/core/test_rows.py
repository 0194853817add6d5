"""Edits of whole rows: known answers, and what must hold of every pattern."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.pattern.edits import apply_edit
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.row_edits import (
    CopyRow,
    PaintRow,
    RemoveHits,
    SpreadRow,
    ThinRow,
    TurnRow,
    WriteHits,
    spread,
)
from tests.drums import beat


def slots(pattern, voice="kick", step=240):
    return "".join("x" if (voice, tick) in pattern.by_place else "." for tick in range(0, pattern.length_ticks, step))


def after(line, edit):
    return slots(apply_edit(beat({"kick": line}), edit))


@pytest.mark.parametrize(
    ("hits", "over", "turned", "found"),
    [
        (3, 8, 0, [0, 3, 6]),
        (5, 8, 0, [0, 2, 4, 5, 7]),
        (4, 16, 0, [0, 4, 8, 12]),
        (3, 8, 1, [1, 4, 7]),
        (3, 8, -1, [2, 5, 7]),
        (0, 8, 0, []),
        (8, 8, 3, list(range(8))),
    ],
)
def test_hits_spread_evenly(hits, over, turned, found):
    assert spread(hits, over, turned) == found


@given(st.integers(1, 64), st.data(), st.integers(-64, 64))
def test_gaps_of_a_spread_differ_by_one_slot_at_most(over, data, turned):
    hits = data.draw(st.integers(1, over))
    places = spread(hits, over, turned)
    assert len(set(places)) == hits
    gaps = [(b - a) % over or over for a, b in zip(places, [*places[1:], places[0]], strict=True)]
    assert max(gaps) - min(gaps) <= 1


def test_rows_painted():
    assert after("x...............", PaintRow("kick", 0, 240, 1)) == "x" * 16
    assert after("................", PaintRow("kick", 480, 240, 4)) == "..x...x...x...x."
    assert after("................", PaintRow("kick", 0, 240, 3)) == "x..x..x..x..x..x"
    assert after("xx..xx..xx..xx..", PaintRow("kick", 0, 240, 4, replace=True)) == "x...x...x...x..."
    assert after("xx..xx..xx..xx..", PaintRow("kick", 1920, 240, 2, replace=True)) == "xx..xx..x.x.x.x."
    kept = apply_edit(Pattern(3840, (Hit("kick", 0, 31, 4.0),)), PaintRow("kick", 0, 960, 1))
    assert kept.by_place["kick", 0] == Hit("kick", 0, 31, 4.0)  # what is there stays as it is


def test_rows_written_and_wiped_by_hand():
    assert after("x...............", WriteHits("kick", (0, 240, 720))) == "xx.x............"
    assert after("xx.x............", RemoveHits((("kick", 0), ("kick", 720), ("snare", 0)))) == ".x.............."


def test_a_spread_takes_the_place_of_what_was_there():
    assert after("xxxx............", SpreadRow("kick", 0, 240, 3, 8)) == "x..x..x.x..x..x."
    assert after("xx..............", SpreadRow("kick", 1920, 240, 3, 8)) == "xx......x..x..x."
    assert after("xxxx............", SpreadRow("kick", 0, 240, 0, 8)) == "." * 16


def test_a_row_is_copied_two_slots_later_round_the_end():
    pattern = apply_edit(beat({"hat_closed": "x...x.........x."}), CopyRow("hat_closed", "hat_open", 480))
    assert slots(pattern, "hat_open") == "x.x...x........."
    assert slots(pattern, "hat_closed") == "x...x.........x."


@pytest.mark.parametrize(
    ("how", "found"),
    [
        ("later", ".x..x..........."),
        ("earlier", "..x............x"),
        ("reverse", "............x..x"),
        ("mirror", "x..x........x..x"),
    ],
)
def test_rows_turned(how, found):
    assert after("x..x............", TurnRow("kick", how, 240)) == found


lines = st.text("x.", min_size=16, max_size=16).filter(lambda line: "x" in line)


@given(lines)
def test_turning_back_gives_the_row_back(line):
    for there, back in (("later", "earlier"), ("earlier", "later"), ("reverse", "reverse")):
        turned = apply_edit(beat({"kick": line}), TurnRow("kick", there, 240))
        assert apply_edit(turned, TurnRow("kick", back, 240)) == beat({"kick": line})


@given(lines, st.integers(0, 100), st.integers(0, 9))
def test_thinning_leaves_the_share_and_the_same_hits_each_time(line, percent, seed):
    pattern = beat({"kick": line, "snare": "....x......."})
    thinned = apply_edit(pattern, ThinRow("kick", percent, seed))
    kicks = [hit for hit in thinned.hits if hit.voice == "kick"]
    assert len(kicks) == round(line.count("x") * percent / 100)
    assert set(kicks) <= set(pattern.hits)
    assert thinned == apply_edit(pattern, ThinRow("kick", percent, seed))
    assert [hit for hit in thinned.hits if hit.voice == "snare"] == [h for h in pattern.hits if h.voice == "snare"]


@given(lines, st.integers(0, 100), st.integers(0, 100))
def test_thinning_further_takes_from_what_was_left(line, more, less):
    pattern = beat({"kick": line})
    low, high = sorted((more, less))
    assert set(apply_edit(pattern, ThinRow("kick", low, 3)).hits) <= set(
        apply_edit(pattern, ThinRow("kick", high, 3)).hits
    )


def test_what_does_not_fit_is_refused_in_words():
    with pytest.raises(EditRefusedError, match="Kick has a hit on each of these places already"):
        after("x" * 16, PaintRow("kick", 0, 240, 1))
    with pytest.raises(EditRefusedError, match="Snare has no hits yet"):
        after("x...............", TurnRow("snare", "later", 240))
    with pytest.raises(EditRefusedError, match="copied onto itself"):
        after("x...............", CopyRow("kick", "kick"))
    with pytest.raises(EditRefusedError, match="no hits there any more"):
        after("x...............", RemoveHits((("kick", 240),)))
    with pytest.raises(EditRefusedError, match="'sideways' is none of them"):
        after("x...............", TurnRow("kick", "sideways", 240))
    with pytest.raises(BadValueError, match="hits to spread is 9; it must lie between 0 and 8"):
        after("x...............", SpreadRow("kick", 0, 240, 9, 8))
    with pytest.raises(BadValueError, match="slot is 0 ticks"):
        after("x...............", PaintRow("kick", 0, 0, 1))


def test_words():
    assert PaintRow("hat_closed", 0, 240, 2).description(Pattern(3840, ())) == "closed hat on every 2. slot"
    assert SpreadRow("kick", 0, 240, 3, 8, 1).description(Pattern(3840, ())) == "kick 3 over 8, turned by 1"
    assert RemoveHits((("kick", 0), ("kick", 240))).description(Pattern(3840, ())) == "wipe 2 kick hits"
