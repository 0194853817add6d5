"""The application: routes, guards, static files."""

from __future__ import annotations

from pathlib import Path

from fastapi import FastAPI
from starlette.responses import Response
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

from easy_pocket.jobs.jobs import Jobs
from easy_pocket.jobs.workers import Workers
from easy_pocket.store.database import Database
from easy_pocket.web import errors
from easy_pocket.web.envelope import Envelope
from easy_pocket.web.render import SCRIPTS, STATIC, with_versions
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
)
from easy_pocket.web.security import Guard


class LastingFiles(StaticFiles):
    """Files whose address carries their version may be kept for ever; so may what a script imports."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        response = await super().get_response(path, scope)
        if path in SCRIPTS and response.status_code == 200:
            response = Response(with_versions((STATIC / path).read_text()), media_type="text/javascript")
        lasting = scope.get("query_string") or "/vendor/" in scope["path"]
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable" if lasting else "no-cache"
        return response


def make_app(database: Database, *, workers: Workers | None = None, home: Path | None = None) -> FastAPI:
    """workers: those of another app to be shared; home: the data folder, whose disk is looked at."""
    app = FastAPI(title="Easy Pocket", docs_url=None, redoc_url=None, openapi_url=None)
    app.state.database = database
    app.state.home = home or Path.cwd()
    app.state.jobs = Jobs(workers or Workers(database.url))
    app.add_middleware(Guard)
    app.add_middleware(Envelope)  # the last one added is the outermost
    app.mount("/static", LastingFiles(directory=STATIC), name="static")
    for routes in (
        shelf,
        bench,
        feel,
        memory,
        operations,
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
    ):
        app.include_router(routes.router)
    errors.install(app)
    return app
