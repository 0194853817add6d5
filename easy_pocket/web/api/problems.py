"""Errors as problem details (RFC 9457): what was found, what is needed, a way out."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from http import HTTPStatus

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from sqlalchemy.exc import SQLAlchemyError
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse, Response

from easy_pocket.core.errors import NotThereError, PocketError
from easy_pocket.store.failures import failure_of
from easy_pocket.store.history.undo_log import MissingSongError, StaleRevisionError
from easy_pocket.web.errors import DATABASE_WORDS
from easy_pocket.web.shared.uploads import TooLargeError, TooSlowError

MEDIA_TYPE = "application/problem+json"
STATUS: dict[type[Exception], int] = {
    NotThereError: 404,
    MissingSongError: 404,
    TooLargeError: 413,
    TooSlowError: 408,
    PocketError: 422,
}
UNFORESEEN = "Something went wrong here that nobody foresaw; nothing was changed. The log has it under this request."


def problem(request: Request, status: int, detail: str, headers: dict[str, str] | None = None) -> Response:
    """type is always about:blank: the status says what kind it is, detail says it in words."""
    body = {
        "type": "about:blank",
        "title": HTTPStatus(status).phrase,
        "status": status,
        "detail": detail.encode("utf-8", "replace").decode()[:600],
        "instance": request.url.path,
        "request": getattr(request.state, "request_id", ""),
    }
    return JSONResponse(body, status, headers, MEDIA_TYPE)


def install(app: FastAPI) -> None:
    for kind, status in STATUS.items():
        app.add_exception_handler(kind, _handler(status))

    @app.exception_handler(StaleRevisionError)
    async def stale(request: Request, error: StaleRevisionError) -> Response:
        changed = "; ".join(dict.fromkeys(error.theirs))[:400]
        return problem(request, 409, f"Another changed the same thing meanwhile: {changed}. Read the song again.")

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        where = " ".join(str(piece)[:60] for piece in first["loc"][1:])
        return problem(request, 422, f"{where}: {first['msg']}. Nothing was changed.")

    @app.exception_handler(HTTPException)
    async def http(request: Request, error: HTTPException) -> Response:
        return problem(request, error.status_code, str(error.detail), dict(error.headers or {}))

    @app.exception_handler(SQLAlchemyError)
    @app.exception_handler(OSError)
    async def not_kept(request: Request, error: Exception) -> Response:
        request.state.error = error
        status, _, words = DATABASE_WORDS.get(failure_of(error), (500, "", UNFORESEEN))
        return problem(
            request, status, words.replace("in this page and sent again by themselves", "nowhere: send them again")
        )


def _handler(status: int) -> Callable[[Request, Exception], Awaitable[Response]]:
    async def handled(request: Request, error: Exception) -> Response:
        return problem(request, status, str(error))

    return handled
