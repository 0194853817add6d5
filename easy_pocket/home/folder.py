"""The data folder: one running Easy Pocket in it at a time."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path
from typing import IO

from easy_pocket.home.mariadb import LaunchError


def home_folder() -> Path:
    return Path(os.environ.get("EASY_POCKET_HOME") or Path.cwd() / "var").resolve()


def claim(home: Path, address: str) -> IO[str]:
    """Hold the folder until the process ends. Raises LaunchError naming who has it."""
    try:
        home.mkdir(parents=True, exist_ok=True)
        lock = (home / "running").open("a+")
    except OSError as error:
        raise LaunchError(
            f"{home} cannot be written ({error.strerror}): set EASY_POCKET_HOME to a folder of yours."
        ) from None
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        lock.seek(0)
        where = lock.read().strip()
        raise LaunchError(
            f"Easy Pocket already runs on {home}{f', at {where}' if where else ''}: use that one, stop it, or set "
            "EASY_POCKET_HOME to another folder."
        ) from None
    lock.truncate(0)
    lock.write(address)
    lock.flush()
    return lock
