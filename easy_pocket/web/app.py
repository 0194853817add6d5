"""The application: routes, guards, static files."""

from __future__ import annotations

from pathlib import Path

from fastapi import FastAPI
from starlette.middleware.gzip import GZipMiddleware

from easy_pocket.home.folder import home_folder
from easy_pocket.jobs.jobs import Jobs
from easy_pocket.jobs.queue import queue_url, sender
from easy_pocket.jobs.workers import Workers
from easy_pocket.store.database import Database
from easy_pocket.web import errors, operations, screens, static_routes  # noqa: F401 - screens register themselves
from easy_pocket.web.api import pages as api_pages
from easy_pocket.web.api.app import make_api
from easy_pocket.web.envelope import Envelope
from easy_pocket.web.help import routes as help_routes
from easy_pocket.web.people import comment_routes, listen_routes, owner_routes, passkey_routes, share_routes
from easy_pocket.web.people import routes as people_routes
from easy_pocket.web.people.door import Accounts, Door
from easy_pocket.web.proxies import Proxies
from easy_pocket.web.security import Guard
from easy_pocket.web.serving import Serving
from easy_pocket.web.shared import audio_routes, export_routes, job_routes, key_table, live_routes
from easy_pocket.web.shared.screen import in_order
from easy_pocket.web.shared.song_watch import SongWatch

SMALL_BYTES = 1_000


def make_app(
    database: Database, *, workers: Workers | None = None, home: Path | None = None, serving: Serving | None = None
) -> FastAPI:
    """workers: those of another app to be shared; home: the data folder, whose disk is looked at."""
    app = FastAPI(title="Easy Pocket", docs_url=None, redoc_url=None, openapi_url=None)
    app.state.database = database
    app.state.home = home or home_folder()
    app.state.restart = None  # given by who can start the program anew
    app.state.watch = SongWatch(database)
    app.state.serving = serving = serving or Serving()
    app.state.accounts = Accounts(database)
    queue = queue_url()
    app.state.jobs = Jobs(workers or Workers(database.url), database, sender(queue) if queue else None)
    app.add_middleware(GZipMiddleware, minimum_size=SMALL_BYTES, compresslevel=4)  # audio it leaves as it is
    app.add_middleware(Door, database=database, accounts=app.state.accounts, serving=serving)
    app.add_middleware(Guard, hosts=serving.hosts)
    app.add_middleware(Proxies, serving=serving)
    app.add_middleware(Envelope)  # the last one added is the outermost
    for router in (
        *(router for screen in in_order() for router in screen.routers),
        *(
            routes.router
            for routes in (
                help_routes,
                job_routes,
                audio_routes,
                export_routes,
                key_table,
                live_routes,
                operations,
                static_routes,
                api_pages,
                people_routes,
                passkey_routes,
                owner_routes,
                share_routes,
                listen_routes,
                comment_routes,
            )
        ),
    ):
        app.include_router(router)
    errors.install(app)
    api = make_api()
    for name in ("database", "home", "jobs", "watch", "serving", "accounts"):
        setattr(api.state, name, getattr(app.state, name))
    app.mount("/api/v1", api)
    return app
