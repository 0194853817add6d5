"""Our static files, read once: each at an address that changes with what it holds, so that a browser keeps it for ever,
and compressed before anybody asks."""

from __future__ import annotations

import gzip
import hashlib
import mimetypes
from dataclasses import dataclass
from pathlib import Path

from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.responses import Response

WEB = Path(__file__).parent
VENDOR = "vendor/"
OURS = ("shared/", "screens/")  # scripts and styles lie beside what they belong to
LEFT_OUT = ("LICENSE", "VERSION", "README.md")
LASTING = "public, max-age=31536000, immutable"
TYPES = {".js": "text/javascript", ".woff2": "font/woff2", ".svg": "image/svg+xml", ".flac": "audio/flac"}
COMPRESSED = (".js", ".css", ".svg")
STYLES = "styles.css"  # all of ours in one: what screens share first, then each screen's
PLAIN_SCRIPTS = ("local_state.js", "tape_worklet.js")  # not modules of the page


@dataclass(frozen=True)
class StaticFile:
    media_type: str
    plain: bytes
    small: bytes | None  # compressed, where that helps


class StaticFiles:
    """Scripts import each other by relative addresses: all our own files have one version, so what one imports has it
    too. What comes from others has a version of its own and is not fetched anew when ours change."""

    def __init__(self) -> None:
        content = {name: path.read_bytes() for name, path in sorted(_paths().items())}
        self.vendor = _digest({name: data for name, data in content.items() if name.startswith(VENDOR)})
        ours = {name: data for name, data in content.items() if not name.startswith(VENDOR)}
        self.own = _digest({**ours, "vendor": self.vendor.encode()})
        styles = b"\n".join(content.pop(name) for name in sorted(ours, key=_style_order) if name.endswith(".css"))
        content[STYLES] = styles.replace(f"url({VENDOR}".encode(), f"url(/static/{self.vendor}/{VENDOR}".encode())
        self.files = {name: _file(name, data) for name, data in content.items()}
        scripts = [name for name in content if name.endswith(".js") and name.startswith(OURS)]
        self.modules = [self.address(name) for name in scripts if not name.endswith(PLAIN_SCRIPTS)]

    def address(self, name: str) -> str:
        return f"/static/{self.vendor if name.startswith(VENDOR) else self.own}/{name}"

    def answer(self, request: Request, version: str, name: str) -> Response:
        """Serve a file. An address of an older version gets the present file, not to be cached."""
        file = self.files.get(name)
        if file is None:
            raise HTTPException(404)
        lasts = self.address(name) == f"/static/{version}/{name}"
        headers = {"Cache-Control": LASTING if lasts else "no-cache"}
        if file.small is not None:
            headers["Vary"] = "Accept-Encoding"
            if "gzip" in Headers(scope=request.scope).get("accept-encoding", ""):
                headers["Content-Encoding"] = "gzip"
                return Response(file.small, media_type=file.media_type, headers=headers)
        return Response(file.plain, media_type=file.media_type, headers=headers)


def _paths() -> dict[str, Path]:
    """By the name in the address: what lies in `static`, and scripts and styles beside the screens they belong to."""
    fixed = {path.relative_to(WEB / "static").as_posix(): path for path in (WEB / "static").rglob("*")}
    ours = {path.relative_to(WEB).as_posix(): path for folder in OURS for path in (WEB / folder).rglob("*.[jc]s*")}
    return {name: path for name, path in {**fixed, **ours}.items() if path.is_file() and path.name not in LEFT_OUT}


def _style_order(name: str) -> tuple[bool, bool, bool, bool, str]:
    """What others build on comes before them: colours, the page, what is shared; what changes all of it comes last."""
    last = name.endswith("/other_eyes.css")
    return last, name.startswith("screens/"), "/tokens" not in name, "/base" not in name, name


def _digest(content: dict[str, bytes]) -> str:
    found = hashlib.sha256()
    for name in sorted(content):
        found.update(f"{name} {len(content[name])} ".encode() + content[name])
    return found.hexdigest()[:12]


def _file(name: str, data: bytes) -> StaticFile:
    ending = Path(name).suffix
    media_type = TYPES.get(ending) or mimetypes.guess_type(name)[0] or "application/octet-stream"
    return StaticFile(media_type, data, gzip.compress(data, 9, mtime=0) if ending in COMPRESSED else None)


STATIC = StaticFiles()
