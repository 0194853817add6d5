"""Where the program serves: under which names, behind which proxies, and who may come without an account."""

from __future__ import annotations

import ipaddress
import os
from dataclasses import dataclass, field
from urllib.parse import urlsplit

from easy_pocket.core.errors import PocketError

LOCAL_HOSTS = frozenset({"127.0.0.1", "localhost", "testserver"})
ANY = frozenset({"0.0.0.0", "::", ""})
PUBLIC_URL, TRUSTED_PROXIES, OPEN = "EASY_POCKET_PUBLIC_URL", "EASY_POCKET_TRUSTED_PROXIES", "EASY_POCKET_OPEN"
Network = ipaddress.IPv4Network | ipaddress.IPv6Network


class ServingError(PocketError):
    """Settings that cannot be served by, in words."""


@dataclass(frozen=True)
class Serving:
    """hosts: names it answers to. public_url: the address people type, "" on this machine only. proxies: who may say
    in a header where a request comes from. local_key: what another user of this machine must know while there are no
    accounts; "": everybody on it may come."""

    hosts: frozenset[str] = LOCAL_HOSTS
    public_url: str = ""
    proxies: tuple[Network, ...] = field(default_factory=tuple)
    local_key: str = ""

    @property
    def elsewhere(self) -> bool:
        return bool(self.public_url)

    @property
    def secure(self) -> bool:
        return self.public_url.startswith("https://")

    def trusts(self, address: str) -> bool:
        try:
            there = ipaddress.ip_address(address)
        except ValueError:
            return False
        return any(there in network for network in self.proxies)


def serving(host: str, port: int, local_key: str = "") -> Serving:
    """As the settings say. Raises ServingError for what cannot be."""
    public = os.environ.get(PUBLIC_URL, "").strip().rstrip("/")
    proxies = _networks(os.environ.get(TRUSTED_PROXIES, ""))
    key = "" if os.environ.get(OPEN) == "1" else local_key
    if not public and host in LOCAL_HOSTS:
        return Serving(proxies=proxies, local_key=key)
    if not public and host in ANY:
        raise ServingError(
            f"--host {host} listens on every address: set {PUBLIC_URL} to the one people type, as in "
            f"{PUBLIC_URL}=https://drums.example.org."
        )
    public = public or f"http://{host}:{port}"
    split = urlsplit(public)
    if split.scheme not in ("http", "https") or not split.hostname or split.path or split.query:
        raise ServingError(f"{PUBLIC_URL} is '{public}': it must be an address like https://drums.example.org.")
    return Serving(LOCAL_HOSTS | {split.hostname}, public, proxies)


def _networks(text: str) -> tuple[Network, ...]:
    found: list[Network] = []
    for one in filter(None, (piece.strip() for piece in text.split(","))):
        try:
            found.append(ipaddress.ip_network(one, strict=False))
        except ValueError:
            words = f"{TRUSTED_PROXIES} holds '{one}': give addresses or networks, as in 127.0.0.1,10.0.0.0/8."
            raise ServingError(words) from None
    return tuple(found)
