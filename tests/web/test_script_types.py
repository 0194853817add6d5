"""Types of the scripts follow from what the server says and takes."""

from typing import NotRequired, TypedDict

import pytest

from easy_pocket.web.script_types import OUT, Types, declarations


def test_the_types_of_the_scripts_are_up_to_date():
    assert OUT.read_text() == declarations(), "run: python -m easy_pocket.web.script_types"


class Tide(TypedDict):
    """How high,
    and when."""

    height: float
    at: dict[int, list[str | None]]
    pair: tuple[int, bool]
    name: NotRequired[str]


def test_a_shape_as_a_type():
    found = Types()
    assert found.of(list[Tide]) == "Tide[]"
    assert found.made["Tide"].splitlines() == [
        "/** How high, and when. */",
        "export interface Tide {",
        "  height: number;",
        "  at: Record<number, (string | null)[]>;",
        "  pair: [number, boolean];",
        "  name?: string;",
        "}",
    ]
    with pytest.raises(TypeError, match="has no type in scripts"):
        found.of(complex)
