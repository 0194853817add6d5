"""Templates, with the few helpers they share."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from starlette.requests import Request
from starlette.responses import HTMLResponse

from easy_pocket.core.sound.kit_edit import NOTE_NAMES
from easy_pocket.core.timebase import GRID_NAMES, GRID_TICKS
from easy_pocket.web.answer import to_json

FOLDER = Path(__file__).parent
STATIC = FOLDER / "static"

environment = Environment(
    loader=FileSystemLoader(FOLDER / "templates"),
    autoescape=True,
    undefined=StrictUndefined,
    auto_reload=False,
    trim_blocks=True,
    lstrip_blocks=True,
)


@lru_cache(maxsize=256)
def _version(path: str, changed_ns: int) -> str:
    return f"/static/{path}?v={changed_ns // 1_000_000:x}"


def static(path: str) -> str:
    """A static file's address, which changes with the file, so that it can be cached for ever."""
    return _version(path, (STATIC / path).stat().st_mtime_ns)


environment.policies["json.dumps_function"] = lambda content, **_: to_json(content).decode()
environment.globals["static"] = static
environment.globals["note_names"] = NOTE_NAMES
environment.globals["grid_names"] = GRID_NAMES
environment.globals["grid_ticks"] = GRID_TICKS


def render(template: str, **values: Any) -> str:
    return environment.get_template(template).render(**values)


def page(request: Request, template: str, values: dict[str, Any], status: int = 200) -> HTMLResponse:
    screen = template.removesuffix(".html").lstrip("_")
    return HTMLResponse(render(template, request=request, screen=screen, **values), status)
