"""The place this process uses, and what is put there. A place that does not answer makes things slow, not wrong: what
is not found is made again."""

from __future__ import annotations

import hashlib
import hmac
import logging
import pickle
import secrets
from collections.abc import Callable
from typing import Any

from easy_pocket.store.made.places import InMemory, Place

log = logging.getLogger(__name__)
SEAL_BYTES = 32


class Made:
    """Of one process. secret: shared by all processes of a server; what was not sealed with it is not opened."""

    def __init__(self) -> None:
        self.place: Place = InMemory()
        self.secret = secrets.token_bytes(32)

    @property
    def is_shared(self) -> bool:
        """Whether other processes see what this one puts there."""
        return not isinstance(self.place, InMemory)

    def use(self, place: Place, secret: bytes) -> None:
        self.place, self.secret = place, secret

    def get(self, key: str) -> bytes | None:
        try:
            return self.place.get(key)
        except Exception:  # whatever the place is: a disk, a bucket, Redis
            log.warning("what was made could not be read", exc_info=True)
            return None

    def put(self, key: str, data: bytes) -> None:
        try:
            self.place.put(key, data)
        except Exception:
            log.warning("what was made could not be kept", exc_info=True)

    def drop(self, key: str) -> None:
        try:
            self.place.drop(key)
        except Exception:
            log.warning("what was made could not be taken out", exc_info=True)

    def once(self, key: str, make: Callable[[], bytes]) -> bytes:
        """What lies there by this key, made now if nothing does."""
        found = self.get(key)
        if found is None:
            found = make()
            self.put(key, found)
        return found

    # Values of ours, sealed: a pickle runs what it holds, so only what this server wrote itself is ever opened.
    def put_value(self, key: str, value: Any) -> None:
        packed = pickle.dumps(value, protocol=pickle.HIGHEST_PROTOCOL)
        self.put(key, self._seal(key, packed) + packed)

    def get_value(self, key: str) -> Any:
        """None when there is none, or when it is not from this server."""
        found = self.get(key)
        if found is None:
            return None
        seal, packed = found[:SEAL_BYTES], memoryview(found)[SEAL_BYTES:]  # fifty megabytes are not copied
        if not hmac.compare_digest(seal, self._seal(key, packed)):
            log.warning("something that was made elsewhere is not opened", extra={"facts": {"key": key[:80]}})
            return None
        return pickle.loads(packed)

    def _seal(self, key: str, packed: bytes | memoryview) -> bytes:
        seal = hmac.new(self.secret, key.encode() + b"\0", hashlib.sha256)
        seal.update(packed)
        return seal.digest()


made = Made()
