"""Ideas that come with a song file: whether they are any."""

from __future__ import annotations

import json

from easy_pocket.core.errors import require_range
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import MAX_BARS
from easy_pocket.store.hits_json import rows_to_hits

LONGEST_TICKS = MAX_BARS * 3840


def check_kept_idea(text: str) -> None:
    """Raises ValueError, LookupError, TypeError or BadValueError for what cannot be an idea that was logged."""
    doc = json.loads(text)
    words, tags = [doc["words"], doc["key"]], doc["tags"]
    if not all(isinstance(one, str) for one in (*words, *tags)) or not isinstance(doc["seed"], int):
        raise ValueError("idea")
    require_range("The length", int(doc["length_ticks"]), 10, LONGEST_TICKS, "ticks")
    for change in doc["changes"]:
        rows_to_hits(change["gone"])
        Pattern(LONGEST_TICKS, tuple(rows_to_hits(change["come"])))
        if not isinstance(change["words"], str) or not isinstance(change["kind"], str):
            raise ValueError("change")
