"""What patches touch, as paths such as "pattern/12/hits/kick/240" or "part/5/mix/snare/level_db": two edits meet when a
path of one begins with a path of the other."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

Patch = dict[str, Any]
MOST_PATHS = 2_000  # of one edit; one that touches more counts as touching the whole row
DEEPEST = 4


def touched(patches: Iterable[Patch]) -> set[str]:
    found: set[str] = set()
    for patch in patches:
        row = f"{patch['table']}/{patch['id']}"
        paths = {row} if "exists" in patch else _of_patch(row, patch)
        found |= paths if len(paths) <= MOST_PATHS else {row}
    return found


def _of_patch(row: str, patch: Patch) -> set[str]:
    found: set[str] = set()
    for kind in ("fields", "voices"):
        for name, (before, after) in patch.get(kind, {}).items():
            found |= _differing(f"{row}/{name}", _named(before), _named(after), DEEPEST)
    if "order" in patch:
        found.add(f"{row}/order")
    hits = patch.get("hits", {})
    for rows in hits.values():
        found |= {f"{row}/hits/{hit[0]}/{hit[1]}" for hit in rows}
    return found


def _named(value: Any) -> Any:
    """Lists whose entries have names of their own as what they are called to what they are: two voices added at once
    are two things, not one list."""
    if isinstance(value, list):
        if value and all(isinstance(one, str) for one in value):
            return dict.fromkeys(value, True)
        if value and all(isinstance(one, dict) and "loop_id" in one for one in value):
            return {str(one["loop_id"]): one for one in value}
        if not value:
            return {}
    return value


def _differing(path: str, before: Any, after: Any, depth: int) -> set[str]:
    if isinstance(before, dict) or isinstance(after, dict):
        one, other = before or {}, after or {}
        if depth and isinstance(one, dict) and isinstance(other, dict):
            names = {name for name in {*one, *other} if one.get(name) != other.get(name)}
            if not names and list(one) != list(other):
                return {path}
            found: set[str] = set()
            for name in names:
                found |= _differing(f"{path}/{name}", one.get(name), other.get(name), depth - 1)
            return found
    return {path} if before != after else set()


def meet(one: set[str], other: set[str]) -> bool:
    """Whether two sets of paths touch the same thing."""
    return not one.isdisjoint(_above(other)) or not other.isdisjoint(_above(one))


def _above(paths: set[str]) -> set[str]:
    """The paths with all that lie above them."""
    found = set(paths)
    for path in paths:
        while "/" in path:
            path = path.rpartition("/")[0]
            found.add(path)
    return found
