"""What is printed of a Stage, and what of it holds in which section of a song."""

import numpy as np
import pytest

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.stage.curves import BeatMap, Curve
from easy_pocket.core.stage.over_sections import SWITCH_S, sends_over, units_over
from easy_pocket.core.stage.printing import places_under, stage_to_print
from easy_pocket.core.stage.section_settings import SectionSettings
from easy_pocket.core.stage.stage import Group, Place, Stage, Unit
from easy_pocket.core.stage.units import Music

KICK, SNARE, HAT, LOOP = "part:1:kick", "part:1:snare", "part:2:hat_closed", "loop:7"
SOUNDS = (KICK, SNARE, HAT, LOOP)
STAGE = Stage(
    places={
        KICK: Place((Unit("tone"), Unit("drive")), {"short": 20.0}),
        "part:1": Place((Unit("compressor"),)),
        "group:tops": Place((Unit("duck"),), {"long": 10.0}),
        "whole": Place((Unit("compressor"),)),
        "long": Place((Unit("tone"),)),
    },
    groups=(Group("tops", "tops", (HAT, LOOP)),),
    kit_chains={SNARE: (Unit("tone"),)},
)
SONG = Music(BeatMap(np.array([0.0, 8.0]), np.array([0.0, 16.0])), loops=False, sections=((0.0, 1), (4.0, 2)))


@pytest.mark.parametrize(
    ("where", "under"),
    [
        (KICK, (KICK,)),
        ("part:1", (KICK, SNARE)),
        ("part:2", (HAT,)),
        ("group:tops", (HAT, LOOP)),
        (LOOP, (LOOP,)),
        ("whole", SOUNDS),
        ("part:9", ()),
    ],
)
def test_what_goes_through_a_place_is_printed_with_it(where, under):
    assert places_under(where, STAGE, SOUNDS) == under


@pytest.mark.parametrize("room", ["short", "long", "echo"])
def test_a_room_alone_is_not_printed(room):
    with pytest.raises(EditRefusedError, match="what sounds in it"):
        places_under(room, STAGE, SOUNDS)


def test_with_chains_and_rooms_it_is_the_stage():
    assert stage_to_print(STAGE, chains=True, rooms=True) == STAGE


def test_without_chains_the_rooms_keep_theirs():
    printed = stage_to_print(STAGE, chains=False, rooms=True)
    assert printed.place(KICK) == Place((), {"short": 20.0})
    assert printed.place("part:1").chain == ()
    assert printed.place("long").chain == STAGE.place("long").chain
    assert printed.kit_chains == {}


def test_without_rooms_nothing_goes_there():
    printed = stage_to_print(STAGE, chains=True, rooms=False)
    assert printed.place(KICK) == Place(STAGE.place(KICK).chain, {})
    assert printed.place("group:tops").sends == {}
    assert printed.kit_chains == STAGE.kit_chains


def test_without_both_the_stage_is_off_and_its_ceiling_stays():
    printed = stage_to_print(STAGE, chains=False, rooms=False)
    assert not printed.on
    assert printed.ceiling_db == STAGE.ceiling_db


def test_a_place_that_no_section_changes_is_constant():
    assert units_over(STAGE, KICK, SONG) == [(unit, None) for unit in STAGE.place(KICK).chain]
    assert sends_over(STAGE, KICK, SONG) == {"short": 0.2}


def test_units_of_the_kit_come_first():
    assert [unit.kind for unit, _ in units_over(STAGE, SNARE, SONG)] == ["tone"]


def with_sections(**sections):
    return Stage(places=STAGE.places, sections={int(key[1:]): one for key, one in sections.items()})


def test_a_send_that_a_section_changes_goes_over_within_a_switch():
    stage = with_sections(s2=SectionSettings(sends={KICK: {"short": 80.0}}))
    curve = sends_over(stage, KICK, SONG)["short"]
    assert isinstance(curve, Curve)
    assert np.interp([0.0, 3.999, 4.0 + SWITCH_S, 7.9], curve.times_s, curve.values) == pytest.approx(
        [0.2, 0.2, 0.8, 0.8]
    )


def test_a_send_of_one_section_only_is_silent_in_the_others():
    stage = with_sections(s1=SectionSettings(sends={KICK: {"long": 40.0}}))
    curve = sends_over(stage, KICK, SONG)["long"]
    assert isinstance(curve, Curve)
    assert (curve.values[0], curve.values[-1]) == (0.4, 0.0)


def test_a_unit_that_a_section_switches_off_is_heard_in_the_others():
    stage = with_sections(s2=SectionSettings(switches={KICK: {"drive": False}}))
    units = units_over(stage, KICK, SONG)
    assert [unit.kind for unit, _ in units] == ["tone", "drive"]
    assert units[0][1] is None
    curve = units[1][1]
    assert curve is not None
    assert np.interp([1.0, 7.0], curve.times_s, curve.values).tolist() == [1.0, 0.0]


def test_a_unit_that_is_off_everywhere_is_not_there():
    off = Stage(
        places={KICK: Place((Unit("tone", on=False), Unit("drive")))},
        sections={2: SectionSettings(sends={KICK: {"echo": 5.0}})},
    )
    assert [unit.kind for unit, _ in units_over(off, KICK, SONG)] == ["drive"]
