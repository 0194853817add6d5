"""Dumps of the whole database: one is kept before every upgrade, and can be brought back."""

from __future__ import annotations

import gzip
import os
import shutil
import subprocess
import tempfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import make_url

from easy_pocket.home.folder import LaunchError, unwritable

FOLDER = "dumps"
KEPT = 3
DAILY, KEPT_DAILY = "daily", 7
PIECE = 1 << 20


def dumps_in(home: Path) -> list[Path]:
    """List the dumps of a folder, the oldest first."""
    return sorted((home / FOLDER).glob("*.sql.gz"), key=lambda path: path.stat().st_mtime)


def tool(name: str) -> str:
    found = shutil.which(name, path=os.environ.get("PATH", "") + ":/usr/sbin:/usr/local/sbin")
    if found is None:
        raise LaunchError(f"{name} is missing: run 'apt-get install mariadb-server', or start without --no-install.")
    return found


@contextmanager
def _login(url: str) -> Iterator[tuple[list[str], str]]:
    """Options by which MariaDB's own tools come in, with the password in a file only we can read; the schema's name."""
    parts = make_url(url)
    with tempfile.NamedTemporaryFile("w", suffix=".cnf") as secret:
        os.chmod(secret.name, 0o600)
        secret.write(f'[client]\nuser="{parts.username}"\npassword="{parts.password or ""}"\n')
        secret.flush()
        where = ["--protocol=tcp", f"--host={parts.host}", f"--port={parts.port or 3306}"]
        yield [f"--defaults-extra-file={secret.name}", *where], parts.database or ""


def make_dump(home: Path, url: str, label: str) -> Path:
    """Everything in the database, as SQL. Raises LaunchError when it cannot be made.

    Of those made daily the seven newest are kept, of others the three newest.
    """
    folder = home / FOLDER
    stamp = datetime.now(UTC).strftime("%Y-%m-%d-%H%M%S")
    whole = folder / f"{stamp}-{label}.sql.gz"
    write_dump(url, whole)
    daily = daily_dumps(home)
    others = [one for one in dumps_in(home) if one not in daily]
    for old in (*daily[:-KEPT_DAILY], *others[:-KEPT]):
        old.unlink()
    return whole


def daily_dumps(home: Path) -> list[Path]:
    """Those that were made by themselves, the oldest first."""
    return [one for one in dumps_in(home) if one.name.endswith(f"-{DAILY}.sql.gz")]


def write_dump(url: str, whole: Path) -> None:
    """Everything in the database as it is at one moment, as SQL into a file that is there whole or not at all.

    Raises LaunchError when it cannot be made.
    """
    folder = whole.parent
    half = whole.with_name(f"{whole.name}.part")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with half.open("wb") as out:
            for piece in dumped(url):
                out.write(piece)
            out.flush()
            os.fsync(out.fileno())
        half.rename(whole)
    except OSError as error:
        half.unlink(missing_ok=True)
        raise unwritable(folder, error) from None
    finally:
        half.unlink(missing_ok=True)


def dumped(url: str) -> Iterator[bytes]:
    """The same piece by piece. Raises LaunchError when it cannot be made, after the first pieces perhaps."""
    packing = zlib.compressobj(4, wbits=31)  # gzip
    with _login(url) as (options, schema):
        command = [tool("mariadb-dump"), *options, "--single-transaction", "--quick", "--hex-blob", schema]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as dumping:
            assert dumping.stdout is not None
            assert dumping.stderr is not None
            try:
                while piece := dumping.stdout.read(PIECE):
                    if packed := packing.compress(piece):
                        yield packed
            except GeneratorExit:  # who asked for it went away
                dumping.kill()
                raise
            reason = dumping.stderr.read().decode(errors="replace").strip()
    if dumping.returncode != 0:
        raise LaunchError(f"No copy of the songs could be made ({reason[:200]}); nothing was changed.")
    yield packing.flush()


def is_dump(dump: Path) -> bool:
    """Whether a file begins as a dump of ours does."""
    try:
        with gzip.open(dump, "rb") as content:
            return b"MariaDB dump" in content.read(400)
    except (OSError, EOFError, zlib.error):
        return False


def load_dump(url: str, dump: Path) -> None:
    """Load a dump into an empty database. Raises LaunchError for a file that is no dump."""
    with _login(url) as (options, schema), gzip.open(dump, "rb") as content:
        command = [tool("mariadb"), *options, "--sandbox", schema]  # what it holds runs as SQL and in no other way
        with subprocess.Popen(command, stdin=subprocess.PIPE, stderr=subprocess.PIPE) as loading:
            assert loading.stdin is not None
            assert loading.stderr is not None
            try:
                shutil.copyfileobj(content, loading.stdin, PIECE)
            except (gzip.BadGzipFile, EOFError, zlib.error):
                loading.kill()
                raise LaunchError(f"{dump} is no dump of Easy Pocket, or it is cut off: choose another one.") from None
            except BrokenPipeError:
                pass  # the tool says why
            finally:
                loading.stdin.close()
            reason = loading.stderr.read().decode(errors="replace").strip()
    if loading.returncode != 0:
        raise LaunchError(f"{dump} could not be brought back ({reason[:200]}).")
