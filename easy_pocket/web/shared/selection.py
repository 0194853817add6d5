"""Where a page looks: "part.pattern.section", told in the address of what it asks for (`?at=`)."""

from __future__ import annotations

import re
from typing import Annotated

from fastapi import Depends, Query

from easy_pocket.store.songs.selection import Selection

SHAPE = re.compile(r"(\d{1,9})\.(\d{1,9})\.(\d{1,9})", re.ASCII)


def looking_at(at: Annotated[str, Query(max_length=60)] = "") -> Selection:
    """What does not read as three numbers is nothing chosen."""
    found = SHAPE.fullmatch(at)
    return Selection(*(int(number) for number in found.groups())) if found else Selection()


At = Annotated[Selection, Depends(looking_at)]
