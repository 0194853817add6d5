"""Who may: a token in each request, and what it allows."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Request, Security
from fastapi.security import HTTPAuthorizationCredentials, HTTPBearer
from starlette.exceptions import HTTPException

from easy_pocket.store.database import Database
from easy_pocket.store.tokens import Scope, known_token

bearer = HTTPBearer(auto_error=False, description="A token that was made on the Shelf, under Programs.")
Given = Annotated[HTTPAuthorizationCredentials | None, Security(bearer)]


def allowed(request: Request, given: Given) -> Scope:
    """What the token of this request allows. Raises HTTPException 401 without one that is known."""
    database: Database = request.app.state.database
    found = known_token(database, given.credentials) if given else None
    if found is None:
        words = "This needs a token: make one on the Shelf, under Programs; send it as 'Authorization: Bearer TOKEN'."
        if given:
            words = "This token is not known, or was taken away: make another one on the Shelf, under Programs."
        raise HTTPException(401, words, {"WWW-Authenticate": "Bearer"})
    return found.scope


def may_write(scope: Annotated[Scope, Depends(allowed)]) -> None:
    """Raises HTTPException 403 for a token that only reads."""
    if scope != "write":
        raise HTTPException(403, "This token only reads: make one on the Shelf, under Programs, that may change songs.")


Writes = Depends(may_write)
