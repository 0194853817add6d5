"""`./pocket restore FILE`: the songs of a backup or a dump, in the place of what is there, which is set aside."""

from __future__ import annotations

import argparse
import sys
import time
from pathlib import Path

from easy_pocket.home.dumps import load_dump
from easy_pocket.home.engine_files import MADE
from easy_pocket.home.folder import LaunchError, claim, home_folder, release
from easy_pocket.home.mariadb import MariaDb


def restore(home: Path, dump: Path) -> str:
    """Bring a dump back and say in words what was done. Raises LaunchError when it cannot be done."""
    if not dump.is_file():
        raise LaunchError(f"There is no file {dump}: name a backup, or a dump of {home / 'dumps'}.")
    lock = claim(home, "restoring a dump")
    try:
        aside = bring_back(home, dump)
    finally:
        release(lock)
    kept = f" What was there before is {aside}." if aside else ""
    return f"The songs of {dump.name} are back.{kept} Start Easy Pocket as always."


def bring_back(home: Path, dump: Path) -> Path | None:
    """The folder must be held, and no database run on it. Gives where what was there before is now.

    Raises LaunchError when it cannot be done; all is as it was then.
    """
    server = MariaDb(home)
    aside = home / f"db.set-aside-{int(time.time())}"
    try:
        if server.data.exists():
            server.data.rename(aside)
        (home / MADE).unlink(missing_ok=True)
        load_dump(server.start(), dump)
    except BaseException:
        server.stop()
        if aside.exists():  # as it was
            if server.data.exists():
                server.data.rename(home / f"db.not-restored-{int(time.time())}")
            aside.rename(server.data)
        raise
    server.stop()
    return aside if aside.exists() else None


def main() -> int:
    parser = argparse.ArgumentParser(prog="pocket restore")
    parser.add_argument("file", metavar="FILE", type=Path, help="a backup, or a dump of var/dumps")
    parser.add_argument("--into", metavar="HOME", type=Path, help="another data folder (default: this one)")
    chosen = parser.parse_args()
    try:
        print(restore((chosen.into or home_folder()).resolve(), chosen.file.resolve()))
    except LaunchError as error:
        print(f"pocket: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
