"""Work in progress: how far it is, and stopping it."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.jobs.jobs import MOST_WAITING, Jobs
from easy_pocket.jobs.workers import Workers
from easy_pocket.store.people.quotas import most_jobs
from easy_pocket.web.shared.dependencies import database_of, download, viewer_of
from easy_pocket.web.shared.json_response import JsonResponse

router = APIRouter()
Key = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]


def jobs(request: Request) -> Jobs:
    found: Jobs = request.app.state.jobs
    return found


def workers(request: Request) -> Workers:
    return jobs(request).workers


def begin(request: Request, kind: str, arguments: tuple[Any, ...], asked: dict[str, Any] | None = None) -> str:
    """Long work for who asks; the job's id."""
    database, viewer = database_of(request), viewer_of(request)
    most = most_jobs(database.reader, viewer.person) if viewer is not None else MOST_WAITING
    return jobs(request).start(kind, arguments, asked, database=database, most_of_one=most)


@router.get("/jobs/{key}")
def progress(request: Request, key: Key) -> Response:
    return JsonResponse(jobs(request).find(key).doc)


@router.get("/jobs/{key}/file")
def fetch(request: Request, key: Key) -> Response:
    """What a job wrote, once."""
    file = jobs(request).fetch(key)
    return download(file.data, file.title, file.label, file.media_type)


@router.post("/jobs/{key}/stop")
def stop(request: Request, key: Key) -> Response:
    """Stop a job at once; nothing is changed by it."""
    return JsonResponse(jobs(request).stop(key).doc)
