"""A Stage: what each sound goes through, how much of it goes to the rooms, and what stands at the end.

A place is named by a word: "part:3:kick" a voice of a part, "part:3" the part, "loop:5" a loop under the stack,
"group:NAME" a group, "short", "long" and "echo" what rooms and echo give back, "whole" the mix.
"""

from __future__ import annotations

import json
import math
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from easy_pocket.core.errors import BadValueError, EditRefusedError, as_number, require_range
from easy_pocket.core.stage.limiter import DEFAULT_CEILING_DB
from easy_pocket.core.stage.section_settings import (
    MOST_SECTIONS,
    NO_SETTINGS,
    SectionSettings,
    section_settings_doc,
    section_settings_from_doc,
    unit_keys,
)
from easy_pocket.core.stage.unit_fields import ECHO_FIELDS, MOST_UNITS, ROOM_FIELDS, UNITS, UnitField

Value = float | str
Doc = dict[str, Any]
ROOMS = ("short", "long")
RETURNS = (*ROOMS, "echo")
SENDERS = re.compile(r"part:\d{1,10}(:[a-z_0-9]{1,30})?|loop:\d{1,10}|group:[a-z0-9-]{1,24}")
PLACES = re.compile(rf"{SENDERS.pattern}|short|long|echo|whole")
VOICE_PLACE = re.compile(r"part:\d{1,10}:[a-z_0-9]{1,30}")
MOST_GROUPS = 16
FADED_DB = 80.0  # so much softer an echo is over
FILTERS_RING_S = 0.25  # what filters remember
LEVEL_TIMES = 6.0  # so many release times a compressor remembers
LONGEST_RING_S = 30.0
MOST_PLACES = 512
MOST_WORDS = 200
LOWEST_CEILING_DB, HIGHEST_CEILING_DB = -12.0, 0.0
STEPS = re.compile(r"[01]{1,64}")


@dataclass(frozen=True)
class Unit:
    """One unit of a chain. settings: every field of its kind (unit_fields.py)."""

    kind: str
    on: bool = True
    settings: Mapping[str, Value] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.kind not in UNITS:
            raise BadValueError(f"'{self.kind[:20]}' is no unit of a chain; there are {', '.join(UNITS)}.")
        checked = checked_settings(UNITS[self.kind].fields, self.settings, f"of {self.kind}")
        if self.kind == "gate" and not STEPS.fullmatch(str(checked["steps"])):
            raise BadValueError(f"Steps of a gate are 1 (open) and 0 (closed), at most 64, not '{checked['steps']}'.")
        if self.kind == "duck" and checked["steps"] and not STEPS.fullmatch(str(checked["steps"])):
            raise BadValueError(f"Steps of a duck are 1 (it steps back) and 0, at most 64, not '{checked['steps']}'.")
        object.__setattr__(self, "settings", checked)

    def number(self, name: str) -> float:
        return float(self.settings[name])


def checked_settings(fields: Mapping[str, UnitField], given: Mapping[str, Any], what: str) -> dict[str, Value]:
    """All settings, those not given as they are by default.

    Parameters
    ----------
    fields
        Range, unit and default of each setting.
    given
        Values that were sent.
    what
        What they belong to, as messages say it.

    Returns
    -------
    dict[str, Value]
        A value for each field.

    Raises
    ------
    BadValueError
        Outside their ranges.
    """
    unknown = set(given) - set(fields)
    if unknown:
        raise BadValueError(f"'{sorted(unknown)[0][:30]}' is no setting {what}; there are {', '.join(fields)}.")
    found: dict[str, Value] = {}
    for name, one in fields.items():
        value = given.get(name, one.default)
        if isinstance(one.default, str):
            if not isinstance(value, str) or len(value) > MOST_WORDS:
                raise BadValueError(f"The {one.label} {what} is a word; '{str(value)[:30]}' is not.")
            if one.choices and value not in one.choices:
                raise BadValueError(
                    f"The {one.label} {what} is {', '.join(one.choices)}; '{value[:20]}' is none of them."
                )
            found[name] = value
        else:
            number = as_number(f"The {one.label} {what}", value)
            require_range(f"The {one.label} {what}", number, one.low, one.high, one.unit)
            found[name] = number
    return found


