"""What a proxy says of a request (who asks, by which scheme and host), believed only of proxies that are trusted."""

from __future__ import annotations

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Receive, Scope, Send

from easy_pocket.web.serving import Serving

TOLD_BY_PROXIES = ("x-forwarded-for", "x-forwarded-proto", "x-forwarded-host", "forwarded")


class Proxies:
    def __init__(self, app: ASGIApp, serving: Serving) -> None:
        self.app, self.serving = app, serving

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            scope["headers"] = list(scope["headers"])  # in place: what the route is must be seen further out
            client = scope.get("client")
            if client and self.serving.trusts(client[0]):
                self._believe(scope)
            headers = MutableHeaders(scope=scope)
            for name in TOLD_BY_PROXIES:  # nobody further in is to believe them
                del headers[name]
        await self.app(scope, receive, send)

    def _believe(self, scope: Scope) -> None:
        headers = Headers(scope=scope)
        # The nearest address no proxy of ours has: what stands before it anybody may have written.
        chain = [one.strip() for one in headers.get("x-forwarded-for", "").split(",") if one.strip()]
        far = next((one for one in reversed(chain) if not self.serving.trusts(one)), None)
        if far is not None:
            scope["client"] = (far[:60], 0)
        proto = headers.get("x-forwarded-proto", "").strip().lower()
        if proto in ("http", "https"):
            scope["scheme"] = proto
        host = headers.get("x-forwarded-host", "").strip()
        if host and "," not in host:
            MutableHeaders(scope=scope)["host"] = host[:200]
