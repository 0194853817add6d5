"""The application of /api/v1: its routes behind a token, its errors, its description."""

from __future__ import annotations

from fastapi import Depends, FastAPI

from easy_pocket.web.api import making, problems, songs
from easy_pocket.web.api.access import allowed

DESCRIPTION = (
    "Everything the pages do, for programs. Each request needs a token, made on the Shelf, under Programs: "
    "`Authorization: Bearer TOKEN`. Times are in ms, places in ticks (960 a quarter note), tempi in quarter notes a "
    "minute. Errors are problem details (RFC 9457)."
)


def make_api() -> FastAPI:
    api = FastAPI(
        title="Easy Pocket", version="1", description=DESCRIPTION, docs_url=None, redoc_url=None,
        dependencies=[Depends(allowed)],
    )  # fmt: skip
    api.state.streams = set()
    for routes in (songs, making):
        api.include_router(routes.router)
    problems.install(api)
    return api
