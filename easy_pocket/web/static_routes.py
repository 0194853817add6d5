"""Scripts, styles, fonts and pictures of the pages."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.web.static_files import STATIC

router = APIRouter()


@router.get("/static/{version}/{name:path}")
async def file(request: Request, version: Annotated[str, Path(max_length=20)], name: str) -> Response:
    return STATIC.answer(request, version, name)
