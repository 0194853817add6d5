"""A backup of the whole shelf as one file: a tar with the database as SQL (packed), and every recording as it is.

Recordings are not packed again (they are FLAC), so that making one is as fast as the disk. Audio is only ever added or
taken out when nothing names it any more, so what the SQL names is there when the recordings are read after it.
"""

from __future__ import annotations

import re
import tarfile
import tempfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from sqlalchemy import create_engine, text
from sqlalchemy.engine import Connection, Engine

from easy_pocket.core.progress import OnProgress, no_progress
from easy_pocket.home.folder import LaunchError

SQL_NAME = "shelf.sql.gz"
AUDIO_NAME = re.compile(r"audio/([0-9a-f]{16,64})\.(flac|wav)")
PIECE = 4 << 20
BLOCK = tarfile.BLOCKSIZE
MOST_AUDIO_BYTES = 400_000_000  # of one recording
IN_MEMORY = 16 << 20  # of the SQL; more goes to the disk


@dataclass(frozen=True)
class Recording:
    key: str
    kind: str
    size: int


@dataclass(frozen=True)
class Backup:
    """A backup that is about to be written. size: of the whole file; pieces: to be taken once."""

    size: int
    pieces: Iterator[bytes]


def backup_of(url: str, sql: Iterator[bytes], on_progress: OnProgress = no_progress) -> Backup:
    """Everything in a database. sql: all but the recordings, packed.

    Raises what `sql` raises, before anything is given; afterwards LaunchError when a recording is gone.
    """
    kept = tempfile.SpooledTemporaryFile(max_size=IN_MEMORY)  # noqa: SIM115 - closed when all is given
    on_progress(0.0, "songs")
    for piece in sql:
        kept.write(piece)
    sql_size = kept.tell()
    engine = create_engine(url)
    recordings = _recordings(engine)
    sizes = [sql_size, *(one.size for one in recordings)]
    whole = sum(BLOCK + size + -size % BLOCK for size in sizes) + 2 * BLOCK
    return Backup(whole, _pieces(engine, kept, sql_size, recordings, whole, on_progress))


def _recordings(engine: Engine) -> list[Recording]:
    with engine.connect() as connection:
        if not connection.scalar(
            text("SELECT 1 FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = 'audio'")
        ):
            return []
        rows = connection.execute(text("SELECT hash, kind, LENGTH(data) FROM audio ORDER BY hash"))
        return [Recording(key, kind.lower(), int(size)) for key, kind, size in rows]


def _pieces(
    engine: Engine, kept: IO[bytes], sql_size: int, recordings: list[Recording], whole: int, on_progress: OnProgress
) -> Iterator[bytes]:
    try:
        yield _header(SQL_NAME, sql_size)
        kept.seek(0)
        while piece := kept.read(PIECE):
            yield piece
        yield bytes(-sql_size % BLOCK)
        done = sql_size
        with engine.connect() as connection:
            for number, one in enumerate(recordings, 1):
                yield _header(f"audio/{one.key}.{one.kind}", one.size)
                for start in range(0, one.size, PIECE):
                    yield _part(connection, one, start)
                yield bytes(-one.size % BLOCK)
                done += one.size
                on_progress(done / whole, f"recording {number} of {len(recordings)}")
        yield bytes(2 * BLOCK)
        on_progress(1.0, "written")
    finally:
        kept.close()
        engine.dispose()


def _part(connection: Connection, one: Recording, start: int) -> bytes:
    asked = text("SELECT SUBSTRING(data, :start, :count) FROM audio WHERE hash = :key")
    found = connection.scalar(asked, {"start": start + 1, "count": PIECE, "key": one.key})
    wanted = min(PIECE, one.size - start)
    if found is None or len(found) != wanted:
        raise LaunchError("A recording went away while the backup was made: make it again.")
    return bytes(found)


def _header(name: str, size: int) -> bytes:
    entry = tarfile.TarInfo(name)
    entry.size, entry.mode = size, 0o600
    return entry.tobuf(tarfile.USTAR_FORMAT)


def is_backup(file: Path) -> bool:
    """Whether it begins as one does."""
    try:
        with tarfile.open(file, "r:") as archive:
            first = archive.next()
            return first is not None and first.name == SQL_NAME
    except (tarfile.TarError, OSError, EOFError, ValueError):
        return False


def load_backup(url: str, file: Path, load_sql: Callable[[Iterator[bytes]], None]) -> None:
    """Into an empty database. load_sql: loads the SQL, which comes unpacked.

    Raises LaunchError for what is no backup, or is cut off.
    """
    cut_off = LaunchError(f"{file} is no backup of Easy Pocket, or it is cut off: choose another one.")
    engine = create_engine(url)
    try:
        with tarfile.open(file, "r|") as archive, engine.connect() as connection:
            ended = False
            for entry in archive:
                content = archive.extractfile(entry)
                if content is None or (entry.size > MOST_AUDIO_BYTES and entry.name != SQL_NAME):
                    raise cut_off
                if entry.name == SQL_NAME:
                    load_sql(_unpacked(content, cut_off))
                    ended = True
                elif ended and (named := AUDIO_NAME.fullmatch(entry.name)):
                    values = {"key": named[1], "kind": named[2].upper(), "data": content.read()}
                    connection.execute(text("INSERT INTO audio (hash, kind, data) VALUES (:key, :kind, :data)"), values)
                    connection.commit()
                else:
                    raise cut_off
            if not ended:
                raise cut_off
        _check_whole(file, cut_off)
    except (tarfile.TarError, EOFError, zlib.error):
        raise cut_off from None
    finally:
        engine.dispose()


def _unpacked(content: IO[bytes], cut_off: LaunchError) -> Iterator[bytes]:
    unpacking = zlib.decompressobj(wbits=31)
    while piece := content.read(PIECE):
        yield unpacking.decompress(piece)
    if not unpacking.eof:
        raise cut_off


def _check_whole(file: Path, cut_off: LaunchError) -> None:
    """A tar that ends after an entry looks whole to the reader: the empty blocks at the end tell."""
    with file.open("rb") as whole:
        whole.seek(-2 * BLOCK, 2)
        if any(whole.read()):
            raise cut_off
