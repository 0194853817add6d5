"""For whoever runs it: is it alive, and is it ready to work?"""

from __future__ import annotations

import shutil
import time
from pathlib import Path

from fastapi import APIRouter
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.caches import cache_sizes
from easy_pocket.store.database import Database
from easy_pocket.store.failures import failure_of
from easy_pocket.store.schema.revisions import head_revision, present_revision
from easy_pocket.store.upkeep import sizes
from easy_pocket.web.shared.dependencies import ServerOwner, Store
from easy_pocket.web.shared.job_routes import jobs
from easy_pocket.web.shared.json_response import JsonResponse

router = APIRouter()
LEAST_FREE_MB = 200  # below this a long loop may not be kept any more


@router.get("/health")
async def health() -> Response:
    """The program runs and answers; nothing else is asked."""
    return JsonResponse({"alive": True})


@router.get("/ready", dependencies=[ServerOwner])
def ready(request: Request, store: Store) -> Response:
    """Whether songs can be read and kept: 200 when all is well, 503 with what is not."""
    checks = {
        "database": _database(store),
        "migrations": _migrations(store),
        "disk": _disk(request.app.state.home),
        "jobs": _jobs(request),
    }
    well = all(check["ok"] for check in checks.values())
    told = {"ready": well, "checks": checks, "kept": _kept(store), "caches": cache_sizes()}
    return JsonResponse(told, 200 if well else 503)


def _kept(store: Database) -> dict[str, float]:
    """How much is kept, in MB."""
    try:
        found = sizes(store.reader)
    except SQLAlchemyError:
        return {}
    return {name: round(getattr(found, name) / 1e6, 1) for name in ("songs", "audio", "history")}


def _database(store: Database) -> dict[str, object]:
    began = time.perf_counter()
    try:
        store.reader.scalar(text("SELECT 1"))
    except SQLAlchemyError as error:
        return {"ok": False, "words": f"The database does not answer: {failure_of(error).value}."}
    return {"ok": True, "ms": round((time.perf_counter() - began) * 1000, 1)}


def _migrations(store: Database) -> dict[str, object]:
    wanted = head_revision()
    try:
        at = present_revision(store.engine)
    except SQLAlchemyError:
        return {"ok": False, "wanted": wanted, "words": "The database does not answer."}
    if at == wanted:
        return {"ok": True, "at": at}
    words = "The database is of another version than the program: start the program anew."
    return {"ok": False, "at": at, "wanted": wanted, "words": words}


def _disk(home: Path) -> dict[str, object]:
    try:
        free_mb = shutil.disk_usage(home).free // 1_000_000
    except OSError as error:
        return {"ok": False, "words": f"The data folder cannot be seen: {error.strerror}."}
    well = free_mb >= LEAST_FREE_MB
    words = {} if well else {"words": f"Only {free_mb} MB are free: {LEAST_FREE_MB} MB are needed."}
    return {"ok": well, "free_mb": free_mb, **words}


def _jobs(request: Request) -> dict[str, object]:
    return {"ok": True, **jobs(request).counts()}
