"""What a section of the song has other than the song itself: levels, what goes to rooms, which units are on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from easy_pocket.core.errors import BadValueError, as_number, require_range

Doc = dict[str, object]
MOST_SECTIONS = 128
MOST_ENTRIES = 512
LOWEST_LEVEL_DB, HIGHEST_LEVEL_DB = -60.0, 12.0


@dataclass(frozen=True)
class SectionSettings:
    """By place: levels in dB; sends in percent, by room; switches of units, by the key of the unit."""

    levels: Mapping[str, float] = field(default_factory=dict)
    sends: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    switches: Mapping[str, Mapping[str, bool]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        require_range(
            "The number of places with settings of a section",
            max(len(self.levels), len(self.sends), len(self.switches)),
            0,
            MOST_ENTRIES,
        )
        for level_db in self.levels.values():
            require_range("The level", level_db, LOWEST_LEVEL_DB, HIGHEST_LEVEL_DB, "dB")
        for own in self.sends.values():
            for name, percent in own.items():
                require_range(f"What goes to {name}", percent, 0, 100, "%")

    @property
    def places(self) -> set[str]:
        """Places whose chain or sends are other."""
        return {*self.sends, *self.switches}

    @property
    def is_empty(self) -> bool:
        return not (self.levels or self.sends or self.switches)

    def over(self, other: SectionSettings) -> SectionSettings:
        """Both; where both say something, this one counts."""
        return SectionSettings(
            {**other.levels, **self.levels}, _joined(other.sends, self.sends), _joined(other.switches, self.switches)
        )


NO_SETTINGS = SectionSettings()


def _joined(below: Mapping[str, Mapping[str, Any]], above: Mapping[str, Mapping[str, Any]]) -> dict[str, Any]:
    return {where: {**below.get(where, {}), **above.get(where, {})} for where in {**below, **above}}


def unit_keys(kinds: Sequence[str]) -> tuple[str, ...]:
    """What each unit of a chain is called in a section: its kind, numbered where there are several.

    Examples
    --------
    >>> unit_keys(["tone", "duck", "tone"])
    ('tone', 'duck', 'tone 2')
    """
    counts: dict[str, int] = {}
    found = []
    for kind in kinds:
        counts[kind] = counts.get(kind, 0) + 1
        found.append(kind if counts[kind] == 1 else f"{kind} {counts[kind]}")
    return tuple(found)


def section_settings_doc(settings: SectionSettings) -> Doc:
    """For JSON, as `section_settings_from_doc` reads it."""
    doc: Doc = {}
    if settings.levels:
        doc["levels"] = dict(settings.levels)
    for name in ("sends", "switches"):
        own = {where: dict(values) for where, values in getattr(settings, name).items() if values}
        if own:
            doc[name] = own
    return doc


def section_settings_from_doc(doc: object) -> SectionSettings:
    """Raises BadValueError for what cannot be."""
    given = _mapping(doc)
    levels = {str(where): as_number("The level", value) for where, value in _mapping(given.get("levels", {})).items()}
    sends = {
        str(where): {str(name): as_number(f"What goes to {name}", value) for name, value in _mapping(own).items()}
        for where, own in _mapping(given.get("sends", {})).items()
    }
    switches = {
        str(where): {str(key)[:20]: bool(on) for key, on in _mapping(own).items()}
        for where, own in _mapping(given.get("switches", {})).items()
    }
    return SectionSettings(levels, sends, switches)


def _mapping(value: object) -> Doc:
    if not isinstance(value, Mapping):
        raise BadValueError(f"Settings of a section are written as names and values; '{str(value)[:30]}' is not.")
    return dict(value)
