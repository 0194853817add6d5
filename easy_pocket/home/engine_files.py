"""The files of the database engine, looked at before it starts: it would make missing ones anew, empty, and the shelf
would seem to be so."""

from __future__ import annotations

import json
import os
from pathlib import Path

from easy_pocket.home.dumps import dumps_in
from easy_pocket.home.folder import LaunchError

MADE = "database-made"  # what tables there are, once there are any
NEEDED = ("ibdata1", "ib_logfile0", "mysql")


def check_files(home: Path, data: Path, schema: str) -> bool:
    """Whether there is a database to start; False when none was ever made here. Raises LaunchError, and touches
    nothing, when a part of one is missing."""
    tables = tables_made(home)
    if not data.exists() or not any(data.iterdir()):
        if tables:
            raise LaunchError(f"The database folder {data} is gone or empty. {way_back(home)}")
        return False
    missing = [name for name in NEEDED if not (data / name).exists()]
    missing += [f"{schema}/{name}" for table in tables for name in _files_of(table) if not _there(data / schema / name)]
    if missing:
        named = ", ".join(missing[:5]) + (f" and {len(missing) - 5} more" if len(missing) > 5 else "")
        raise LaunchError(f"The database in {data} is damaged: {named} missing. {way_back(home)}")
    return True


def _files_of(table: str) -> tuple[str, str]:
    return f"{table}.frm", f"{table}.ibd"


def _there(path: Path) -> bool:
    return path.exists() and path.stat().st_size > 0


def tables_made(home: Path) -> list[str]:
    """Names of the tables this folder's database has had since its last start; none for a new one."""
    try:
        found = json.loads((home / MADE).read_text())
    except (OSError, ValueError):
        return []
    return [str(name) for name in found] if isinstance(found, list) else []


def remember_tables(home: Path, tables: list[str]) -> None:
    half = home / f"{MADE}.new"
    half.write_text(json.dumps(sorted(tables)))
    os.replace(half, home / MADE)


def way_back(home: Path) -> str:
    """What can be done about a damaged database, with the dumps there are."""
    dumps = dumps_in(home)
    bring = (
        f"Or bring back the dump of {dumps[-1].name}: './pocket restore {dumps[-1]}'."
        if dumps
        else "There is no dump in this folder to bring back."
    )
    return f"Nothing was changed. Put the missing files back from a copy of the folder. {bring}"
