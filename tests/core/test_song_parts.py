"""Parts in words, stages of a section, parts merged and split, fills drawn for a section's end, grooves of parts."""

from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre
from easy_pocket.core.song.buildup import coming_in, stages_of
from easy_pocket.core.song.duration_text import parse_bar_marks, parse_ticks
from easy_pocket.core.song.energy import energy_of
from easy_pocket.core.song.flatten import flatten
from easy_pocket.core.song.merge_parts import merged_pattern, only_voice, voices_of
from easy_pocket.core.song.part import Part, Turning
from easy_pocket.core.song.section import Cell, Join, Section
from easy_pocket.core.song.section_fill import fill_for
from easy_pocket.core.song.size_limits import check_size, most_hits
from tests.core.songs import BEAT, FILL, arrangements, small

BAR = 3840


@pytest.mark.parametrize(
    ("text", "ticks"),
    [
        ("3/8", 1440), ("5 beats", 4800), ("7 bars", 7 * BAR), ("6 steps", 1440), ("1 bar", BAR), ("9 16ths", 2160),
        ("480 ticks", 480), ("0.5 bars", 1920), ("auto", None), ("", None), (" 3 / 4 ", 2880), ("2 8ths", 960),
    ],
)  # fmt: skip
def test_lengths_are_read_as_one_says_them(text, ticks):
    assert parse_ticks(text, COMMON_TIME, 240) == ticks
    assert parse_ticks("1 bar", Metre(6, 8), 240) == 2880


@pytest.mark.parametrize("text", ["x", "3/7", "-1 bars", "1.00001 bars", "99999999 bars", "3 fortnights", "1/0"])
def test_what_is_no_length_is_refused(text):
    with pytest.raises(BadValueError, match="is no length"):
        parse_ticks(text, COMMON_TIME, 240)


@pytest.mark.parametrize(
    ("text", "marks"),
    [
        ("all", ""),
        ("every 2nd", "01"),
        ("last of 4", "0001"),
        ("every 3rd bar", "001"),
        ("0110", "0110"),
        ("every 1st", ""),
    ],
)
def test_bars_are_read_as_one_says_them(text, marks):
    assert parse_bar_marks(text) == marks
    with pytest.raises(BadValueError, match="says no bars"):
        parse_bar_marks("sometimes")


def with_stages(song, section, stages):
    made = []
    for number, stage in enumerate(stages):
        cells = {
            key: replace(cell, muted=cell.muted | stage.muted[key])
            for key, cell in section.cells.items()
            if key in stage.sounding
        }
        made.append(replace(section, key=500 + number, name=f"stage {number}", cells=cells, joins=(), repeats=1))
    return replace(song, sections=(*made, section))


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(arrangements(), st.integers(1, 4))
def test_energy_rises_at_every_stage_and_with_the_section_itself(song, count):
    song = replace(
        song,
        collision_choices={},
        parts=tuple(replace(p, turning=replace(p.turning, restarts=True)) for p in song.parts),
    )
    section = replace(song.sections[0], joins=(), repeats=1)
    song = replace(song, sections=(section,))
    sounding = sum(len(set(line.voice.tolist())) for line in flatten(song).spans[0][1].values())
    if sounding <= count:
        with pytest.raises(EditRefusedError, match="too few"):
            stages_of(song, section, count)
        return
    staged = with_stages(song, section, stages_of(song, section, count))
    energy = energy_of(flatten(staged)).energy
    sums = [energy[at * section.bars : (at + 1) * section.bars].sum() for at in range(count + 1)]
    assert all(one < other for one, other in pairwise(sums))


def test_voices_come_in_in_the_usual_order_or_as_asked():
    voices = {1: ("kick", "snare"), 2: ("shaker",)}
    assert coming_in(voices) == ((2, "shaker"), (1, "kick"), (1, "snare"))
    assert coming_in(voices, ((1, "snare"), (9, "kick")))[0] == (1, "snare")


