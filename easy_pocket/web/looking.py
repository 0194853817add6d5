"""Where a page looks, told with every request: "part.pattern.section" in a header, or in the page's own address."""

from __future__ import annotations

import re

from starlette.requests import Request

from easy_pocket.store.looking import Looking

HEADER = "looking-at"
SHAPE = re.compile(r"(\d{1,9})\.(\d{1,9})\.(\d{1,9})")


def looking_of(request: Request) -> Looking:
    """What does not read as three numbers is nothing chosen."""
    found = SHAPE.fullmatch(request.headers.get(HEADER, "") or request.query_params.get("at", ""))
    return Looking(*(int(number) for number in found.groups())) if found else Looking()
