"""Where a person meets the interface for programs: tokens on the Shelf, and its description at /api/docs."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.store.tokens import Scope, make_token, take_token_away, tokens
from easy_pocket.web.shared.dependencies import RowId, Store
from easy_pocket.web.shared.render import page

router = APIRouter()
Text = Annotated[str, Form(max_length=200)]


@router.get("/api/docs")
def docs(request: Request) -> Response:
    return page(request, "api_docs.html", {})


@router.post("/programs")
def new_token(request: Request, store: Store, name: Text = "", scope: Annotated[Scope, Form()] = "read") -> Response:
    """A token, shown this once."""
    with store.transaction() as session:
        row, token = make_token(session, name, scope)
        made = {"name": row.name, "token": token}
    return page(request, "shelf/_programs.html", {"tokens": tokens(store.reader), "made": made})


@router.post("/programs/{token_id}/away")
def away(request: Request, store: Store, token_id: RowId) -> Response:
    """From now on it lets nobody in."""
    with store.transaction() as session:
        take_token_away(session, token_id)
    return page(request, "shelf/_programs.html", {"tokens": tokens(store.reader), "focus": True})
