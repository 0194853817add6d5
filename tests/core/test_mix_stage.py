"""The mix on a Stage: what goes where, what adds up, what a loop is, and what is refused."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.curves import BeatMap
from easy_pocket.core.stage.limiter import true_peak_db
from easy_pocket.core.stage.mix_stage import mix_stage
from easy_pocket.core.stage.presets import PRESETS
from easy_pocket.core.stage.section_settings import SectionSettings
from easy_pocket.core.stage.stage import Group, Place, Stage, Unit, stage_doc, stage_from_doc
from easy_pocket.core.stage.stage_mix import Sound
from easy_pocket.core.stage.unit_fields import MOST_UNITS, UNITS
from easy_pocket.core.stage.units import Music, Strikes

KICK, SNARE, HAT = "part:1:kick", "part:1:snare", "part:2:hat_closed"


class Clicks(Sound):
    """A decaying tone of each place: kick on 0, snare on a half, hat on a quarter of the second."""

    def __init__(self, frames: int = RATE_HZ, gain: float = 0.2) -> None:
        self.places, self.frames, self.gain = (KICK, SNARE, HAT), frames, gain

    def add(self, where: str, line: np.ndarray) -> None:
        start = {KICK: 0, SNARE: self.frames // 2, HAT: self.frames // 4}[where]
        time = np.arange(6000)
        hit = self.gain * np.exp(-time / 900) * np.sin(time * {KICK: 0.01, SNARE: 0.08, HAT: 0.9}[where])
        line[:, start : start + 6000] += hit * np.array([[1.0], [0.7]])


STRIKES = Strikes((KICK, SNARE, HAT), np.arange(3), np.array([0.0, 0.5, 0.25]), np.full(3, 127.0))
MUSIC = Music(BeatMap.steady(0.5, 1.0), STRIKES)
EVERY_UNIT = tuple(Unit(kind) for kind in UNITS)


def random_stage(data: st.DataObject) -> Stage:
    """Any Stage of these three voices."""

    def units() -> tuple[Unit, ...]:
        made = []
        for kind in data.draw(st.lists(st.sampled_from(list(UNITS)), max_size=3)):
            settings = {
                name: data.draw(st.floats(field.low, field.high))
                for name, field in UNITS[kind].fields.items()
                if not isinstance(field.default, str) and data.draw(st.booleans())
            }
            made.append(Unit(kind, data.draw(st.booleans()), settings))
        return tuple(made)

    def place() -> Place:
        return Place(
            units(),
            {name: data.draw(st.floats(0, 100)) for name in data.draw(st.sets(st.sampled_from(["short", "echo"])))},
        )

    groups = (Group("g1", "both", (KICK, HAT)),) if data.draw(st.booleans()) else ()
    places = {where: place() for where in (KICK, SNARE, "part:1", *(["group:g1"] if groups else []))}
    return Stage({**places, "whole": Place(units())}, groups)


@given(st.data())
def test_a_stage_comes_back_as_it_was_written(data: st.DataObject) -> None:
    stage = random_stage(data)
    assert stage_from_doc(stage_doc(stage)) == stage


@given(st.data())
def test_stems_add_up_to_the_mix_before_the_whole_and_nothing_is_over_the_ceiling(data: st.DataObject) -> None:
    stage = random_stage(data)
    mix = mix_stage(Clicks(), stage, MUSIC)
    assert np.abs(sum(mix.stems.values()) - mix.before).max() < 1e-9
    assert np.isfinite(mix.audio).all()
    assert true_peak_db(mix.audio) < stage.ceiling_db + 0.1
    assert mix.audio.shape == (2, RATE_HZ)


def test_a_plain_stage_is_the_sum_of_the_sounds() -> None:
    clicks = Clicks()
    mix = mix_stage(clicks, Stage(), MUSIC)
    assert mix.audio == pytest.approx(sum(clicks.line(where) for where in clicks.places))
    assert set(mix.stems) == {"part:1", "part:2"}


def test_off_is_plain_and_a_unit_that_is_off_does_nothing() -> None:
    loud = Place((Unit("drive", True, {"amount_percent": 80.0}),), {"long": 50.0})
    plain = mix_stage(Clicks(), Stage(), MUSIC).audio
    assert mix_stage(Clicks(), Stage({KICK: loud}, on=False), MUSIC).audio == pytest.approx(plain)
    off = Place(tuple(Unit(unit.kind, False) for unit in loud.chain))
    assert mix_stage(Clicks(), Stage({KICK: off}), MUSIC).audio == pytest.approx(plain)


def test_a_voice_in_a_group_goes_through_its_chain_and_not_through_that_of_its_part() -> None:
    half = Place((Unit("compressor", True, {"threshold_db": -60.0, "ratio": 20.0, "attack_ms": 0.1}),))
    stage = Stage({"part:1": half, "group:g1": Place()}, (Group("g1", "kick alone", (KICK,)),))
    mix = mix_stage(Clicks(), stage, MUSIC)
    assert mix.stems["group:g1"] == pytest.approx(Clicks().line(KICK))
    assert np.abs(mix.stems["part:1"]).max() < 0.5 * np.abs(Clicks().line(SNARE)).max()


def test_a_duck_by_the_kick_reaches_the_tail_of_a_room() -> None:
    sends = {SNARE: Place((), {"long": 80.0})}
    duck = Place(
        (Unit("duck", True, {"by": KICK, "depth_db": -48.0, "hold_ms": 200.0, "attack_ms": 0.5, "ahead_ms": 0.0}),)
    )
    open_room = mix_stage(Clicks(), Stage(sends), MUSIC).stems["long"]
    ducked = mix_stage(Clicks(), Stage({**sends, "long": duck}), MUSIC).stems["long"]
    after_kick = slice(int(0.01 * RATE_HZ), int(0.15 * RATE_HZ))
    assert np.abs(ducked[:, after_kick]).max() < 0.01 * np.abs(open_room[:, after_kick]).max()


def test_a_compressor_is_fed_by_another_voice() -> None:
    settings = {"threshold_db": -60.0, "ratio": 20.0, "attack_ms": 0.1, "side": KICK}
    mix = mix_stage(Clicks(), Stage({HAT: Place((Unit("compressor", True, settings),))}), MUSIC)
    assert mix.stems["part:2"] == pytest.approx(Clicks().line(HAT), abs=0.2)
    assert np.abs(mix.stems["part:2"]).max() < 0.9 * np.abs(Clicks().line(HAT)).max()


def test_a_loop_is_as_it_is_in_the_middle_of_the_music() -> None:
    stage = Stage({SNARE: Place((Unit("echo"),), {"long": 60.0}), "whole": Place((Unit("compressor"),))})
    once = mix_stage(Clicks(), stage, MUSIC).audio

    class Thrice(Sound):
        places, frames = Clicks().places, 4 * RATE_HZ

        def add(self, where: str, line: np.ndarray) -> None:
            line += np.tile(Clicks().line(where), 4)

    four = Music(BeatMap.steady(0.5, 4.0), STRIKES, loops=False)
    through = mix_stage(Thrice(), stage, four).audio[:, 3 * RATE_HZ :]
    assert np.abs(once - through)[:, :-200].max() < 2e-3
    assert np.abs(once[:, 0] - once[:, -1]).max() < 0.05  # the seam


@pytest.mark.parametrize(
    ("doc", "words"),
    [
        ({"places": {"whole": {"chain": [{"kind": "drive"}] * (MOST_UNITS + 1)}}}, "holds 8 units"),
        ({"places": {"somewhere": {}}}, "no place"),
        ({"places": {KICK: {"sends": {"short": 101}}}}, "between 0 and 100"),
        ({"places": {KICK: {"sends": {"moon": 1}}}}, "sent to short, long, echo"),
        ({"places": {KICK: {"chain": [{"kind": "blur"}]}}}, "no unit"),
        ({"places": {KICK: {"chain": [{"kind": "echo", "settings": {"feedback_percent": 101}}]}}}, "between 0 and 95"),
        ({"places": {KICK: {"chain": [{"kind": "echo", "settings": {"beats": float("nan")}}]}}}, "nan"),
        ({"places": {KICK: {"chain": [{"kind": "gate", "settings": {"steps": "12"}}]}}}, "1 .open. and 0"),
        ({"places": {KICK: {"chain": [{"kind": "tone", "settings": {"low_cut_slope": "13"}}]}}}, "none of them"),
        ({"rooms": {"long": {"length_s": 60}}}, "between 0.1 and 6"),
        ({"ceiling_db": 3}, "ceiling"),
        ({"groups": [{"key": "g1", "name": "empty", "members": []}]}, "holds nothing"),
        ({"groups": [{"key": "g1", "name": "x", "members": ["group:g2"]}]}, "in no group"),
        ({"groups": [{"key": k, "name": k, "members": [KICK]} for k in "ab"]}, "one group or none"),
        ({"places": []}, "names and values"),
    ],
)
def test_what_cannot_be_is_refused_in_words(doc: dict, words: str) -> None:
    with pytest.raises((BadValueError, EditRefusedError), match=words):
        stage_from_doc(doc)


def test_every_unit_together_stays_within_bounds() -> None:
    mix = mix_stage(
        Clicks(gain=0.9), Stage({KICK: Place(EVERY_UNIT, {"short": 100.0}), "whole": Place(EVERY_UNIT)}), MUSIC
    )
    assert np.isfinite(mix.audio).all()
    assert true_peak_db(mix.audio) < -0.9


def test_what_a_compressor_takes_is_told_over_the_music() -> None:
    chain = (Unit("tone"), Unit("compressor", settings={"threshold_db": -40.0, "ratio": 8.0}))
    mix = mix_stage(Clicks(), Stage({KICK: Place(chain)}), MUSIC)
    ((at, taken_db),) = mix.taken_db.items()
    assert at == (KICK, 1)
    assert len(taken_db) == -(-RATE_HZ // 512)
    assert 3 < taken_db.max() < 40
    assert np.argmax(taken_db) < 20  # where the kick is


@pytest.mark.parametrize("name", PRESETS)
def test_presets_do_something_and_stay_in_bounds(name: str) -> None:
    plain = mix_stage(Clicks(), Stage(), MUSIC).before
    after = mix_stage(Clicks(), Stage(dict.fromkeys((KICK, SNARE, HAT), Place(PRESETS[name]))), MUSIC).before
    assert np.isfinite(after).all()
    assert np.abs(after - plain).max() > 1e-3
    assert np.abs(after).max() < 4 * np.abs(plain).max()


def test_a_chain_of_a_kit_comes_before_the_voices_own() -> None:
    tone, drive = Unit("tone", settings={"low_cut_hz": 300.0}), Unit("drive", settings={"amount_percent": 60.0})
    both = mix_stage(Clicks(), Stage({KICK: Place((tone, drive))}), MUSIC).before
    of_kit = mix_stage(Clicks(), Stage({KICK: Place((drive,))}, kit_chains={KICK: (tone,)}), MUSIC).before
    np.testing.assert_allclose(of_kit, both, atol=1e-12)


def test_sections_go_over_from_one_to_the_other_without_a_step() -> None:
    other = SectionSettings(sends={SNARE: {"short": 80.0}}, switches={HAT: {"tone": False}})
    tone = Unit("tone", settings={"low_cut_hz": 2_000.0})
    stage = Stage({HAT: Place((tone,))}, sections={2: other})
    song = Music(BeatMap.steady(0.5, 1.0), STRIKES, loops=False, sections=((0.0, 1), (0.4, 2)))
    mix = mix_stage(Clicks(), stage, song)
    first, second = (mix_stage(Clicks(), stage.in_section(key), replace(song, sections=())) for key in (1, 2))
    at = round(0.4 * RATE_HZ)
    np.testing.assert_allclose(
        mix.before[:, :at], first.before[:, :at], atol=1e-7
    )  # rooms are computed in single floats
    after = at + round(0.012 * RATE_HZ)
    np.testing.assert_allclose(mix.before[:, after:], second.before[:, after:], atol=1e-7)
