"""Bringing a database to the version of the program, in a way that can be killed at any moment."""

from __future__ import annotations

import logging
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import func, inspect, select
from sqlalchemy.exc import SQLAlchemyError

from easy_pocket.home.dumps import make_dump
from easy_pocket.home.engine_files import remember_tables, tables_made, way_back
from easy_pocket.home.folder import LaunchError
from easy_pocket.store.database import Database
from easy_pocket.store.schema.revisions import head_revision, known_revisions, present_revision
from easy_pocket.store.schema.tables import SongRow

log = logging.getLogger(__name__)
CLOCK_SLACK = timedelta(hours=26)  # time zones, and a little


def bring_up_to_date(database: Database, home: Path, *, own: bool) -> None:
    """Upgrade it where it is older, with a dump kept before when there are songs in it. own: its files lie in the data
    folder. Raises LaunchError for one of a newer program, or one that cannot be read."""
    if own:
        check_tables(database, home)
    at = present_revision(database.engine)
    if at is not None and at not in known_revisions():
        raise LaunchError(
            f"The songs in {home} were last opened by a newer Easy Pocket (their version is {at}, this program knows "
            f"{head_revision()}): start that newer program, or set EASY_POCKET_HOME to another folder."
        )
    if at is not None and at != head_revision() and _songs(database):
        dump = make_dump(home, database.url, f"before-{head_revision()}")
        log.warning("the songs are upgraded from version %s to %s; a dump of before is %s", at, head_revision(), dump)
    database.migrate()
    if own:
        remember_tables(home, inspect(database.engine).get_table_names())
    _look_at_clock(database)


def check_tables(database: Database, home: Path) -> None:
    """Check that every table that was there before can be read. Raises LaunchError naming one that cannot."""
    for table in tables_made(home):
        try:
            with database.engine.connect() as connection:
                connection.exec_driver_sql(f"SELECT 1 FROM `{table}` LIMIT 1")
        except SQLAlchemyError as error:
            reason = str(getattr(error, "orig", error)).splitlines()[0]
            raise LaunchError(
                f"The database is damaged: '{table}' cannot be read ({reason}). {way_back(home)}"
            ) from None


def _songs(database: Database) -> bool:
    return bool(database.reader.scalar(select(func.count()).select_from(SongRow.__table__)))


def _look_at_clock(database: Database) -> None:
    """A clock that was set back changes no song, but their order on the Shelf."""
    newest = database.reader.scalar(select(func.max(SongRow.changed_at)))
    now = datetime.now(UTC).replace(tzinfo=None)
    if newest is not None and newest > now + CLOCK_SLACK:
        log.warning(
            "the clock of this machine says %s, but a song was last changed on %s: is the clock right? Songs are kept "
            "all the same; their order on the Shelf goes by it",
            f"{now:%Y-%m-%d %H:%M}",
            f"{newest:%Y-%m-%d %H:%M}",
        )
