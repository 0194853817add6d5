"""Rows of a song under other numbers: all that names a part, a pattern, a section, a loop, a pass or a groove."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from easy_pocket.core.formats.pocket_file import Doc
from easy_pocket.store.loops.layered_loop_rows import moved_layer
from easy_pocket.store.songs.stage_doc import moved_stage

Ids = Mapping[str, Mapping[Any, Any]]
OF = {
    "patterns": ("part_id", "parts"), "snapshots": ("pattern_id", "patterns"), "passes": ("take_id", "takes"),
    "ideas": ("pattern_id", "patterns"), "parts": ("kit_key", "kits"),
}  # fmt: skip


def moved(doc: Doc, ids: Ids) -> Doc:
    """A whole song. Raises KeyError for a row that names one there is none of."""
    found: Doc = {"song": moved_fields("song", doc["song"], ids)}
    for table in doc:
        if table != "song":
            found[table] = [{**moved_fields(table, row, ids), "id": ids[table][row["id"]]} for row in doc[table]]
    return found


def moved_fields(table: str, fields: Doc, ids: Ids) -> Doc:
    """Some fields of one row."""
    found: Doc = _with_grooves(fields, ids["grooves"])
    if table in OF:
        field, other = OF[table]
        if field in found:
            found[field] = ids[other][found[field]]
    for name in found.keys() & _MOVES.get(table, {}).keys():
        found[name] = _MOVES[table][name](found[name], ids)
    return found


def _with_grooves(value: Any, grooves: Mapping[Any, Any]) -> Any:
    """With other numbers of grooves; those there are none of are left out."""
    if isinstance(value, dict):
        return {
            key: grooves.get(one) if key == "template_id" and one is not None else _with_grooves(one, grooves)
            for key, one in value.items()
        }
    return [_with_grooves(one, grooves) for one in value] if isinstance(value, list) else value


def _layers(layers: list[Doc] | None, ids: Ids) -> list[Doc]:
    loops = ids["loops"]
    return [moved_layer(one, loops, ids["sections"]) for one in layers or () if one["loop_id"] in loops]


def _doubles(choices: Doc | None, ids: Ids) -> Doc:
    """What is done where two parts strike a voice."""
    found = {}
    for key, choice in (choices or {}).items():
        one, other, voice = key.split(":", 2)
        if {int(one), int(other)} <= set(ids["parts"]):
            found[f"{ids['parts'][int(one)]}:{ids['parts'][int(other)]}:{voice}"] = choice
    return found


def _stage(stage: Doc | None, ids: Ids) -> Doc | None:
    return moved_stage(stage, ids["parts"], ids["loops"], ids["sections"])


def _cells(cells: Doc, ids: Ids) -> Doc:
    parts, patterns = ids["parts"], ids["patterns"]
    return {str(parts[int(key)]): moved_cell(cell, patterns) for key, cell in cells.items() if int(key) in parts}


def moved_cell(cell: Doc | None, patterns: Mapping[int, int]) -> Doc | None:
    """For patterns that have other ids."""
    return cell and {**cell, "pattern": patterns.get(cell.get("pattern", 0), 0)}


def _joins(joins: list[Doc] | None, ids: Ids) -> list[Doc]:
    return [moved_join(one, ids["parts"], ids["patterns"]) for one in joins or ()]


def moved_join(join: Doc, parts: Mapping[int, int], patterns: Mapping[int, int]) -> Doc:
    """For parts and patterns that have other ids."""
    found = dict(join)
    if "part" in join:
        found["part"] = parts.get(join["part"], 0)
    if "pattern" in join:
        found["pattern"] = patterns.get(join["pattern"], 0)
    if "keep" in join:
        found["keep"] = [parts[key] for key in join["keep"] if key in parts]
    return found


def _parent(section: int | None, ids: Ids) -> int | None:
    return ids["sections"].get(section)


def _order(patterns: list[int] | None, ids: Ids) -> list[int]:
    return [ids["patterns"][key] for key in patterns or () if key in ids["patterns"]]


def _take_settings(settings: Doc, ids: Ids) -> Doc:
    found = {name: value for name, value in settings.items() if name != "section_id"}
    section = ids["sections"].get(settings.get("section_id", 0))
    return {**found, "section_id": section} if section else found


def _sews(sews: list[Any], ids: Ids) -> list[Any]:
    return [[bar, ids["passes"][key], voice] for bar, key, voice in sews if key in ids["passes"]]


def _part(part: int, ids: Ids) -> int:
    return int(ids["parts"].get(part, 0))


def _before_flatten(text: str | None, ids: Ids) -> str | None:
    """The sections there were before the song was written out flat."""
    if not text:
        return None
    before = json.loads(text)
    sections = [{**moved_fields("sections", one, ids), "id": ids["sections"][one["id"]]} for one in before["sections"]]
    return json.dumps({**moved_fields("song", before, ids), "sections": sections})


_MOVES: dict[str, dict[str, Any]] = {
    "song": {
        "layered_loops": _layers, "collision_choices": _doubles, "stage": _stage,
        "sections_before_flatten": _before_flatten,
    },
    "parts": {"pattern_order": _order},
    "sections": {"cells": _cells, "joins": _joins, "parent_id": _parent},
    "takes": {"part_id": _part, "settings": _take_settings, "sews": _sews},
}  # fmt: skip
