"""`./pocket restore FILE`: the songs of a backup or a dump, in the place of what is there, which is set aside."""

from __future__ import annotations

import argparse
import sys
import time
from pathlib import Path

from sqlalchemy import create_engine, inspect
from sqlalchemy.exc import SQLAlchemyError

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


def restore_elsewhere(url: str, dump: Path) -> str:
    """Into an empty schema of another server. Raises LaunchError when it cannot be done, or is not empty."""
    if not dump.is_file():
        raise LaunchError(f"There is no file {dump}: name a backup.")
    engine = create_engine(url)
    try:
        tables = inspect(engine).get_table_names()
    except SQLAlchemyError as error:
        reason = str(getattr(error, "orig", error)).splitlines()[0]
        raise LaunchError(f"That database cannot be reached ({reason}): check the URL.") from None
    finally:
        engine.dispose()
    if tables:
        raise LaunchError(f"That schema holds {len(tables)} tables already: name an empty one.")
    load_dump(url, dump)
    return f"The songs of {dump.name} are there. Start Easy Pocket with EASY_POCKET_DATABASE_URL set to that address."


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
    parser.add_argument("--url", metavar="URL", help="an empty schema of another MariaDB instead")
    chosen = parser.parse_args()
    try:
        if chosen.url:
            print(restore_elsewhere(chosen.url, chosen.file.resolve()))
            return 0
        print(restore((chosen.into or home_folder()).resolve(), chosen.file.resolve()))
    except LaunchError as error:
        print(f"pocket: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
