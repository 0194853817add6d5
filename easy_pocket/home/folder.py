"""The data folder: one running Easy Pocket in it at a time."""

from __future__ import annotations

import errno
import fcntl
import logging
import os
import shutil
from pathlib import Path
from typing import IO

log = logging.getLogger(__name__)

LEAST_FREE_MB = 60  # to start with what is there
LEAST_FREE_FIRST_MB = 500  # to make a database: its own files take 300 MB
WHY = {
    errno.ENOSPC: "the disk is full: free some space",
    errno.EDQUOT: "your share of the disk is used up: free some space",
    errno.EROFS: "it lies on a disk that can only be read: make that writable",
    errno.EACCES: "it is not yours to write",
    errno.EPERM: "it is not yours to write",
    errno.ENOTDIR: "a file is in its way",
}


class LaunchError(Exception):
    """Why it could not start, and what to do; shown as it is."""


def home_folder() -> Path:
    return Path(os.environ.get("EASY_POCKET_HOME") or Path.cwd() / "var").resolve()


def unwritable(home: Path, error: OSError) -> LaunchError:
    """Why the data folder cannot be written, told apart by its reason."""
    why = WHY.get(error.errno or 0, error.strerror or "it cannot be written")
    return LaunchError(f"{home} cannot be written, because {why}; or set EASY_POCKET_HOME to another folder.")


def claim(home: Path, address: str) -> IO[str]:
    """Hold the folder until the process ends. Raises LaunchError naming who has it."""
    try:
        home.mkdir(parents=True, exist_ok=True)
        lock = (home / "running").open("a+")
    except OSError as error:
        raise unwritable(home, error) from None
    lock.seek(0)
    before = lock.read().strip()
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        raise LaunchError(
            f"Easy Pocket already runs on {home}{f', at {before}' if before else ''}: use that one, stop it, or set "
            "EASY_POCKET_HOME to another folder."
        ) from None
    if before:
        log.warning("it was not stopped properly last time; every edit that was answered is kept")
    try:
        lock.truncate(0)
        lock.write(address)
        lock.flush()
    except OSError as error:
        raise unwritable(home, error) from None
    return lock


def release(lock: IO[str]) -> None:
    """Note that the program stopped properly."""
    lock.truncate(0)
    lock.close()


def check_room(home: Path, *, first: bool) -> None:
    """Raises LaunchError when there is no room to work in: better now than in the middle of a song."""
    needed = LEAST_FREE_FIRST_MB if first else LEAST_FREE_MB
    free_mb = shutil.disk_usage(home).free // 1_000_000
    if free_mb < needed:
        raise LaunchError(
            f"The disk is full: {free_mb} MB are free in {home}, {needed} MB are needed. Free some space, or set "
            "EASY_POCKET_HOME to a folder on another disk."
        )
