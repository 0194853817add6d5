"""How-to pages: a page, and a search in all of them."""

from __future__ import annotations

from functools import cache
from typing import Annotated

from fastapi import APIRouter, Path, Query
from starlette.requests import Request
from starlette.responses import FileResponse, HTMLResponse, Response

from easy_pocket.web.help.pages import DOCS, HelpPage, read_pages, search
from easy_pocket.web.shared.render import render

router = APIRouter()
PageName = Annotated[str, Path(pattern=r"^[a-z-]{1,30}$")]
PictureName = Annotated[str, Path(pattern=r"^[a-z0-9-]{1,60}\.(png|svg)$")]
Words = Annotated[str, Query(max_length=80)]


@cache
def pages() -> dict[str, HelpPage]:
    return read_pages()


@cache
def pictures() -> dict[str, str]:
    """Where each picture of the pages lies, by its name: no name that was asked for becomes a path."""
    return {one.name: str(one) for one in (DOCS / "screenshots").glob("*.png")}


@router.get("/help/search")
def find(words: Words = "", first: Words = "") -> Response:
    return HTMLResponse(render("_help_found.html", words=words, found=search(pages(), words, first), pages=pages()))


@router.get("/help/pictures/{name}")
def picture(name: PictureName) -> Response:
    if name not in pictures():
        return Response("There is no such picture.", 404)
    return FileResponse(pictures()[name], headers={"Cache-Control": "max-age=3600"})


@router.get("/help/{name}")
def show(request: Request, name: PageName) -> Response:
    page = pages().get(name) or pages().get("bench")
    if page is None:
        return HTMLResponse("<p>The how-to pages are not there: the folder docs/ was left out.</p>")
    return HTMLResponse(render("_help_page.html", page=page))
