"""What a request was about, for its line in the log: told by routes, written by the middleware around them."""

from __future__ import annotations

from typing import Any

from starlette.requests import Request


def about(request: Request, **facts: Any) -> None:
    """Facts of this request (kind of edit, revision); never what a song holds."""
    known = getattr(request.state, "about", None)
    if known is None:
        known = request.state.about = {}
    known.update({name: value for name, value in facts.items() if value is not None})
