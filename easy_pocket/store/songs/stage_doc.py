"""The Stages a song keeps, as stored: {"shown": "A", "settings": {"A": {"name", "stage"}, ...}}."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from easy_pocket.core.stage.section_settings import NO_SETTINGS, section_settings_doc, section_settings_from_doc
from easy_pocket.core.stage.stage import Stage, stage_doc, stage_from_doc

Doc = dict[str, Any]
SETTINGS = ("A", "B", "C")
PART = re.compile(r"part:(\d+)")


def shown_of(doc: Doc | None) -> str:
    """Which of the settings is heard."""
    return str((doc or {}).get("shown", SETTINGS[0]))


def setting_of(doc: Doc | None, key: str) -> Doc | None:
    """One of the settings, None when it was never made."""
    found: Doc | None = (doc or {}).get("settings", {}).get(key)
    return found


def stage_of(doc: Doc | None) -> Stage:
    """The Stage that is heard; a plain one when the song has none."""
    setting = setting_of(doc, shown_of(doc))
    return stage_from_doc(setting["stage"]) if setting else Stage()


def setting_names(doc: Doc | None) -> dict[str, str]:
    """What the settings are called; "" for one that was never made."""
    return {key: (setting_of(doc, key) or {}).get("name", "") for key in SETTINGS}


def with_stage(doc: Doc | None, stage: Stage) -> Doc:
    """The same, another Stage in the settings that are heard."""
    key = shown_of(doc)
    before = setting_of(doc, key) or {"name": key}
    return {"shown": key, "settings": {**(doc or {}).get("settings", {}), key: {**before, "stage": stage_doc(stage)}}}


def with_shown(doc: Doc | None, key: str) -> Doc:
    """Other settings heard; those never made begin as those that were heard."""
    made = setting_of(doc, key) or {"name": key, "stage": stage_doc(stage_of(doc))}
    first = {shown_of(doc): setting_of(doc, shown_of(doc)) or {"name": shown_of(doc), "stage": stage_doc(Stage())}}
    return {"shown": key, "settings": {**first, **(doc or {}).get("settings", {}), key: made}}


def moved_stage(
    doc: Doc | None, parts: Mapping[int, int], loops: Mapping[int, int], sections: Mapping[int, int]
) -> Doc | None:
    """For a copy of the song, whose parts, loops and sections have other ids."""
    if not doc:
        return None

    def moved(where: str) -> str:
        kind, _, rest = where.partition(":")
        ids = {"part": parts, "loop": loops}.get(kind)
        number, _, voice = rest.partition(":")
        if ids is None or not number.isdigit():
            return where
        return f"{kind}:{ids.get(int(number), 0)}{f':{voice}' if voice else ''}"

    def moved_units(chain: list[Doc]) -> list[Doc]:
        return [
            {**unit, "settings": {k: _moved_words(v, moved) for k, v in unit["settings"].items()}}
            if "settings" in unit
            else unit
            for unit in chain
        ]

    settings = {}
    for key, one in doc.get("settings", {}).items():
        stage = one["stage"]
        places = {
            moved(where): {**place, "chain": moved_units(place["chain"])} if "chain" in place else place
            for where, place in stage.get("places", {}).items()
        }
        groups = [{**group, "members": [moved(one) for one in group["members"]]} for group in stage.get("groups", [])]
        own = {
            str(sections[int(section)]): {
                name: {moved(where): value for where, value in values.items()} for name, values in kept.items()
            }
            for section, kept in stage.get("sections", {}).items()
            if int(section) in sections
        }
        more = {"sections": own} if own else {}
        rest = {name: value for name, value in stage.items() if name != "sections"}
        settings[key] = {**one, "stage": {**rest, "places": places, "groups": groups, **more}}
    return {**doc, "settings": settings}


def with_section_copied(doc: Doc | None, old: Sequence[int], new: int) -> Doc | None:
    """A section stands on the Stage as another one does. old: that one, and before it what it is a variation of."""
    settings = (doc or {}).get("settings", {})
    after = {key: {**one, "stage": _with_copied(one["stage"], old, new)} for key, one in settings.items()}
    return doc if after == settings else {**(doc or {}), "settings": after}


def with_places_copied(doc: Doc | None, moves: Sequence[tuple[str, str]]) -> Doc | None:
    """Sounds that were made of others stand on the Stage as those do: pairs of (the place of one, that of the new).

    What the new one has already it keeps.
    """
    settings = (doc or {}).get("settings", {})
    after = {key: {**one, "stage": _with_places(one["stage"], moves)} for key, one in settings.items()}
    return doc if after == settings else {**(doc or {}), "settings": after}


def _with_places(stage: Doc, moves: Sequence[tuple[str, str]]) -> Doc:
    def copied(values: Doc) -> Doc:
        more = {new: values[old] for old, new in moves if old in values and new not in values}
        return {**values, **more} if more else values

    named = dict(moves)
    grouped = {member for group in stage.get("groups", []) for member in group["members"]}
    groups = []
    for group in stage.get("groups", []):
        more = [named[one] for one in group["members"] if named.get(one) and named[one] not in grouped]
        groups.append({**group, "members": list(dict.fromkeys([*group["members"], *more]))} if more else group)
        grouped |= set(more)
    found = {**stage, "places": copied(stage.get("places", {})), **({"groups": groups} if "groups" in stage else {})}
    if "sections" in stage:
        found["sections"] = {
            key: {name: copied(values) for name, values in own.items()} for key, own in stage["sections"].items()
        }
    return found


def _with_copied(stage: Doc, old: Sequence[int], new: int) -> Doc:
    found = NO_SETTINGS
    for one in old:
        found = section_settings_from_doc(stage.get("sections", {}).get(str(one), {})).over(found)
    if found.is_empty:
        return stage
    return {**stage, "sections": {**stage.get("sections", {}), str(new): section_settings_doc(found)}}


def _moved_words(value: Any, moved: Any) -> Any:
    if not isinstance(value, str) or ":" not in value:
        return value
    return " ".join(moved(word) for word in value.split(" "))
