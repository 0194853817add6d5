"""Secrets that let somebody in: told once, kept as a digest."""

from __future__ import annotations

import hashlib
import secrets

LONGEST = 200


def new_secret() -> str:
    return secrets.token_urlsafe(32)


def digest(secret: str) -> str:
    return hashlib.sha256(secret[:LONGEST].encode()).hexdigest()