@dataclass(frozen=True)
class Place:
    """chain: in order. sends: to "short", "long", "echo", in percent; what is not named is 0."""

    chain: tuple[Unit, ...] = ()
    sends: Mapping[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if len(self.chain) > MOST_UNITS:
            raise EditRefusedError(f"A chain holds {MOST_UNITS} units; take one out first.")
        for name, percent in self.sends.items():
            if name not in RETURNS:
                raise BadValueError(f"Sound can be sent to {', '.join(RETURNS)}; '{name[:20]}' is none of them.")
            require_range(f"What goes to {name}", percent, 0, 100, "%")
        object.__setattr__(self, "sends", {name: percent for name, percent in self.sends.items() if percent})

    @property
    def working(self) -> tuple[Unit, ...]:
        """The units that are on."""
        return tuple(unit for unit in self.chain if unit.on)

    @property
    def is_plain(self) -> bool:
        return not self.chain and not any(self.sends.values())


@dataclass(frozen=True)
class Group:
    """Sounds that share a chain: key as in "group:KEY"; members: places of voices, parts and loops."""

    key: str
    name: str
    members: tuple[str, ...]


def default_room(name: str) -> dict[str, Value]:
    """The settings of a room nobody has changed."""
    instead = {"long": {"length_s": 1.8, "size": "hall", "pre_delay_ms": 18.0, "high_cut_hz": 6_500.0}}.get(name, {})
    return checked_settings(ROOM_FIELDS, instead, "of the room")


@dataclass(frozen=True)
class Stage:
    """A whole Stage; what is not named is plain. on: off, everything but the ceiling is passed by.

    sections: what sections of the song have other than the song, by their key. kit_chains: what voices go through
    before their own chain, because their kits have it; not kept with the Stage.
    """

    places: Mapping[str, Place] = field(default_factory=dict)
    groups: tuple[Group, ...] = ()
    rooms: Mapping[str, Mapping[str, Value]] = field(default_factory=dict)
    echo: Mapping[str, Value] = field(default_factory=dict)
    ceiling_db: float = DEFAULT_CEILING_DB
    on: bool = True
    sections: Mapping[int, SectionSettings] = field(default_factory=dict)
    kit_chains: Mapping[str, tuple[Unit, ...]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        require_range("The ceiling", self.ceiling_db, LOWEST_CEILING_DB, HIGHEST_CEILING_DB, "dB")
        require_range("The number of groups", len(self.groups), 0, MOST_GROUPS)
        require_range("The number of places", len(self.places), 0, MOST_PLACES)
        require_range("The number of sections with settings of their own", len(self.sections), 0, MOST_SECTIONS)
        for where in (*self.places, *(where for one in self.sections.values() for where in (*one.levels, *one.places))):
            if not PLACES.fullmatch(where):
                raise BadValueError(f"'{where[:40]}' is no place of a Stage.")
        _check_groups(self.groups)
        rooms = {
            name: checked_settings(ROOM_FIELDS, {**default_room(name), **self.rooms.get(name, {})}, "of the room")
            for name in ROOMS
        }
        object.__setattr__(self, "rooms", rooms)
        object.__setattr__(self, "echo", checked_settings(ECHO_FIELDS, self.echo, "of the echo"))

    def place(self, where: str) -> Place:
        return self.places.get(where, Place())

    def group_of(self, where: str) -> Group | None:
        return next((one for one in self.groups if where in one.members), None)

    @property
    def is_plain(self) -> bool:
        return (
            all(place.is_plain for place in self.places.values())
            and not any(one.places for one in self.sections.values())
            and not self.kit_chains
        )

    def is_plain_at(self, where: str) -> bool:
        """Whether nothing is done to a place, in no section."""
        return (
            self.place(where).is_plain
            and where not in self.kit_chains
            and not any(where in one.places for one in self.sections.values())
        )

    @property
    def named_places(self) -> tuple[str, ...]:
        """Places something is done to, in the song or in a section."""
        own = (where for one in self.sections.values() for where in one.places)
        return tuple(dict.fromkeys([*self.places, *self.kit_chains, *own]))

    def in_section(self, key: int) -> Stage:
        """The Stage as it is in one section."""
        own = self.sections.get(key, NO_SETTINGS)
        places = dict(self.places)
        for where in own.places:
            place = self.place(where)
            switches = own.switches.get(where, {})
            keys = unit_keys([unit.kind for unit in place.chain])
            chain = tuple(
                replace(unit, on=switches.get(name, unit.on)) for name, unit in zip(keys, place.chain, strict=True)
            )
            places[where] = Place(chain, {**place.sends, **own.sends.get(where, {})})
        return replace(self, places=places, sections={})

    def rings_s(self, beat_s: float, hits_to_room: bool = False) -> float:
        """How long chains, rooms and echo go on after what goes in, in s."""
        if not (self.on and not self.is_plain) and not hits_to_room:
            return 0.0
        return min(self.chains_ring_s(beat_s) + self.returns_ring_s(beat_s, hits_to_room), LONGEST_RING_S)

    def chains_ring_s(self, beat_s: float) -> float:
        """How long chains remember what went through them: levels, and echoes in them."""
        if self.sections:
            return max(one.chains_ring_s(beat_s) for one in self._everywhere())
        rings = {0: 0.0, 1: 0.0, 2: 0.0}  # of voices and loops; of parts, groups, rooms and echo; of the whole
        for where, units in self._working():
            level = 2 if where == "whole" else 0 if VOICE_PLACE.fullmatch(where) or where.startswith("loop:") else 1
            levels = sum(LEVEL_TIMES * unit.number("release_ms") / 1000 for unit in units if unit.kind == "compressor")
            echoes = sum(_echo_ring_s(unit.settings, beat_s) for unit in units if unit.kind == "echo")
            rings[level] = max(rings[level], levels + echoes)
        return min(FILTERS_RING_S + sum(rings.values()), LONGEST_RING_S)

    def returns_ring_s(self, beat_s: float, hits_to_room: bool = False) -> float:
        """How long rooms and echo go on."""
        if self.sections:
            return max(one.returns_ring_s(beat_s, hits_to_room) for one in self._everywhere())
        sends = {name for place in self.places.values() for name, percent in place.sends.items() if percent}
        sends |= {"long"} if hits_to_room else set()
        rooms = max((1.3 * float(self.rooms[name]["length_s"]) for name in ROOMS if name in sends), default=0.0)
        return min(max(rooms, _echo_ring_s(self.echo, beat_s) if "echo" in sends else 0.0), LONGEST_RING_S)

    def _everywhere(self) -> list[Stage]:
        return [self.in_section(key) for key in (0, *self.sections)]

    def _working(self) -> Iterator[tuple[str, tuple[Unit, ...]]]:
        """Chains with the units in them that do something."""
        for where in self.named_places:
            yield where, (*self.kit_chains.get(where, ()), *self.place(where).working)

    def with_place(self, where: str, place: Place) -> Stage:
        """Another chain or other sends of one place; one that is plain needs no entry."""
        rest = {key: value for key, value in self.places.items() if key != where}
        return replace(self, places=rest if place.is_plain else {**rest, where: place})


def _echo_ring_s(settings: Mapping[str, Value], beat_s: float) -> float:
    """Until an echo has come so often that it is not heard any more."""
    again = max(float(settings["feedback_percent"]), 1.0) / 100
    return float(settings["beats"]) * beat_s * max(FADED_DB / -_db(again), 1.0)


def _db(gain: float) -> float:
    return 20 * math.log10(gain)


def _check_groups(groups: Iterable[Group]) -> None:
    seen: dict[str, str] = {}
    keys: set[str] = set()
    for one in groups:
        if one.key in keys:
            raise BadValueError(f"Two groups are called '{one.key}'.")
        keys.add(one.key)
        if not one.members:
            raise EditRefusedError(f"The group '{one.name}' holds nothing: choose the sounds that are to be in it.")
        for member in one.members:
            if not SENDERS.fullmatch(member) or member.startswith("group:"):
                raise BadValueError(f"'{member[:40]}' can be in no group: voices, parts and loops can.")
            if member in seen:
                raise EditRefusedError(f"A sound is in one group or none; this one is in '{seen[member]}' already.")
            seen[member] = one.name


def unit_doc(unit: Unit) -> Doc:
    """For JSON: only what is not as it is by default."""
    defaults = {name: one.default for name, one in UNITS[unit.kind].fields.items()}
    changed = {name: value for name, value in unit.settings.items() if value != defaults[name]}
    return {"kind": unit.kind, **({} if unit.on else {"on": False}), **({"settings": changed} if changed else {})}


def unit_from_doc(doc: Doc) -> Unit:
    """Raises BadValueError for what cannot be."""
    return Unit(str(doc.get("kind", "")), bool(doc.get("on", True)), _mapping(doc.get("settings", {})))


def stage_doc(stage: Stage) -> Doc:
    """For JSON, as `stage_from_doc` reads it."""
    doc: Doc = {
        "version": 1,
        "places": {
            where: {
                **({"chain": [unit_doc(unit) for unit in place.chain]} if place.chain else {}),
                **({"sends": {k: v for k, v in place.sends.items() if v}} if any(place.sends.values()) else {}),
            }
            for where, place in stage.places.items()
        },
        "groups": [{"key": one.key, "name": one.name, "members": list(one.members)} for one in stage.groups],
        "rooms": {name: _changed(stage.rooms[name], default_room(name)) for name in ROOMS},
        "echo": _changed(stage.echo, {name: one.default for name, one in ECHO_FIELDS.items()}),
        "ceiling_db": stage.ceiling_db,
    }
    sections = {str(key): section_settings_doc(one) for key, one in stage.sections.items() if not one.is_empty}
    if sections:
        doc["sections"] = sections
    return doc if stage.on else {**doc, "on": False}


def _changed(values: Mapping[str, Value], default: Mapping[str, Value]) -> Doc:
    return {name: value for name, value in values.items() if value != default[name]}


def stage_from_doc(doc: Doc) -> Stage:
    """Raises BadValueError or EditRefusedError for what cannot be."""
    places = {}
    for where, one in _mapping(doc.get("places", {})).items():
        chain = tuple(unit_from_doc(_mapping(unit)) for unit in _list(_mapping(one).get("chain", [])))
        sends = {str(k): as_number(f"What goes to {k}", v) for k, v in _mapping(one.get("sends", {})).items()}
        places[str(where)] = Place(chain, sends)
    groups = tuple(
        Group(
            str(one.get("key", ""))[:24], str(one.get("name", ""))[:60], tuple(map(str, _list(one.get("members", []))))
        )
        for one in map(_mapping, _list(doc.get("groups", [])))
    )
    return Stage(
        places,
        groups,
        {str(name): _mapping(one) for name, one in _mapping(doc.get("rooms", {})).items()},
        _mapping(doc.get("echo", {})),
        as_number("The ceiling", doc.get("ceiling_db", DEFAULT_CEILING_DB)),
        bool(doc.get("on", True)),
        {
            int(key): section_settings_from_doc(one)
            for key, one in _mapping(doc.get("sections", {})).items()
            if str(key).isdigit()
        },
    )


def one_part_doc(doc: Doc) -> Doc:
    """The doc of a Stage for music of one part: all its parts become part 1; where two say something, the first."""

    def moved(where: object) -> str:
        return re.sub(r"part:\d+", "part:1", str(where))

    places: Doc = {}
    for where, place in _mapping(doc.get("places", {})).items():
        places.setdefault(moved(where), json.loads(moved(json.dumps(place))))
    groups, taken = [], set[str]()
    for group in map(_mapping, _list(doc.get("groups", []))):
        members = [one for one in dict.fromkeys(map(moved, _list(group.get("members", [])))) if one not in taken]
        taken |= set(members)
        if members:
            groups.append({**group, "members": members})
    return {**doc, "places": places, "groups": groups, "sections": {}}


def _mapping(value: object) -> Doc:
    if not isinstance(value, Mapping):
        raise BadValueError(f"A Stage is written as names and values; '{str(value)[:30]}' is not.")
    return dict(value)


def _list(value: object) -> list[Any]:
    if not isinstance(value, list | tuple) or len(value) > MOST_PLACES:
        raise BadValueError("A Stage holds a list there, of a few things; this is none, or it is too long.")
    return list(value)
