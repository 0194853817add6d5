"""Work in progress: how far it is, and stopping it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.errors import PocketError
from easy_pocket.jobs.jobs import Jobs
from easy_pocket.jobs.workers import Workers
from easy_pocket.web.shared.dependencies import download
from easy_pocket.web.shared.json_response import JsonResponse

router = APIRouter()
Key = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]


def jobs(request: Request) -> Jobs:
    found: Jobs = request.app.state.jobs
    return found


def workers(request: Request) -> Workers:
    return jobs(request).workers


@router.get("/jobs/{key}")
def progress(request: Request, key: Key) -> Response:
    return JsonResponse(jobs(request).find(key).doc)


@router.get("/jobs/{key}/file")
def fetch(request: Request, key: Key) -> Response:
    """What a job wrote, once."""
    job = jobs(request).find(key)
    file, job.file = job.file, None
    if file is None:
        raise PocketError("This file was fetched already, or made room for newer ones: export it again.")
    return download(file.data, file.title, file.label, file.media_type)


@router.post("/jobs/{key}/stop")
def stop(request: Request, key: Key) -> Response:
    """Stop a job at once; nothing is changed by it."""
    job = jobs(request).find(key)
    job.stop()
    return JsonResponse(job.doc)
