"""Templates, with the few helpers they share."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined
from starlette.requests import Request
from starlette.responses import HTMLResponse

from easy_pocket.core.feel.template import LANES
from easy_pocket.core.formats.registry import endings_read, written
from easy_pocket.core.pattern.articulation import SPACINGS
from easy_pocket.core.pattern.shapes import FIGURES, SHAPES
from easy_pocket.core.pattern.timebase import GRID_NAMES, GRID_TICKS, OFFERED_METRES
from easy_pocket.core.sound.kit_edit import NOTE_NAMES
from easy_pocket.core.text import initials
from easy_pocket.web.shared.export_address import export_address
from easy_pocket.web.shared.json_response import to_json
from easy_pocket.web.shared.screen import SCREENS, in_order
from easy_pocket.web.static_files import STATIC

WEB = Path(__file__).parent.parent
FOLDERS = [Path(__file__).parent / "templates", WEB / "screens", WEB / "people" / "templates"]


# What the core lists and pages offer, written once.
LISTS: dict[str, tuple[str, ...]] = {
    "shapes": SHAPES,
    "figures": FIGURES,
    "spacings": SPACINGS,
    "lanes": LANES,
    "metres": OFFERED_METRES,
}


# The how-to pages by name, as they are called where one chooses among them.
HELP_PAGES = (
    ("shelf", "Shelf"), ("bench", "Bench"), ("feel", "Feel"), ("loops", "Loops"), ("grooves", "Grooves"),
    ("ideas", "Ideas"), ("song", "Song"), ("kit", "Kit"), ("people", "People"), ("glossary", "Words"),
    ("formats", "Files"), ("command-line", "Command line"),
)  # fmt: skip


def screen_scripts() -> list[dict[str, str]]:
    """The scripts of a song's screens: each exports one class. A screen may do without one."""
    scripts = [(one, f"screens/{one.name}/{one.name}.js") for one in in_order() if one.state is not None]
    return [
        {"name": one.name, "title": one.title, "script": STATIC.address(script)}
        for one, script in scripts
        if script in STATIC.files
    ]


environment = Environment(
    loader=FileSystemLoader(FOLDERS),
    autoescape=True,
    undefined=StrictUndefined,
    auto_reload=False,
    trim_blocks=True,
    lstrip_blocks=True,
)


environment.policies["json.dumps_function"] = lambda content, **_: to_json(content).decode()
environment.globals["static"] = STATIC.address
environment.globals["modules"] = STATIC.modules
environment.globals["screens"] = in_order
environment.globals["help_pages"] = lambda: HELP_PAGES
environment.globals["screen_title"] = lambda name: SCREENS[name].title
environment.globals["screen_scripts"] = screen_scripts
environment.globals["note_names"] = NOTE_NAMES
environment.globals["lists"] = LISTS
environment.globals["grid_names"] = GRID_NAMES
environment.globals["grid_ticks"] = GRID_TICKS
environment.globals["formats_written"] = written
environment.globals["endings_read"] = endings_read
environment.globals["initials"] = initials
environment.globals["export_address"] = export_address


def render(template: str, **values: Any) -> str:
    return environment.get_template(template).render(**values)


def page(request: Request, template: str, values: Mapping[str, object], status: int = 200) -> HTMLResponse:
    screen = template.partition("/")[0].removesuffix(".html")
    viewer = request.scope.get("state", {}).get("viewer")
    known = viewer if viewer is not None and viewer.person else None
    return HTMLResponse(render(template, **{"request": request, "screen": screen, "viewer": known, **values}), status)
