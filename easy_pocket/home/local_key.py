"""The key to a program that serves one user of a machine: made once, readable by that user only."""

from __future__ import annotations

import os
import secrets
from pathlib import Path


def local_key(home: Path) -> str:
    """Stays the same from start to start, so that a cookie or a bookmark goes on working."""
    home.mkdir(parents=True, exist_ok=True)
    file = home / "key"
    try:
        kept = file.read_text().strip()
    except FileNotFoundError:
        kept = ""
    if len(kept) < 20:
        kept = secrets.token_urlsafe(24)
        with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as opened:
            opened.write(kept)
    return kept
