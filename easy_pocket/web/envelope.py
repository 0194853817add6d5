"""Around everything: every request has an id and a line in the log, every answer our headers, and an error nobody
foresaw is answered in our words."""

from __future__ import annotations

import logging
import time
import uuid

from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import ClientDisconnect
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from easy_pocket.web.security import HEADERS
from easy_pocket.web.unforeseen import unforeseen

log = logging.getLogger("easy_pocket.requests")
GONE = 499  # the one who asked went away
ID_HEADER = "X-Request-Id"


class Envelope:
    """The outermost middleware."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request_id = uuid.uuid4().hex[:12]
        state = scope.setdefault("state", {})
        state["request_id"] = request_id
        began = time.perf_counter()
        status = 0

        async def send_with_headers(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                answer = MutableHeaders(scope=message)
                answer[ID_HEADER] = request_id
                for name, value in HEADERS.items():
                    answer.setdefault(name, value)
                answer.setdefault("Cache-Control", "no-store")
            await send(message)

        failed: BaseException | None = None
        try:
            await self.app(scope, receive, send_with_headers)
        except ClientDisconnect:
            status = status or GONE
        except Exception as error:
            failed = error
            if status == 0:
                await unforeseen(request_id, Headers(scope=scope))(scope, receive, send_with_headers)
        finally:
            _write(scope, status, (time.perf_counter() - began) * 1000, failed)


def _write(scope: Scope, status: int, took_ms: float, failed: BaseException | None) -> None:
    """The line of a request: which, what it was about, how it ended, how long it took."""
    state = scope.get("state", {})
    route = scope.get("route")
    facts: dict[str, object] = {
        "request": state.get("request_id"),
        "method": scope["method"],
        "route": getattr(route, "path", "none"),
        "status": status,
        "ms": round(took_ms, 1),
    }
    song = scope.get("path_params", {}).get("song_id")
    if song is not None:
        facts["song"] = str(song)[:20]
    facts |= state.get("about", {})
    error = failed or state.get("error")  # the second one was answered by a handler
    if status >= 500 or failed is not None:
        log.error("failed", extra={"facts": facts}, exc_info=error)
    else:
        log.info("answered", extra={"facts": facts})
