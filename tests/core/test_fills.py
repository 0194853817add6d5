"""Fills: what one asks for is what one gets, and nothing else is touched."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import spearmanr

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.ideas.change import Idea
from easy_pocket.core.ideas.distance import density, distances, within
from easy_pocket.core.ideas.fill_draft import CRASHES
from easy_pocket.core.ideas.fill_endings import ENDINGS
from easy_pocket.core.ideas.fill_roles import ROLES, answering, doubled_share
from easy_pocket.core.ideas.fill_settings import SUBDIVISIONS, FillSettings, on_subdivision
from easy_pocket.core.ideas.fill_voices import WAYS
from easy_pocket.core.ideas.fills import fills
from easy_pocket.core.ideas.idea_context import IdeaContext, window
from easy_pocket.core.pattern.metrical import syncopation
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre, place_name
from tests.core.idea_scenes import BEATS, KIT, beat, limbs_can, scene, with_lock

SCENES = (("straight", 50.0, 16), ("straight", 60.0, 16), ("waltz", 50.0, 16), ("waltz", 58.0, 16), ("six", 50.0, 16),
          ("triplet", 50.0, 16), ("straight", 62.0, 8), ("seven", 50.0, 16))  # fmt: skip

asked = st.builds(
    FillSettings,
    density=st.none() | st.tuples(st.floats(1, 6), st.floats(1, 6)),
    loudness=st.none() | st.tuples(st.integers(20, 127), st.integers(20, 127)),
    offbeat=st.none() | st.floats(0, 1),
    subdivision=st.none() | st.sampled_from(tuple(SUBDIVISIONS)),
    path=st.none() | st.sampled_from(tuple(WAYS)),
    keep=st.none() | st.sampled_from(((), ("hat_closed",), ("kick",))),
    ending=st.none() | st.sampled_from(tuple(ENDINGS)),
)


def drawn(
    here: IdeaContext, wanted: FillSettings, seed: int, beats: float | None = None, **more: object
) -> tuple[Idea, ...]:
    """The ideas, none when what is asked for cannot be."""
    begin, end = window(here, beats)
    try:
        return fills(here, wanted, seed, begin, end, **more).ideas  # type: ignore[arg-type]
    except EditRefusedError:
        return ()


@given(asked, st.integers(0, 10_000), st.sampled_from(SCENES), st.sampled_from((1, 2, 3)), st.floats(60, 180))
@settings(max_examples=250, deadline=None)
def test_a_fill_is_as_asked_and_touches_nothing_else(
    wanted: FillSettings, seed: int, which: tuple[str, float, int], beats: int, tempo_bpm: float
) -> None:
    name, swing, unit = which
    here = IdeaContext(with_lock(beat(name), "kick", 0), KIT, tempo_bpm, swing, unit)
    if beats * here.metre.pulse_ticks > 2 * here.metre.bar_ticks:
        return
    begin, end = window(here, beats)
    for idea in drawn(here, wanted, seed, beats, count=2):
        after = idea.pattern()
        outside = [hit for hit in after.hits if not begin <= hit.tick < end]
        was = [hit for hit in here.pattern.hits if not begin <= hit.tick < end]
        strange = set(outside) ^ set(was)
        assert all(hit.tick == 0 and hit.voice in CRASHES for hit in strange)
        assert wanted.ending == "crash" or idea.words.endswith("on the next one") or not strange
        inside = within(after, begin, end)
        new = [hit for hit in inside if hit not in here.pattern.hits]
        if wanted.subdivision:
            assert on_subdivision([hit.tick for hit in new], wanted.subdivision, here.metre)
        for voice in wanted.keep or ():
            assert [h for h in inside if h.voice == voice] == [
                h for h in within(here.pattern, begin, end) if h.voice == voice
            ]
        if wanted.density:
            exact = sum(wanted.density) / 2 * beats
            assert abs(len(inside) - exact) <= max(0.1 * exact, 0.5)
        elif wanted == FillSettings():
            assert density(after, begin, end) <= 6.5
        _ends_as_asked(wanted, idea, here, begin, end)
        assert limbs_can(list(after.hits), tempo_bpm, begin, end)


def _ends_as_asked(wanted: FillSettings, idea: Idea, here: IdeaContext, begin: int, end: int) -> None:
    after = idea.pattern()
    going_on = set(within(here.pattern, begin, end))
    new = sorted((hit for hit in within(after, begin, end) if hit not in going_on), key=lambda hit: hit.tick)
    if wanted.loudness and len(new) > 1:
        rising = np.array([hit.velocity for hit in new]) * (1 if wanted.loudness[1] >= wanted.loudness[0] else -1)
        assert np.all(rising >= np.maximum.accumulate(rising) - 6)
    metre = here.metre
    if wanted.ending == "hit4" and end - begin > metre.pulse_ticks and new and wanted.subdivision != "8":
        assert new[-1].tick <= end - metre.pulse_ticks  # its hit may be as the beat's own was
        assert any(hit.tick == end - metre.pulse_ticks for hit in within(after, begin, end))
        assert wanted.keep or within(after, begin, end)[-1].tick == end - metre.pulse_ticks
    if wanted.ending == "silence":
        rest = (
            metre.pulse_ticks if end - begin > metre.pulse_ticks else metre.pulse_ticks // (3 if metre.compound else 2)
        )
        assert not within(after, end - rest, end)
    if wanted.ending == "pickup" and new:
        assert new[-1].tick >= end - 480
    if wanted.ending == "crash":
        assert any(hit.voice in CRASHES for hit in within(after, 0, 1))
    if not wanted.loudness and new:
        ending = [h.velocity for h in after.hits if h.tick == 0 and h.voice in CRASHES and h not in here.pattern.hits]
        last = max(hit.tick for hit in new)
        final = max([*ending, *(hit.velocity for hit in within(after, last, end))])
        assert final == max([*ending, *(hit.velocity for hit in within(after, begin, end))])


@pytest.mark.parametrize(("name", "swing", "unit"), SCENES)
def test_with_no_setting_touched_two_batches_of_six_are_far_apart(name: str, swing: float, unit: int) -> None:
    here = scene(name, swing=swing, unit=unit)
    begin, end = window(here)
    for seed in range(1, 9):
        first = fills(here, FillSettings(), seed, begin, end)
        keys = {idea.key for idea in first.ideas}
        second = fills(here, FillSettings(), seed, begin, end, batch=1, seen=keys)
        assert len(first.ideas) == len(second.ideas) == 6
        assert not keys & {idea.key for idea in second.ideas}
        for batch in (first, second):
            patterns = [idea.pattern() for idea in batch.ideas]
            table = distances([[*within(p, begin, end), *within(p, 0, 1)] for p in patterns])
            apart = table[np.triu_indices(6, 1)]
            assert apart.mean() >= 0.35
            assert apart.min() >= 0.15


ROLE_TAGS = {role.tag for role in ROLES.values()}


@pytest.mark.parametrize("beats", [1, 2, 4])
def test_with_no_setting_touched_fills_are_as_players_play_them(beats: int) -> None:
    """3 to 5 strokes a beat, few of them doubled, at most one of six very dense; each of the six is for something."""
    dense: list[float] = []
    struck = doubled = 0
    for name, swing, unit in SCENES[:5]:
        here = scene(name, swing=swing, unit=unit)
        begin, end = window(here, beats)
        for seed in range(3):
            ideas = drawn(here, FillSettings(), seed, beats)
            inside = [within(idea.pattern(), begin, end) for idea in ideas]
            each = [idea.facts["density"] for idea in ideas]
            assert sum(one > 6 for one in each) <= 1
            tags = [idea.tags[0] for idea in ideas]
            assert set(tags) <= ROLE_TAGS
            assert len(set(tags)) >= (6 if beats > 1 else 4)
            for hits, idea in zip(inside, ideas, strict=True):
                assert ("then silence" in idea.words) or idea.tags[0] != "with silence"
                _, counts = np.unique([hit.tick for hit in hits], return_counts=True)
                struck, doubled = struck + len(counts), doubled + int((counts > 1).sum())
            dense += each
    assert 3 <= np.median(dense) <= 5
    assert doubled <= 0.3 * struck
    assert doubled_share([0, 0, 0, 480]) == 0.5


def _a_run_of_three(new: list[int], kicks: list[int]) -> bool:
    """Whether a kick that is new stands in a row of three in 16ths, those of the groove counted."""
    ordered = sorted(set(kicks))
    rows = zip(ordered, ordered[1:], ordered[2:], strict=False)
    return any(b - a <= 240 and c - b <= 240 and {a, b, c} & set(new) for a, b, c in rows)


def test_hands_play_the_line_and_no_foot_runs_in_16ths() -> None:
    later = 0
    for name, swing, unit in SCENES[:5]:
        here = scene(name, swing=swing, unit=unit)
        begin, end = window(here, 4)
        for seed in range(3):
            for idea in drawn(here, FillSettings(), seed, 4):
                new = [hit for change in idea.changes for hit in change.come if begin <= hit.tick < end]
                kicks = [hit.tick for hit in new if hit.voice == "kick"]
                assert len(kicks) <= max(0.5 * len(new), 1)  # of those that were not there before
                assert not _a_run_of_three(kicks, [hit.tick for hit in idea.pattern().hits if hit.voice == "kick"])
                assert all(hit.voice != "hat_pedal" for hit in new)
                if idea.words.startswith("begins on 2"):  # the groove goes on for a beat
                    later += 1
                    start = begin + here.metre.pulse_ticks
                    assert set(within(here.pattern, begin, start)) <= set(idea.pattern().hits)
                    assert all(hit.tick >= start or hit.voice == "crash" for hit in new)  # that goes round to the one
    assert later >= 15


def test_a_fill_that_answers_takes_up_the_rhythm_of_the_beat() -> None:
    metre = Metre(4, 4)
    slots = np.arange(3840, 7680, 240)
    beat_ticks = [0, 720, 960, 1680, 2880]
    expected = {
        "the beat's own rhythm": [0, 720, 960, 1680, 2880],
        "the beat's own rhythm, moved on": [480, 1200, 1440, 2160, 3360],
        "the beat's own rhythm, a step before": [480, 720, 1440, 2640, 3600],
        "the beat's own rhythm, turned round": [720, 1920, 2640, 2880, 3600],
    }
    found = {}
    for seed in range(40):
        line, words = answering(beat_ticks, 3840, 7680, slots, metre, np.random.default_rng(seed)) or ([], "")
        found[words] = [tick - 3840 for tick in line]
    assert found == expected
    full = answering(range(0, 3840, 120), 3840, 7680, np.arange(3840, 7680, 120), metre, np.random.default_rng(1))
    assert full is not None
    assert len(full[0]) == 16  # thinned
    assert answering([], 3840, 7680, slots, metre, np.random.default_rng(1)) is None


def test_the_same_seed_gives_the_same_fills() -> None:
    one, other = (drawn(scene(), FillSettings(), 7) for _ in range(2))
    assert [idea.key for idea in one] == [idea.key for idea in other]
    assert [idea.key for idea in one] != [idea.key for idea in drawn(scene(), FillSettings(), 8)]


def test_a_beat_in_triplets_gets_fills_in_triplets() -> None:
    here = scene("triplet")
    begin, end = window(here)
    for idea in drawn(here, FillSettings(), 3):
        new = [hit.tick for hit in within(idea.pattern(), begin, end)]
        assert on_subdivision(new, "triplet", here.metre)


@pytest.mark.parametrize("name", ["straight", "waltz", "six"])
def test_syncopation_rises_with_the_off_beat_share(name: str) -> None:
    here = scene(name)
    begin, end = window(here, 2)
    shares = np.linspace(0, 1, 9)
    found = []
    for share in shares:
        ideas = [idea for seed in range(4) for idea in drawn(here, FillSettings(offbeat=float(share)), seed, 2)]
        found.append(np.mean([syncopation(idea.pattern(), begin, end) for idea in ideas]))
    assert spearmanr(shares, found).statistic >= 0.9


def test_density_that_cannot_be_played_says_what_can() -> None:
    here = scene(tempo_bpm=160)
    begin, end = window(here)
    with pytest.raises(
        EditRefusedError, match=r"20 hits a beat are 40 from 2\.3 on; two hands and two feet can play \d+"
    ):
        fills(here, FillSettings(density=(20, 20), subdivision="8"), 1, begin, end)


def test_everything_locked_says_so() -> None:
    pattern = replace(beat("straight"), locked_voices=frozenset(KIT))
    with pytest.raises(EditRefusedError, match="Everything in this window is locked"):
        fills(IdeaContext(pattern, KIT, 104.0), FillSettings(), 1, 5760, 7680)


def test_locked_hits_and_places_stay_as_they_are() -> None:
    pattern = replace(with_lock(beat("straight"), "snare", 6720), locked_places=frozenset({2880}))
    here = IdeaContext(pattern, KIT, 104.0)
    for idea in drawn(here, FillSettings(), 5):
        after = idea.pattern()
        assert after.at("snare", 6720) == pattern.at("snare", 6720)
        assert [h for h in after.hits if h.tick == 6720] == [h for h in pattern.hits if h.tick == 6720]


@pytest.mark.parametrize(
    "voices", [("kick",), ("kick", "snare"), ("shaker", "tambourine"), ("hat_closed", "crash", "kick")]
)
def test_a_kit_with_few_voices_gets_what_fits_it(voices: tuple[str, ...]) -> None:
    here = IdeaContext(Pattern(7680, tuple(Hit(voices[0], tick, 96) for tick in range(0, 7680, 960))), voices, 100.0)
    ideas = drawn(here, FillSettings(), 2)
    assert ideas
    assert {hit.voice for idea in ideas for hit in idea.pattern().hits} <= set(voices)


def test_an_empty_pattern_gets_a_fill() -> None:
    assert len(drawn(IdeaContext(Pattern(7680), KIT, 100.0), FillSettings(), 1)) == 6


def test_a_window_longer_than_the_pattern_is_refused_with_a_way_out() -> None:
    with pytest.raises(EditRefusedError, match="make the pattern longer"):
        window(IdeaContext(Pattern(960, (), Metre(4, 4)), KIT, 100.0), 2)


def test_a_single_change_can_be_dropped_and_the_rest_kept() -> None:
    idea = drawn(scene(), FillSettings(), 4)[0]
    kept = [number for number in range(len(idea.changes)) if number != 0]
    change = idea.changes[0]
    after = idea.pattern(kept)
    for hit in change.gone:
        assert after.at(hit.voice, hit.tick) is not None
    for hit in change.come:
        assert after.at(hit.voice, hit.tick) != hit
    assert idea.pattern([]).hits == idea.before.hits


def test_settings_out_of_range_are_refused() -> None:
    with pytest.raises(BadValueError, match="The loudness is 200"):
        FillSettings(loudness=(1, 200))
    with pytest.raises(BadValueError, match="There is no ending 'bang'; there are hit4"):
        FillSettings(ending="bang")


def test_all_scenes_are_there() -> None:
    assert {name for name, _, _ in SCENES} == set(BEATS)


@given(
    st.integers(0, 1_000_000), st.sampled_from(SCENES), st.sampled_from((None, "hit4", "pickup")), st.floats(60, 200)
)
@settings(max_examples=120, deadline=None)
def test_a_fill_that_says_where_it_lands_lands_there(
    seed: int, which: tuple[str, float, int], ending: str | None, tempo_bpm: float
) -> None:
    name, swing, unit = which
    here = IdeaContext(with_lock(beat(name), "kick", 0), KIT, tempo_bpm, swing, unit)
    begin, end = window(here, 1)
    for idea in drawn(here, FillSettings(ending=ending), seed, 1):
        said = re.search(r"lands on (.+)$", idea.words)
        if not said:
            continue
        after = idea.pattern()
        there = {hit.tick for hit in within(after, begin, end) if spoken(hit.tick, here.metre) == said.group(1)}
        assert len(there) == 1
        new = [hit.tick for hit in within(after, begin, end) if hit not in here.pattern.hits]
        assert max(new, default=begin) <= max(there)


def spoken(tick: int, metre: Metre) -> str:
    """A place as fills say it."""
    return place_name(tick % metre.bar_ticks, metre).removeprefix("1.").replace(" &", " and a half")
