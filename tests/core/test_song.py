"""Parts in a song: cycles, sections, joins, hits struck twice, and all of it written out flat."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.pattern.articulation import Articulation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre, ms_per_tick
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.collisions import APART_MS, find_collisions
from easy_pocket.core.song.cycles import describe_meeting, meetings, together_ticks, turns_between
from easy_pocket.core.song.energy import broken_promises, energy_of
from easy_pocket.core.song.flat_patterns import along, flat_patterns
from easy_pocket.core.song.flatten import before_collisions, flatten
from easy_pocket.core.song.part import Part, Turning
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.core.song.section import ORDER, Cell, Join, Section
from easy_pocket.core.song.song_mix import part_columns, song_columns, together
from easy_pocket.core.sound.events import events_of
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.samples import house_kits
from tests.core.songs import BEAT, BUSY, FILL, SHAKER, arrangements, small

KITS = {**house_kits()}
KITS["netloft"] = KITS.get("net_loft", KITS["boathouse"])
BAR = 3840


def ticks(song, part, voice=None):
    line = flatten(song).line(part)
    return (line.take(line.of([voice])) if voice else line).tick.tolist()


def with_part(song, **changes):
    first, *others = song.parts
    return replace(song, parts=(replace(first, **changes), *others))


def turning(song, **changes):
    return with_part(song, turning=replace(song.parts[0].turning, **changes))


def joined(*joins, repeats=1):
    song = small()
    verse, chorus = song.sections
    return replace(song, sections=(replace(verse, joins=joins, repeats=repeats), chorus))


def test_a_section_plays_its_patterns_over_and_over_in_every_repeat():
    song = small()
    assert song.bars == 12
    assert ticks(song, 1, "kick") == sorted(
        [bar * BAR + at for bar in range(8) for at in (0, 1920, 2400)]
        + [bar * BAR + at for bar in range(8, 12) for at in (0, 720, 1440, 1920, 2400, 3120)]
    )
    assert [span.turn for span in song.spans] == [1, 2, 1]


def test_a_part_that_runs_free_goes_on_over_the_seam_and_one_that_restarts_begins_anew():
    song = small()
    assert ticks(song, 2) == list(range(0, 8 * BAR, 240))
    loud = flatten(song).line(2)
    assert loud.tick[loud.velocity == 88].tolist() == list(range(0, 8 * BAR, 720))
    free, again = song.parts[1], replace(song.parts[1], turning=Turning(restarts=True, cycle_ticks=1440))
    restarted = replace(song, parts=(song.parts[0], again))
    line = flatten(restarted).line(2)
    firsts = [turn * 4 * BAR + at for turn in range(2) for at in range(0, 4 * BAR, 1440)]
    assert line.tick[line.velocity == 88].tolist() == firsts
    assert free.turning.restarts is False


@given(
    lengths=st.lists(st.integers(120, 9000), min_size=1, max_size=5),
    begin=st.integers(0, 512 * BAR),
    length=st.integers(1, 40_000),
)
def test_turns_lie_end_to_end_and_are_exact_however_many_went_before(lengths, begin, length):
    starts, numbers = turns_between(lengths, begin, begin + length)
    assert starts[0] <= begin
    assert starts[-1] < begin + length
    assert numbers.tolist() == list(range(numbers[0], numbers[-1] + 1))
    for start, number in zip(starts.tolist(), numbers.tolist(), strict=True):
        rounds, inside = divmod(number, len(lengths))
        assert start == rounds * sum(lengths) + sum(lengths[:inside])


@pytest.mark.parametrize("cycle", [480, 720, 1440, 1680, 4800, 7 * BAR])
def test_cycles_of_any_length_stay_exact_over_512_bars(cycle):
    one = Pattern(480, (Hit("shaker", 0, 90),))
    part = Part(1, "Turning", {1: one}, turning=Turning(cycle_ticks=cycle, restarts=False))
    sections = tuple(Section(number, "Verse", 64, 2, cells={1: Cell(1)}) for number in range(1, 5))
    assert ticks(Arrangement(120.0, parts=(part,), sections=sections), 1) == list(range(0, 512 * BAR, cycle))


def test_shift_rotation_marks_and_order():
    song = small(sections=(Section(1, "Verse", 4, cells={1: Cell(ORDER)}),))
    assert ticks(turning(song, shift_ticks=480), 1, "kick")[:3] == [480, 2400, 2880]
    assert ticks(turning(song, rotation_ticks=480), 1, "kick")[:3] == [1440, 1920, 3360]
    assert ticks(turning(song, bars="0001"), 1, "kick") == [3 * BAR + at for at in (0, 1920, 2400)]
    ordered = turning(song, order=(10, 10, 11, 12))
    snare = flatten(ordered).line(1)
    by_bar = np.bincount(snare.tick // BAR, minlength=4).tolist()
    assert by_bar[:2] == [len(BEAT.hits)] * 2
    assert by_bar[2] == len(BUSY.hits)
    assert 3 * BAR + 480 in snare.tick.tolist()  # the fill, and then the order from the start


def test_a_cycle_longer_than_the_pattern_rests_and_a_shorter_one_cuts_it_off():
    song = small(sections=(Section(1, "Verse", 5, cells={1: Cell(10)}),))
    five_beats = ticks(turning(song, cycle_ticks=4800), 1, "kick")
    assert five_beats == [turn * 4800 + at for turn in range(4) for at in (0, 1920, 2400)]
    assert ticks(turning(song, cycle_ticks=2160), 1, "kick")[:4] == [0, 1920, 2160, 4080]


def test_changes_come_as_often_as_asked_and_are_the_same_for_a_seed():
    song = small(sections=(Section(1, "Verse", 64, cells={1: Cell(10)}),))
    plain = flatten(song).line(1)

    def changed_bars(percent, seed):
        line = flatten(turning(song, change_percent=percent, seed=seed)).line(1)
        bars = [
            (line.take(line.tick // BAR == bar).hits(), plain.take(plain.tick // BAR == bar).hits())
            for bar in range(64)
        ]
        return [bar for bar, (now, before) in enumerate(bars) if now != before]

    some = changed_bars(25, 3)
    assert 6 <= len(some) <= 28
    assert some == changed_bars(25, 3)
    assert some != changed_bars(25, 4)
    assert len(changed_bars(100, 3)) == 63  # all but the first


def test_odds_and_passes_are_decided_turn_by_turn():
    hits = (
        Hit("rim", 0, 80, articulation=Articulation(passes=2)),
        Hit("clap", 0, 80, articulation=Articulation(passes=1)),
        Hit("kick", 0, 80, articulation=Articulation(odds_percent=40)),
    )
    part = Part(1, "One", {1: Pattern(BAR, hits)})
    song = Arrangement(120.0, parts=(part,), sections=(Section(1, "Verse", 64, 2, cells={1: Cell(1)}),))
    line = flatten(song).line(1)
    bars = {voice: (line.take(line.of([voice])).tick // BAR).tolist() for voice in ("rim", "clap", "kick")}
    assert bars["rim"] == [turn * 64 + bar for turn in range(2) for bar in range(1, 64, 2)]
    assert bars["clap"] == [0, 64]
    assert 30 <= len(bars["kick"]) <= 72
    assert (line.articulation == -1).all()


def test_a_cell_mutes_voices_turns_down_and_begins_inside_its_pattern():
    song = small(
        sections=(Section(1, "Verse", 1, cells={1: Cell(10, 1920, frozenset({"snare"}), -6.0, Feel(push_ms=20.0))}),)
    )
    assert ticks(song, 1) == [0, 480, 1920]
    played = perform_song(song).part(1)
    assert played.played_ms[0] == pytest.approx(20.0)
    assert played.level_db.tolist() == [-6.0] * 3
    loud = part_columns(perform_song(small()).part(1), KITS["boathouse"]).gain.max()
    quiet = part_columns(played, KITS["boathouse"]).gain.max()
    assert quiet == pytest.approx(loud * 10 ** (-6 / 20), rel=0.02)


def test_a_fill_takes_the_place_of_its_part_and_ends_with_the_section():
    song = joined(Join("fill", 1, 12), repeats=2)
    line = flatten(song).line(1)
    for turn in (1, 2):
        last = turn * 4 * BAR
        inside = line.take((line.tick >= last - 960) & (line.tick < last))
        assert [(hit.voice, hit.tick - last + 960) for hit in inside.hits()] == [(h.voice, h.tick) for h in FILL.hits]
    assert ticks(joined(Join("fill", 1, 12, last_only=True), repeats=2), 1).count(4 * BAR - 480) == 0
    assert ticks(song, 2) == list(range(0, 8 * BAR, 240))  # the other part goes on


def test_a_drop_out_silences_all_but_what_is_kept():
    song = joined(Join("drop", beats=2, keep=frozenset({2})))
    assert max(tick for tick in ticks(song, 1) if tick < 4 * BAR) < 4 * BAR - 1920
    assert ticks(song, 2) == list(range(0, 4 * BAR, 240))


def test_a_crash_falls_on_the_next_section_and_a_pickup_lies_on_top():
    song = joined(Join("crash", 1, voice="crash", velocity=120), Join("pickup", 1, 12))
    assert ticks(song, 1, "crash") == [4 * BAR]
    assert {4 * BAR - 960, 4 * BAR - 240} <= set(ticks(song, 1, "snare"))
    assert 4 * BAR - BAR + 1920 in ticks(song, 1, "kick")


@pytest.mark.parametrize(("gap_ms", "fade_ms"), [(0.0, 0.0), (0.0, 30.0), (50.0, 0.0)])
@pytest.mark.parametrize("tempo_bpm", [97.3, 104.0, 163.7])
def test_a_reverse_swell_ends_at_the_boundary_to_the_sample(gap_ms, fade_ms, tempo_bpm):
    swell = Join("swell", 1, voice="crash", beats=3, gap_ms=gap_ms, fade_ms=fade_ms)
    song = replace(joined(swell), tempo_bpm=tempo_bpm)
    loose = with_part(song, feel=FeelScopes(Feel(swing_percent=66, push_ms=14, drift_ms=8, jitter_ms=5)))
    events = part_columns(perform_song(loose).part(1), KITS["boathouse"])
    (place,) = np.flatnonzero(events.back)
    boundary = round((song.spans[1].start_ms - gap_ms) * RATE_HZ / 1000)
    end = round(events.start_s[place] * RATE_HZ) + events.back[place]
    assert abs(end - boundary) <= (0 if gap_ms == 0 else ms_per_tick(tempo_bpm) * RATE_HZ / 2000 + 1)
    key = events.audio[events.sound[place]]
    assert key.endswith(f"-r{events.back[place]}" + (f"f{round(fade_ms * RATE_HZ / 1000)}" if fade_ms else ""))
    alone = replace(loose, sections=(replace(song.sections[0], cells={}), replace(song.sections[1], cells={})))
    columns = part_columns(perform_song(alone).part(1), KITS["boathouse"])
    length_s = alone.length_ms / 1000
    audio = mixdown(events_of(columns), KITS["boathouse"], length_s, loop=False).samples
    heard = np.flatnonzero(np.abs(audio).max(axis=1) > 0)
    assert heard[-1] < end
    assert fade_ms or heard[-1] >= end - 3


def test_muting_a_part_or_taking_it_away_changes_no_other_ones_looseness():
    loose = FeelScopes(Feel(drift_ms=6, jitter_ms=3, touch=10, runs_on=True))
    song = small()
    song = replace(song, parts=tuple(replace(part, feel=loose) for part in song.parts))
    whole = perform_song(song)
    muted = perform_song(replace(song, parts=(replace(song.parts[0], mute=True), song.parts[1])))
    alone = perform_song(replace(song, parts=(song.parts[1],)))
    for other in (muted, alone):
        np.testing.assert_array_equal(whole.part(2).played_ms, other.part(2).played_ms)
        np.testing.assert_array_equal(whole.part(2).velocity, other.part(2).velocity)
    assert len(song_columns(muted, KITS)) == 1
    one, two = (whole.part(key).played_ms - whole.part(key).straight_ms for key in (1, 2))
    assert not np.allclose(one[:20], two[:20])  # they are two players


@given(st.lists(st.integers(1, 64).map(lambda steps: steps * 60), min_size=1, max_size=6))
def test_together_is_the_least_time_after_which_all_cycles_begin_again(cycles):
    found = together_ticks(cycles)
    assert all(found % cycle == 0 for cycle in cycles)
    assert not any(all(at % cycle == 0 for cycle in cycles) for at in range(max(cycles), found, max(cycles)))


@given(
    st.lists(st.tuples(st.integers(0, 40), st.integers(1, 30)), min_size=1, max_size=4),
)
def test_meetings_are_where_all_begin_at_once(cycles):
    first = max(start for start, _ in cycles)
    wanted = [at for at in range(first, 2000) if all(at >= s and (at - s) % n == 0 for s, n in cycles)]
    assert meetings(cycles, 2000) == wanted


def test_together_in_words():
    assert describe_meeting([BAR, 1440], COMMON_TIME) == "together every 3 bars"
    assert describe_meeting([BAR, 4800, 2 * BAR], COMMON_TIME) == "together every 10 bars"
    assert describe_meeting([BAR], COMMON_TIME) == "together every bar"
    assert describe_meeting([480, 1440], Metre(4, 4)) == "together every 1.5 beats"
    assert together_ticks([BAR, 1440, 4800]) == math.lcm(BAR, 1440, 4800)


def two_kicks(choice=None):
    loud = Part(1, "Loud", {1: Pattern(BAR, (Hit("kick", 0, 100), Hit("kick", 960, 60)))}, "boathouse")
    soft = Part(
        2, "Soft", {2: Pattern(BAR, (Hit("kick", 0, 70), Hit("kick", 960, 90), Hit("kick", 1920, 80)))}, "boathouse"
    )
    section = Section(1, "Verse", 2, cells={1: Cell(1), 2: Cell(2)})
    chosen = {(1, 2, "kick"): choice} if choice else {}
    return Arrangement(120.0, parts=(loud, soft), sections=(section,), collision_choices=chosen)


def test_hits_two_parts_strike_at_once_are_found_and_settled():
    song = two_kicks()
    (found,) = find_collisions(song, before_collisions(song))
    assert (found.parts, found.voice, found.count, found.choice) == ((1, 2), "kick", 4, "keep")
    assert found.first[1] == 0
    dropped = two_kicks("drop")
    assert ticks(dropped, 1) == [0, BAR]
    assert ticks(dropped, 2) == [960, 1920, BAR + 960, BAR + 1920]
    apart = flatten(two_kicks("offset")).line(2)
    assert apart.offset_ms.tolist() == [APART_MS, APART_MS, 0.0] * 2
    assert (
        find_collisions(dropped, before_collisions(dropped))[0].choice == "drop"
    )  # still listed, so that it can be chosen anew
    other_kit = replace(song, parts=(song.parts[0], replace(song.parts[1], kit="net_loft")))
    assert find_collisions(other_kit, before_collisions(other_kit)) == []
    muted = replace(dropped, parts=(replace(dropped.parts[0], mute=True), dropped.parts[1]))
    assert len(ticks(muted, 2)) == 6  # what is not heard strikes nothing twice


def test_energy_rises_with_what_is_played_and_a_chorus_that_is_no_more_than_its_verse_is_pointed_at():
    song = small()
    flat = flatten(song)
    energy = energy_of(flat)
    assert energy.density.shape == (12,)
    assert energy.density[0] == pytest.approx((len(BEAT.hits) + 16) / 4)
    assert energy.density[8] == pytest.approx(len(BUSY.hits) / 4)
    assert energy.brightness[0] > energy.brightness[8] == 0
    thin = replace(song, sections=(song.sections[0], replace(song.sections[1], cells={1: Cell(10, level_db=-12)})))
    (promise,) = broken_promises(flatten(thin), energy_of(flatten(thin)))
    assert promise.section == 101
    assert "Chorus has" in promise.words
    assert energy_of(flatten(thin)).energy[9] < energy.energy[9]
    full = replace(song, sections=(replace(song.sections[0], cells={1: Cell(10)}), song.sections[1]))
    assert broken_promises(flatten(full), energy_of(flatten(full))) == []


def test_a_song_that_is_too_long_is_refused_in_words():
    with pytest.raises(BadValueError, match="1000 bars"):
        Arrangement(120.0, sections=(Section(1, "Verse", 500, 2),))


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(arrangements())
def test_flat_equals_sectioned_event_for_event(song):
    flat = flatten(song)
    patterns = flat_patterns(song, flat)
    written = along(song, {part.key: 900 + part.key for part in song.parts}, patterns)
    again = flatten(written)
    for part in song.parts:
        assert flat.line(part.key).hits() == again.line(part.key).hits()
    one, other = perform_song(song, flat), perform_song(written, again)
    for part in song.parts:
        here, there = (together([part_columns(played.part(part.key), KITS[part.kit])]) for played in (one, other))
        assert here.audio == there.audio
        for name in ("voice", "sound", "start_s", "gain", "pan", "cut_s", "rate", "back"):
            np.testing.assert_array_equal(getattr(here, name), getattr(there, name))


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(arrangements())
def test_lines_stay_inside_their_spans_in_order_and_one_hit_a_place(song):
    for span, lines in flatten(song).spans:
        for line in lines.values():
            assert (line.tick >= 0).all()
            assert (line.tick < span.ticks).all()
            places = list(zip(line.tick.tolist(), [line.voices[v] for v in line.voice.tolist()], strict=True))
            assert places == sorted(set(places))


def test_a_free_shaker_in_a_song_of_two_tempi_keeps_its_written_places():
    song = small()
    verse, chorus = song.sections
    slow = replace(
        song, sections=(replace(verse, tempo_bpm=60.0), replace(chorus, cells={**chorus.cells, 2: Cell(20)}))
    )
    played = perform_song(slow).part(2)
    np.testing.assert_allclose(played.straight_ms[:4], [0, 250, 500, 750])
    later = played.straight_ms[played.span == 2]
    np.testing.assert_allclose(later[:3] - slow.spans[2].start_ms, [0, 125, 250])
    assert slow.spans[2].start_ms == pytest.approx(8 * 4 * 1000)
    assert len(SHAKER.hits) == 3