def test_merged_parts_are_as_short_as_they_repeat():
    song = small()
    verse = song.sections[0]
    both = merged_pattern(song, verse, song.parts)
    assert both.length_ticks == 4 * BAR  # three 16ths do not go into a bar, nor into two
    assert len(both.hits) == 4 * (len(BEAT.hits) + 16)
    alone = merged_pattern(song, verse, song.parts[:1])
    assert (alone.length_ticks, alone.hits) == (BAR, BEAT.hits)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(arrangements())
def test_a_merged_pattern_over_and_over_is_what_the_parts_play(song):
    section = replace(song.sections[0], joins=(), repeats=1)
    song = replace(song, sections=(section,), collision_choices={})
    pattern = merged_pattern(song, section, song.parts)
    part = Part(song.parts[0].key, "Merged", {1: pattern})
    alone = replace(song, parts=(part,), sections=(replace(section, cells={part.key: Cell(1)}),))
    wanted = {}
    for one in song.parts:
        for hit in flatten(song).line(one.key).hits():
            wanted[hit.voice, hit.tick] = hit.velocity
    found = {(hit.voice, hit.tick): hit.velocity for hit in flatten(alone).line(part.key).hits()}
    assert set(found) == set(wanted)


def test_a_part_is_split_into_patterns_of_one_voice_each_and_nothing_is_lost():
    part = small().parts[0]
    assert voices_of(part) == ("kick", "snare", "tom_low")
    for pattern in part.patterns.values():
        pieces = [only_voice(pattern, voice) for voice in voices_of(part)]
        assert sorted(hit for piece in pieces for hit in [(h.voice, h.tick) for h in piece.hits]) == sorted(
            (hit.voice, hit.tick) for hit in pattern.hits
        )


@pytest.mark.parametrize("beats", [1, 2, 4])
def test_a_fill_for_a_section_is_as_long_as_asked_and_the_same_for_a_seed(beats):
    song = small()
    verse, part = song.sections[0], song.parts[0]
    voices = ("kick", "snare", "tom_high", "tom_low", "crash")
    fill = fill_for(song, verse, part, voices, beats, 5)
    assert fill.length_ticks == beats * 960
    assert {hit.voice for hit in fill.hits} <= set(voices)
    assert len(fill.hits) / beats > len(BEAT.hits) / 4
    assert fill == fill_for(song, verse, part, voices, beats, 5)
    assert any(fill.hits != fill_for(song, verse, part, voices, beats, seed).hits for seed in range(6, 10))


def test_a_part_that_fills_do_not_reach_plays_on():
    song = small()
    verse = replace(song.sections[0], joins=(Join("fill", 1, 12),), repeats=1)
    out = replace(song, parts=(replace(song.parts[0], fills=False), song.parts[1]), sections=(verse,))
    plain = replace(song, sections=(replace(verse, joins=()),))
    assert flatten(out).line(1).hits() == flatten(plain).line(1).hits()
    filled = replace(song, sections=(verse,))
    assert flatten(filled).line(1).hits() != flatten(plain).line(1).hits()
    assert len(FILL.hits) == 5


def test_a_song_that_would_hold_too_much_is_refused_in_words():
    song = small()
    check_size(song)
    assert most_hits(song, song.parts[0]) >= len(flatten(song).line(1))
    full = Pattern(BAR, tuple(Hit(voice, tick, 90) for voice in ("kick", "snare", "rim") for tick in range(0, 960, 2)))
    busy = replace(song.parts[0], patterns={10: full}, turning=Turning(cycle_ticks=120))
    long = tuple(replace(section, bars=200, repeats=1) for section in song.sections)
    with pytest.raises(EditRefusedError, match="of them in Backbone; 1,000,000 fit"):
        check_size(replace(song, parts=(busy, song.parts[1]), sections=long))


def test_a_join_longer_than_its_section_is_cut_to_it():
    song = small()
    short = Section(
        1, "Short", 1, cells={1: Cell(10)}, joins=(Join("drop", beats=16), Join("swell", 1, voice="crash", beats=16))
    )
    line = flatten(replace(song, sections=(short,))).line(1)
    assert [(hit.voice, hit.tick, hit.articulation.length_ticks) for hit in line.hits()] == [("crash", 0, BAR)]
