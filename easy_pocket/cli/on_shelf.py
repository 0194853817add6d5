"""The shelf for a command: its database, and a song by number or name."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy import select

from easy_pocket.core.errors import BadValueError, PocketError
from easy_pocket.home.folder import LaunchError
from easy_pocket.home.shelf import open_shelf
from easy_pocket.store.database import Database, Reader
from easy_pocket.store.schema.tables import SongRow


class NotHereError(PocketError):
    """It is nobody's mistake: there is no database to be had, say."""

    exit_code = 1


def on_shelf(run: Callable[[Database], None]) -> None:
    """Run with the database of the shelf. Raises NotHereError when it cannot be opened."""
    try:
        with open_shelf() as database:
            run(database)
    except LaunchError as error:
        raise NotHereError(str(error)) from None


def find_song(reader: Reader, wanted: str) -> int:
    """Find a song by its number or its name; raises BadValueError when there is none, or several of that name."""
    songs = list(reader.execute(select(SongRow.id, SongRow.name).where(SongRow.deleted_at.is_(None))))
    if wanted.isascii() and wanted.isdecimal() and any(str(one.id) == wanted for one in songs):
        return int(wanted)
    named = [one.id for one in songs if one.name.lower() == wanted.lower()]
    if len(named) > 1:
        numbers = ", ".join(map(str, sorted(named)))
        raise BadValueError(f"{len(named)} songs are called '{wanted[:60]}': name one by its number ({numbers}).")
    if not named:
        raise BadValueError(f"There is no song '{wanted[:60]}' on the shelf: 'easy-pocket songs' lists them.")
    found: int = named[0]
    return found
