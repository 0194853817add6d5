"""The answer to an error nobody foresaw: our words, with the id under which the log has it."""

from __future__ import annotations

from html import escape

from starlette.datastructures import Headers
from starlette.responses import HTMLResponse, JSONResponse, Response

WORDS = (
    "Something went wrong here that should not. What you did is kept in this page; try it again, or go on with "
    "something else. Whoever runs Easy Pocket finds the reason in its log under {id}."
)
PAGE = """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Something went wrong</title></head>
<body><main><h1>Something went wrong</h1><p>{words}</p><p><a href="/">To the Shelf</a></p></main></body></html>
"""


def wants_page(headers: Headers) -> bool:
    """Whether the request wants a page (a person) or JSON (a script)."""
    return headers.get("accept", "").startswith("text/html") or bool(headers.get("hx-request"))


def unforeseen(request_id: str, headers: Headers) -> Response:
    """Answer an error nobody foresaw, without templates: they may be what failed."""
    words = WORDS.format(id=request_id)
    if wants_page(headers):
        return HTMLResponse(PAGE.format(words=escape(words)), 500)
    return JSONResponse({"error": words, "request": request_id}, 500)
