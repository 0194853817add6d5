"""Where it lies: in memory, in a folder or a bucket, or in Redis. All are bounded."""

from __future__ import annotations

import hashlib
import logging
import os
import secrets
from collections.abc import Iterable
from pathlib import Path
from typing import Any, Protocol
from urllib.parse import urlsplit

import fsspec

from easy_pocket.caches import ByteCache

log = logging.getLogger(__name__)
SETTING, MB_SETTING = "EASY_POCKET_MADE_URL", "EASY_POCKET_MADE_MB"
MEMORY_BYTES = 256 << 20
DEFAULT_MB = 2000
CLEANED_AFTER = 0.125  # of its bound being put there by this process, besides once an hour
DAYS = 7  # Redis forgets it after that


class Place(Protocol):
    def get(self, key: str) -> bytes | None: ...

    def put(self, key: str, data: bytes) -> None: ...

    def drop(self, key: str) -> None: ...

    def clean(self) -> int:
        """Take out the oldest until it is within its bound; how many they were."""
        ...


class InMemory:
    """Of one process: for tests, and for commands."""

    def __init__(self, most_bytes: int = MEMORY_BYTES) -> None:
        self._held: ByteCache[bytes] = ByteCache("made once", most_bytes)

    def get(self, key: str) -> bytes | None:
        return self._held.find(key) or None

    def put(self, key: str, data: bytes) -> None:
        self._held.put(key, data)

    def drop(self, key: str) -> None:
        self._held.put(key, b"")

    def clean(self) -> int:
        return 0


class InFolder:
    """A folder of this machine, or whatever else fsspec knows by an address, such as s3://bucket/folder."""

    def __init__(self, address: str, most_bytes: int) -> None:
        self._files, self._root = fsspec.core.url_to_fs(address)
        self._most_bytes, self._put_bytes = most_bytes, 0
        self._is_local = "file" in _protocols(self._files)
        if self._is_local:
            self._files.makedirs(self._root, exist_ok=True)

    def _path(self, key: str) -> str:
        name = hashlib.sha256(key.encode()).hexdigest()
        return f"{self._root}/{name[:2]}/{name[2:]}"

    def get(self, key: str) -> bytes | None:
        try:
            if self._is_local:
                return Path(self._path(key)).read_bytes() or None
            found: bytes = self._files.cat_file(self._path(key))
            return found or None
        except FileNotFoundError:
            return None

    def put(self, key: str, data: bytes) -> None:
        """Whole, or not at all: who reads at the same time sees what was there before."""
        path = self._path(key)
        if self._is_local:
            target = Path(path)
            target.parent.mkdir(exist_ok=True)
            beside = target.with_name(f"{target.name}.{secrets.token_hex(6)}")
            beside.write_bytes(data)
            beside.replace(target)
        else:
            self._files.pipe_file(path, data)
        self._put_bytes += len(data)
        if self._put_bytes > self._most_bytes * CLEANED_AFTER:
            self.clean()

    def drop(self, key: str) -> None:
        try:
            self._files.rm_file(self._path(key))
        except FileNotFoundError:
            return

    def clean(self) -> int:
        self._put_bytes = 0
        found = [one for one in self._files.find(self._root, detail=True).values() if one["type"] == "file"]
        found.sort(key=lambda one: _age_key(one))
        over, gone = sum(one["size"] for one in found) - self._most_bytes, 0
        for one in found:
            if over <= 0:
                break
            try:
                self._files.rm_file(one["name"])
            except FileNotFoundError:
                continue
            over, gone = over - one["size"], gone + 1
        return gone


def _protocols(files: Any) -> Iterable[str]:
    return (files.protocol,) if isinstance(files.protocol, str) else files.protocol


def _age_key(one: dict[str, Any]) -> float:
    told = one.get("mtime") or one.get("LastModified") or one.get("created") or 0
    return float(told.timestamp() if hasattr(told, "timestamp") else told)


class InRedis:
    """Each thing for some days; Redis' own maxmemory bounds the whole."""

    def __init__(self, address: str) -> None:
        import redis  # only where it is asked for

        self._redis = redis.Redis.from_url(address, socket_timeout=5, socket_connect_timeout=3, retry_on_timeout=True)

    def get(self, key: str) -> bytes | None:
        found: Any = self._redis.get(f"made:{key}")
        return found or None

    def put(self, key: str, data: bytes) -> None:
        self._redis.set(f"made:{key}", data, ex=DAYS * 86_400)

    def drop(self, key: str) -> None:
        self._redis.delete(f"made:{key}")

    def clean(self) -> int:
        return 0


def place_at(address: str, most_mb: int = DEFAULT_MB) -> Place:
    """A path, or an address: redis://..., s3://..., or any other that fsspec knows."""
    if urlsplit(address).scheme in ("redis", "rediss", "unix"):
        return InRedis(address)
    return InFolder(address, most_mb * 1_000_000)


def made_place(home: Path) -> Place:
    """As the settings say; a folder of the data folder without any."""
    most = os.environ.get(MB_SETTING, "")
    return place_at(os.environ.get(SETTING) or str(home / "made"), int(most) if most.isdigit() else DEFAULT_MB)
