"""Errors turned into answers in one place: what was found, what is needed, a way out."""

from __future__ import annotations

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from sqlalchemy.exc import SQLAlchemyError
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse, Response

from easy_pocket.core.errors import NotThereError, PocketError
from easy_pocket.store.failures import Failure, failure_of
from easy_pocket.store.history.undo_log import MissingSongError
from easy_pocket.web.shared.render import page
from easy_pocket.web.shared.uploads import TooLargeError, TooSlowError
from easy_pocket.web.unforeseen import unforeseen, wants_page

DATABASE_WORDS: dict[Failure, tuple[int, str, str]] = {
    Failure.UNREACHED: (
        503,
        "The database does not answer",
        "The database does not answer just now. Your edits are kept in this page and sent again by themselves.",
    ),
    Failure.BUSY: (
        503,
        "The database is busy",
        "Others are writing the same thing just now. Your edits are kept in this page and sent again by themselves.",
    ),
    Failure.DISK_FULL: (
        507,
        "The disk is full",
        "The disk is full, so nothing can be kept: free some space on the machine Easy Pocket runs on, then try again.",
    ),
    Failure.READ_ONLY: (
        507,
        "The data folder cannot be written",
        "The data folder is read-only, so nothing can be kept: make it writable on that machine, then try again.",
    ),
}


def _answer(request: Request, status: int, words: str, title: str) -> Response:
    """JSON for the scripts, a page for a person; both name the request."""
    request_id = getattr(request.state, "request_id", "")
    if wants_page(request.headers):
        values = {"title": title, "words": words, "request_id": request_id if status >= 500 else ""}
        return page(request, "error.html", values, status=status)
    return JSONResponse({"error": words, "request": request_id}, status)


def not_kept(request: Request, error: Exception) -> Response:
    """What the database or the disk failed at. The log has the traceback of each (see envelope.py)."""
    request.state.error = error
    failure = failure_of(error)
    if failure in DATABASE_WORDS:
        status, title, words = DATABASE_WORDS[failure]
        return _answer(request, status, words, title)
    return unforeseen(getattr(request.state, "request_id", ""), request.headers)


def install(app: FastAPI) -> None:
    @app.exception_handler(MissingSongError)
    async def missing(request: Request, error: MissingSongError) -> Response:
        return _answer(request, 404, str(error), "Not on the shelf")

    @app.exception_handler(TooLargeError)
    async def too_large(request: Request, error: TooLargeError) -> Response:
        return _answer(request, 413, str(error), "Too large")

    @app.exception_handler(TooSlowError)
    async def too_slow(request: Request, error: TooSlowError) -> Response:
        return _answer(request, 408, str(error), "Too slow")

    @app.exception_handler(NotThereError)
    async def not_there(request: Request, error: NotThereError) -> Response:
        # Of a song that is there, something else is not: its page goes on.
        return _answer(request, 422 if "song_id" in request.path_params else 404, str(error), "Not here")

    @app.exception_handler(PocketError)
    async def refused(request: Request, error: PocketError) -> Response:
        return _answer(request, 422, str(error), "That does not fit")

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> Response:
        first = error.errors()[0]
        where = " ".join(str(piece)[:60] for piece in first["loc"][1:])
        return _answer(request, 422, _plain(f"{where}: {first['msg']}. Nothing was changed."), "That does not fit")

    @app.exception_handler(SQLAlchemyError)
    @app.exception_handler(OSError)
    async def database_failed(request: Request, error: Exception) -> Response:
        return not_kept(request, error)

    @app.exception_handler(HTTPException)
    async def http(request: Request, error: HTTPException) -> Response:
        words = "There is no such page." if error.status_code == 404 else _plain(str(error.detail))
        return _answer(request, error.status_code, words, "Not here")


def _plain(words: str) -> str:
    """What can be sent: half a sign, as hostile requests hold, cannot."""
    return words.encode("utf-8", "replace").decode()[:600]
