"""Which part, pattern and section of a song a page looks at: what it writes goes there."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Selection:
    """Ids; 0 is not chosen: then the first there is."""

    part_id: int = 0
    pattern_id: int = 0
    section_id: int = 0


ANYWHERE = Selection()
