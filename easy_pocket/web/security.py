"""What every request must satisfy (host, same origin, a bounded body that comes in time), and the policy headers."""

from __future__ import annotations

import asyncio
from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from easy_pocket.web.serving import LOCAL_HOSTS

POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "font-src 'self'",
        "img-src 'self' data:",
        "connect-src 'self'",
        "media-src 'self'",
        "form-action 'self'",
        "base-uri 'none'",
        "frame-ancestors 'none'",
    )
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}
SAFE_METHODS = {"GET", "HEAD", "OPTIONS"}
MAX_BODY_BYTES = 1_000_000
MAX_UPLOAD_BYTES = 60_000_000
MAX_SONG_FILE_BYTES = 300_000_000  # with all its audio
SONG_FILES = "/songs/from-song/upload"
BACKUPS = "/backups/upload"
MAX_BACKUP_BYTES = 8_000_000_000
BACKUP_S = 3600.0
API = "/api/v1/"
API_UPLOADS = (f"{API}listen", f"{API}beats/from-midi")
BODY_S = 30.0  # for a request to come in whole
UPLOAD_S = 300.0


def same_origin(headers: Headers, scheme: str = "http") -> bool:
    """Whether a request that changes something comes from one of our own pages.

    A browser says so in Origin (or Sec-Fetch-Site); what says neither is no page of ours.
    """
    origin = headers.get("origin")
    if origin is not None:
        try:
            split = urlsplit(origin)
            return (split.scheme, split.netloc) == (scheme, headers.get("host", ""))
        except ValueError:  # no address at all
            return False
    return headers.get("sec-fetch-site") == "same-origin"


class Guard:
    """Middleware that refuses what is not for us, and reads bodies within their bounds."""

    def __init__(self, app: ASGIApp, hosts: frozenset[str] = LOCAL_HOSTS) -> None:
        self.app, self.hosts = app, hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        refusal = _refusal(scope, Headers(scope=scope), self.hosts)
        if refusal is not None:
            status, words = refusal
            await JSONResponse({"error": words}, status)(scope, receive, send)
        elif scope["method"] in SAFE_METHODS or is_upload(scope["path"]):
            await self.app(scope, receive, send)  # uploads count their own bytes
        else:
            await self._bounded(scope, receive, send)

    async def _bounded(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Read a body of at most MAX_BODY_BYTES, in BODY_S at most, before anything else does."""
        pieces: list[bytes] = []
        count, more = 0, True
        try:
            async with asyncio.timeout(BODY_S):
                while more:
                    message = await receive()
                    if message["type"] == "http.disconnect":
                        return
                    pieces.append(message.get("body", b""))
                    count += len(pieces[-1])
                    more = message.get("more_body", False)
                    if count > MAX_BODY_BYTES:
                        words = f"The request is larger than {MAX_BODY_BYTES // 1_000_000} MB; nothing was changed."
                        await JSONResponse({"error": words}, 413)(scope, receive, send)
                        return
        except TimeoutError:
            await JSONResponse({"error": too_slow(BODY_S)}, 408)(scope, receive, send)
            return
        body, sent = b"".join(pieces), False

        async def replay() -> Message:
            nonlocal sent
            if not sent:
                sent = True
                return {"type": "http.request", "body": body, "more_body": False}
            return await receive()

        await self.app(scope, replay, send)


def is_upload(path: str) -> bool:
    """Whether a body may be a whole file: it is counted where it is read."""
    return path.endswith("/upload") or path in API_UPLOADS


def too_slow(limit_s: float) -> str:
    return f"The request did not come whole within {limit_s:.0f} seconds; nothing was changed. Send it again."


def _refusal(scope: Scope, headers: Headers, hosts: frozenset[str]) -> tuple[int, str] | None:
    method, path = scope["method"], scope["path"]
    host = headers.get("host", "").rsplit(":", 1)[0]
    if host not in hosts:
        names = " and ".join(sorted(hosts - {"testserver"}))
        return 421, f"Easy Pocket answers on {names} only."
    # A program has no origin; its token, which no page of another can send, is asked for by each route.
    by_token = path.startswith(API) and headers.get("authorization", "").lower().startswith("bearer ")
    if method not in SAFE_METHODS and not by_token and not same_origin(headers, scope.get("scheme", "http")):
        return 403, "This request does not come from an Easy Pocket page; nothing was changed."
    declared = headers.get("content-length", "0")
    most = {SONG_FILES: MAX_SONG_FILE_BYTES, BACKUPS: MAX_BACKUP_BYTES}.get(path, MAX_UPLOAD_BYTES)
    if is_upload(path) and declared.isascii() and declared.isdigit() and int(declared) > most:
        return 413, too_large(int(declared), most)
    return None


def too_large(found_bytes: int, most: int = MAX_UPLOAD_BYTES) -> str:
    if most == MAX_SONG_FILE_BYTES:
        return (
            f"The song file has {found_bytes / 1e6:.0f} MB or more; at most {most // 1_000_000} MB can be opened here: "
            "open it with 'easy-pocket unpack', or leave loops out where it came from."
        )
    return (
        f"The file has {found_bytes / 1e6:.0f} MB or more; at most {MAX_UPLOAD_BYTES // 1_000_000} MB can be brought "
        "in: cut out the bars you want, or save it as FLAC."
    )
