"""What the page of one's account shows."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

from starlette.requests import Request

from easy_pocket.store.database import Reader
from easy_pocket.store.people.accounts import people
from easy_pocket.store.people.passkeys import Site, passkeys
from easy_pocket.store.people.quotas import used_and_allowed
from easy_pocket.store.people.sign_ins import devices
from easy_pocket.web.people.door import cookie_name, cookie_of
from easy_pocket.web.serving import Serving
from easy_pocket.web.shared.dependencies import signed_in

BROWSERS = ("Firefox", "Edg", "OPR", "Chrome", "Safari")
SYSTEMS = ("Windows", "Android", "iPhone", "iPad", "Mac OS", "Linux")


def device_name(request: Request) -> str:
    """A browser, as its user knows it."""
    told = request.headers.get("user-agent", "")[:400]
    browser = next((name for name in BROWSERS if name in told), "a browser")
    system = next((name for name in SYSTEMS if name in told), "")
    named = {"Edg": "Edge", "OPR": "Opera", "Mac OS": "macOS"}
    words = [named.get(browser, browser), *([f"on {named.get(system, system)}"] if system else [])]
    return " ".join(words)


def invitation_address(request: Request, secret: str) -> str:
    return f"{own_address(request)}/invitation/{secret}"


def own_address(request: Request) -> str:
    """Of this server, as others type it."""
    serving: Serving = request.app.state.serving
    return serving.public_url or re.sub(r"/$", "", str(request.base_url))


def passkey_site(request: Request) -> Site | None:
    """What passkeys of this server are bound to. None where browsers make none: by an address of numbers, or without
    https but on this machine."""
    split = urlsplit(own_address(request))
    name = split.hostname or ""
    numbers = re.fullmatch(r"[0-9.]+|.*:.*", name) is not None
    if numbers or (split.scheme != "https" and name != "localhost"):
        return None
    return Site(name, f"{split.scheme}://{split.netloc}")


def account_values(request: Request, reader: Reader) -> dict[str, object]:
    viewer = signed_in(request)
    secret = cookie_of(request.headers, cookie_name(request.app.state.serving)) or ""
    owner = viewer.role == "owner"
    return {
        "viewer": viewer,
        "passkeys": passkeys(reader, viewer.person),
        "passkeys_work": passkey_site(request) is not None,
        "devices": devices(reader, viewer.person, secret),
        "usage": used_and_allowed(reader, viewer.person),
        "people": [(one, used_and_allowed(reader, one.id)) for one in people(reader)] if owner else [],
        "error": "",
        "invite_error": "",
        "invited": None,
    }
