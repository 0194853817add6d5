"""Text from outside: whatever it holds, what comes out can be shown, kept, and put into a file's name."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.formats.midi_text import from_midi, to_midi
from easy_pocket.core.text import counted, one_line, plain_line, several_lines, whole_number


@given(st.text(max_size=300), st.integers(0, 120))
def test_one_line_is_one_line_of_what_can_be_shown(text, most):
    found = one_line(text, most)
    assert len(found) <= most
    assert found.isprintable()
    assert "  " not in found
    assert one_line(found, most) == found.strip() or found.endswith(" ")


@given(st.text(max_size=300))
def test_several_lines_keep_their_lines_and_nothing_that_cannot_be_shown(text):
    found = several_lines(text)
    assert all(line.isprintable() for line in found.split("\n"))
    assert several_lines(found) == found


@given(st.text(max_size=300))
def test_a_name_for_a_file_has_no_path_in_it_and_is_never_empty(text):
    found = plain_line(text)
    assert 1 <= len(found) <= 60
    assert not set(found) & set('/\\:*?"<>|.\0\n')
    assert found == found.strip() or len(found) == 60


@given(st.text(max_size=20))
def test_a_number_is_read_exactly_or_not_at_all(text):
    found = whole_number(text)
    assert found is None or (text.isascii() and text.isdigit() and str(found) == (text.lstrip("0") or "0"))


@pytest.mark.parametrize(("text", "number"), [("0", 0), ("007", 7), ("123456789", 123456789)])
def test_plain_digits_are_a_number(text, number):
    assert whole_number(text) == number


@pytest.mark.parametrize("text", ["", "1234567890", "-1", "+1", "1.0", "1e3", " 1", "１", "²", "٣"])
def test_everything_else_is_none(text):
    assert whole_number(text) is None


@given(st.text(max_size=300))
def test_text_fits_into_a_midi_file_and_comes_back(text):
    found = to_midi(text)
    assert len(found) <= 120
    assert from_midi(found.encode("utf-8").decode("latin-1"), 120) == found


@pytest.mark.parametrize(("count", "words"), [(0, "0 hits"), (1, "1 hit"), (2, "2 hits")])
def test_things_are_counted_in_plain_words(count, words):
    assert counted(count, "hit") == words
