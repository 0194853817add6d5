"""A Stage as JSON: back as it was, whatever is set on it, and refused in words when it cannot be."""

import pytest
from hypothesis import given
from hypothesis import settings as few
from hypothesis import strategies as st

from easy_pocket.core.errors import PocketError
from easy_pocket.core.stage.section_settings import (
    SectionSettings,
    section_settings_doc,
    section_settings_from_doc,
    unit_keys,
)
from easy_pocket.core.stage.stage import Unit, checked_settings, one_part_doc, unit_doc, unit_from_doc
from easy_pocket.core.stage.unit_fields import UNITS

PLACES = ("part:1:kick", "part:2:hat_closed", "part:1", "group:g1", "whole")


@st.composite
def units(draw):
    kind = draw(st.sampled_from([name for name in UNITS if name not in ("gate", "duck")]))
    fields = UNITS[kind].fields
    chosen = draw(st.sets(st.sampled_from(sorted(fields))))
    values = {}
    for name in chosen:
        one = fields[name]
        if isinstance(one.default, str):
            values[name] = draw(st.sampled_from([*one.choices])) if one.choices else one.default
        else:
            values[name] = draw(st.floats(one.low, one.high))
    return Unit(kind, draw(st.booleans()), values)


@given(units())
def test_a_unit_comes_back_as_it_was(unit):
    assert unit_from_doc(unit_doc(unit)) == unit


@given(units())
def test_what_is_as_by_default_is_not_written(unit):
    doc = unit_doc(unit)
    for name, value in doc.get("settings", {}).items():
        assert value != UNITS[unit.kind].fields[name].default


@pytest.mark.parametrize("kind", list(UNITS))
def test_every_kind_has_all_its_settings_without_any_being_given(kind):
    unit = Unit(kind)
    assert set(unit.settings) == set(UNITS[kind].fields)
    assert checked_settings(UNITS[kind].fields, unit.settings, "of a test") == dict(unit.settings)


@pytest.mark.parametrize(
    "doc",
    [
        {"kind": "reverb of the deep"},
        {"kind": "tone", "settings": {"no such thing": 1}},
        {"kind": "tone", "settings": {"low_cut_hz": float("nan")}},
        {"kind": "tone", "settings": {"low_cut_hz": 1e9}},
        {"kind": "tone", "settings": {"low_cut_hz": "loud"}},
        {"kind": "tone", "settings": [1, 2]},
        {"kind": "gate", "settings": {"steps": "2"}},
        {"kind": "gate", "settings": {"steps": "1" * 65}},
        {},
    ],
)
def test_a_unit_that_cannot_be_is_refused_in_words(doc):
    with pytest.raises(PocketError):
        unit_from_doc(doc)


settings = st.builds(
    SectionSettings,
    st.dictionaries(st.sampled_from(PLACES), st.floats(-30, 10), max_size=3),
    st.dictionaries(
        st.sampled_from(PLACES),
        st.dictionaries(st.sampled_from(["short", "long", "echo"]), st.floats(0, 100)),
        max_size=3,
    ),
    st.dictionaries(
        st.sampled_from(PLACES), st.dictionaries(st.sampled_from(["tone", "duck 2"]), st.booleans()), max_size=3
    ),
)


def without_empty(one):
    return SectionSettings(
        one.levels, {k: v for k, v in one.sends.items() if v}, {k: v for k, v in one.switches.items() if v}
    )


@given(settings)
def test_settings_of_a_section_come_back(one):
    assert section_settings_from_doc(section_settings_doc(one)) == without_empty(one)


@given(settings, settings)
def test_of_two_settings_the_upper_counts_and_the_lower_shows_where_it_says_nothing(upper, lower):
    both = upper.over(lower)
    for where, level in lower.levels.items():
        assert both.levels[where] == upper.levels.get(where, level)
    for where, sends in upper.sends.items():
        for name, percent in sends.items():
            assert both.sends[where][name] == percent
    assert upper.over(SectionSettings()) == upper


@pytest.mark.parametrize("doc", [[], "x", {"levels": []}, {"levels": {"part:1": "loud"}}, {"sends": {"part:1": 3}}])
def test_settings_of_a_section_that_cannot_be_are_refused(doc):
    with pytest.raises(PocketError):
        section_settings_from_doc(doc)


@given(st.lists(st.sampled_from(list(UNITS)), max_size=8))
def test_units_of_one_kind_are_told_apart(kinds):
    keys = unit_keys(kinds)
    assert len(set(keys)) == len(kinds)
    assert all(key.split()[0] == kind for key, kind in zip(keys, kinds, strict=True))


@few(max_examples=30)
@given(st.lists(st.integers(1, 40), min_size=1, max_size=5, unique=True))
def test_music_of_one_part_has_all_places_on_part_1(parts):
    doc = {
        "places": {
            f"part:{number}:kick": {"chain": [{"kind": "duck", "settings": {"by": f"part:{number}:snare"}}]}
            for number in parts
        },
        "groups": [{"key": "g", "name": "g", "members": [f"part:{number}:kick" for number in parts]}],
        "sections": {"1": {"levels": {"part:9": 1.0}}},
    }
    found = one_part_doc(doc)
    assert list(found["places"]) == ["part:1:kick"]
    assert found["places"]["part:1:kick"]["chain"][0]["settings"]["by"] == "part:1:snare"
    assert found["groups"][0]["members"] == ["part:1:kick"]
    assert found["sections"] == {}
