"""One entry a format: what follows from it."""

import re
from pathlib import Path

import pytest

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.exchange import PatternToWrite
from easy_pocket.core.formats.registry import Format, Written, endings_read, for_file, formats_of, register, written
from tests.drums import ROCK, beat

KINDS = ("song", "pattern", "groove", "kit")
DOCS = Path(__file__).parents[2] / "docs/formats.md"


def _row(one):
    can = ["yes" if able else "no" for able in (one.read, one.write)]
    return " | ".join([one.title, " ".join(one.endings), *can, one.holds])


def test_the_table_in_the_docs_is_that_of_the_formats():
    told = re.findall(r"^\| (song|pattern|groove|kit) \| (.+) \|$", DOCS.read_text(), re.M)
    wanted = [(of, _row(one)) for of in KINDS for one in formats_of(of)]
    assert told == wanted


@pytest.mark.parametrize("one", written("pattern"), ids=lambda one: one.name)
def test_what_can_be_chosen_is_an_option_of_the_format(one):
    for choice in one.choices:
        assert vars(one.options(**choice.options)).items() >= choice.options.items()


def test_the_ending_tells_the_format_whatever_its_case():
    assert for_file("groove", "Low Tide.CSV", to="read").name == "csv"
    assert for_file("pattern", "x.midi", to="write").name == "midi"
    assert set(endings_read("groove")) == {".json", ".csv", ".mid", ".midi"}
    with pytest.raises(BadValueError, match=r"x\.wav is no pattern that can be read: its ending is to be one of \.mid"):
        for_file("pattern", "x.wav", to="read")


def test_a_pattern_written_is_read_again():
    pattern = beat(ROCK)
    one = for_file("pattern", "a.mid", to="write")
    data = one.written(PatternToWrite(perform(pattern, tempo_bpm=104), "Keel", loop=True)).data
    back = one.content(data, "a.mid")
    assert back.tempo_bpm == pytest.approx(104, abs=0.001)
    assert {(hit.voice, hit.tick, hit.velocity) for hit in back.pattern.hits} == {
        (hit.voice, hit.tick, hit.velocity) for hit in pattern.hits
    }


def test_two_formats_of_one_name_and_one_that_does_nothing_are_refused():
    with pytest.raises(TypeError, match="two formats of a pattern are called 'midi'"):
        register(Format("pattern", "midi", "MIDI", (".mid",), "audio/midi", "", write=lambda *_: Written(b"")))
    with pytest.raises(TypeError, match="neither reads nor writes"):
        register(Format("pattern", "air", "Air", (".air",), "text/plain", ""))
    with pytest.raises(TypeError, match="only read"):
        Format("pattern", "air", "Air", (".air",), "text/plain", "", read=lambda *_: None).written(None)
