"""Errors turned into answers in one place: what was found, what is needed, a way out."""

from __future__ import annotations

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse, Response

from easy_pocket.core.errors import PocketError
from easy_pocket.store.changes import MissingSongError
from easy_pocket.web.render import page
from easy_pocket.web.uploads import TooLargeError

DATABASE_WORDS = "The database does not answer just now. Your edits are kept in this page and sent again by themselves."


def _answer(request: Request, status: int, words: str, title: str) -> Response:
    """JSON for the scripts, a page for a person."""
    if request.headers.get("accept", "").startswith("text/html") or request.headers.get("hx-request"):
        return page(request, "error.html", {"title": title, "words": words}, status=status)
    return JSONResponse({"error": words}, status)


def install(app: FastAPI) -> None:
    @app.exception_handler(MissingSongError)
    async def missing(request: Request, error: MissingSongError) -> Response:
        return _answer(request, 404, str(error), "Not on the shelf")

    @app.exception_handler(TooLargeError)
    async def too_large(request: Request, error: TooLargeError) -> Response:
        return _answer(request, 413, str(error), "Too large")

    @app.exception_handler(PocketError)
    async def refused(request: Request, error: PocketError) -> Response:
        return _answer(request, 422, str(error), "That does not fit")

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        where = " ".join(str(piece) for piece in first["loc"][1:])
        return _answer(request, 422, f"{where}: {first['msg']}. Nothing was changed.", "That does not fit")

    @app.exception_handler(OperationalError)
    @app.exception_handler(PoolTimeoutError)
    async def no_database(request: Request, error: Exception) -> Response:
        return _answer(request, 503, DATABASE_WORDS, "The database does not answer")

    @app.exception_handler(DBAPIError)
    async def database_error(request: Request, error: DBAPIError) -> Response:
        lost = error.connection_invalidated
        words = DATABASE_WORDS if lost else "The database refused this; nothing was changed. Reload the page."
        return _answer(request, 503 if lost else 500, words, "The database does not answer")

    @app.exception_handler(HTTPException)
    async def http(request: Request, error: HTTPException) -> Response:
        words = "There is no such page." if error.status_code == 404 else str(error.detail)
        return _answer(request, error.status_code, words, "Not here")
