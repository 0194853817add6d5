"""Templates, with the few helpers they share."""

from __future__ import annotations

import re
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


SCRIPTS = tuple(sorted(path.name for path in STATIC.glob("*.js")))
PLAIN_SCRIPTS = ("popovers.js", "tape_worklet.js")  # not modules of the page


@lru_cache(maxsize=256)
def _version(path: str, changed_ns: int) -> str:
    return f"/static/{path}?v={changed_ns // 1_000_000:x}"


def static(path: str) -> str:
    """A static file's address, which changes with the file, so that it can be cached for ever. Our scripts import each
    other: they all change together."""
    files = SCRIPTS if path in SCRIPTS else (path,)
    return _version(path, max((STATIC / file).stat().st_mtime_ns for file in files))


def modules() -> list[str]:
    """Addresses of all modules, for the page to fetch at once and not one after another."""
    return [static(name) for name in SCRIPTS if name not in PLAIN_SCRIPTS]


def with_versions(script: str) -> str:
    """A module's text in which what it imports has its versioned address."""
    return re.sub(r'from "\./([a-z_]+\.js)"', lambda found: f'from "{static(found[1])}"', script)


environment.policies["json.dumps_function"] = lambda content, **_: to_json(content).decode()
environment.globals["static"] = static
environment.globals["modules"] = modules
environment.globals["note_names"] = NOTE_NAMES
environment.globals["grid_names"] = GRID_NAMES
environment.globals["grid_ticks"] = GRID_TICKS


def render(template: str, **values: Any) -> str:
    return environment.get_template(template).render(**values)


def page(request: Request, template: str, values: dict[str, Any], status: int = 200) -> HTMLResponse:
    screen = template.removesuffix(".html").lstrip("_")
    return HTMLResponse(render(template, request=request, screen=screen, **values), status)
