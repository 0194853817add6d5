import pytest

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.pattern.timebase import Metre, check_tempo, ms_per_tick, parse_metre, place_name


def test_a_quarter_at_120_lasts_half_a_second():
    assert ms_per_tick(120) * 960 == pytest.approx(500.0)


@pytest.mark.parametrize(
    ("metre", "bar", "pulse"), [("4/4", 3840, 960), ("6/8", 2880, 1440), ("7/8", 3360, 480), ("3/4", 2880, 960)]
)
def test_metres_have_the_length_they_say(metre, bar, pulse):
    assert (parse_metre(metre).bar_ticks, parse_metre(metre).pulse_ticks) == (bar, pulse)


def test_places_are_counted_as_musicians_count():
    names = [place_name(tick, Metre(4, 4)) for tick in (0, 240, 480, 720, 960, 3840, 4160)]
    assert names == ["1.1", "1.1 e", "1.1 &", "1.1 a", "1.2", "2.1", "2.1 trip"]


@pytest.mark.parametrize("tempo", [0, 1e9, -3, float("nan"), float("inf")])
def test_tempo_outside_what_can_be_played_is_refused_in_words(tempo):
    with pytest.raises(BadValueError, match="between 20 and 400 bpm"):
        check_tempo(tempo)


@pytest.mark.parametrize("text", ["", "4", "4/5", "0/4", "99/4", "four/four"])
def test_what_is_no_metre_is_refused(text):
    with pytest.raises(BadValueError):
        parse_metre(text)
