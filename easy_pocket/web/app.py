"""The application: routes, guards, static files."""

from __future__ import annotations

from pathlib import Path

from fastapi import FastAPI
from starlette.middleware.gzip import GZipMiddleware

from easy_pocket.jobs.jobs import Jobs
from easy_pocket.jobs.workers import Workers
from easy_pocket.store.database import Database
from easy_pocket.web import errors
from easy_pocket.web.envelope import Envelope
from easy_pocket.web.routes import (
    audio,
    bench,
    export,
    feel,
    grooves,
    ideas,
    jobs,
    kit,
    library,
    loop_picture,
    loops,
    memory,
    operations,
    shelf,
    song,
    static,
)
from easy_pocket.web.security import Guard

SMALL_BYTES = 1_000


def make_app(database: Database, *, workers: Workers | None = None, home: Path | None = None) -> FastAPI:
    """workers: those of another app to be shared; home: the data folder, whose disk is looked at."""
    app = FastAPI(title="Easy Pocket", docs_url=None, redoc_url=None, openapi_url=None)
    app.state.database = database
    app.state.home = home or Path.cwd()
    app.state.jobs = Jobs(workers or Workers(database.url))
    app.add_middleware(GZipMiddleware, minimum_size=SMALL_BYTES, compresslevel=4)  # audio it leaves as it is
    app.add_middleware(Guard)
    app.add_middleware(Envelope)  # the last one added is the outermost
    for routes in (
        shelf,
        bench,
        feel,
        memory,
        loops,
        loop_picture,
        jobs,
        grooves,
        ideas,
        kit,
        library,
        audio,
        export,
        song,
        operations,
        static,
    ):
        app.include_router(routes.router)
    errors.install(app)
    return app
