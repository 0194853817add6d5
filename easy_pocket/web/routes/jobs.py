"""Work in progress: how far it is, and stopping it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.web.answer import Answer
from easy_pocket.web.jobs import Jobs

router = APIRouter()
Key = Annotated[str, Path(pattern=r"^[0-9a-f]{32}$")]


def jobs(request: Request) -> Jobs:
    found: Jobs = request.app.state.jobs
    return found


@router.get("/jobs/{key}")
def progress(request: Request, key: Key) -> Response:
    return Answer(jobs(request).find(key).doc)


@router.post("/jobs/{key}/stop")
def stop(request: Request, key: Key) -> Response:
    """It ends at its next step; what it would have changed is left as it is."""
    job = jobs(request).find(key)
    job.stop.set()
    return Answer(job.doc)
