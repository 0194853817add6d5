"""Dumps of the whole database: one is kept before every upgrade, and can be brought back."""

from __future__ import annotations

import contextlib
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

from easy_pocket.core.progress import OnProgress, no_progress
from easy_pocket.home.backup_file import Backup, backup_of, is_backup, load_backup
from easy_pocket.home.folder import LaunchError, unwritable

FOLDER = "dumps"
SETTING = "EASY_POCKET_DUMPS_FOLDER"  # a folder that several machines see; else one of the data folder
KEPT = 3
DAILY, KEPT_DAILY = "daily", 7
BY_HAND, KEPT_BY_HAND = "by-hand", 5
ENDING, OLD_ENDING = ".shelf.tar", ".sql.gz"
PIECE = 1 << 20
GZIP = b"\x1f\x8b"


def dumps_folder(home: Path) -> Path:
    return Path(os.environ.get(SETTING) or home / FOLDER)


def dumps_in(home: Path) -> list[Path]:
    """List the dumps of a data folder, the oldest first."""
    found = [path for path in dumps_folder(home).glob("*") if path.name.endswith((ENDING, OLD_ENDING))]
    return sorted(found, key=lambda path: path.stat().st_mtime)


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


def make_dump(home: Path, url: str, label: str, on_progress: OnProgress = no_progress) -> Path:
    """Everything in the database, as SQL. Raises LaunchError when it cannot be made.

    Of those made daily the seven newest are kept, of those asked for the five newest, of others the three newest.
    """
    folder = dumps_folder(home)
    stamp = datetime.now(UTC).strftime("%Y-%m-%d-%H%M%S")
    whole = folder / f"{stamp}-{label}{ENDING}"
    write_dump(url, whole, on_progress)
    daily, asked_for = daily_dumps(home), _labelled(home, BY_HAND)
    others = [one for one in dumps_in(home) if one not in (*daily, *asked_for)]
    for old in (*daily[:-KEPT_DAILY], *asked_for[:-KEPT_BY_HAND], *others[:-KEPT]):
        old.unlink(missing_ok=True)
    return whole


def daily_dumps(home: Path) -> list[Path]:
    """Those that were made by themselves, the oldest first."""
    return _labelled(home, DAILY)


def _labelled(home: Path, label: str) -> list[Path]:
    return [one for one in dumps_in(home) if one.name.endswith((f"-{label}{ENDING}", f"-{label}{OLD_ENDING}"))]


def write_dump(url: str, whole: Path, on_progress: OnProgress = no_progress) -> None:
    """Everything in the database as it is at one moment, into a file that is there whole or not at all.

    Raises LaunchError when it cannot be made.
    """
    folder = whole.parent
    half = whole.with_name(f"{whole.name}.part")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with half.open("wb") as out:
            for piece in dumped(url, on_progress).pieces:
                out.write(piece)
            out.flush()
            os.fsync(out.fileno())
        half.rename(whole)
    except OSError as error:
        raise unwritable(folder, error) from None
    finally:
        half.unlink(missing_ok=True)


def dumped(url: str, on_progress: OnProgress = no_progress) -> Backup:
    """The same piece by piece. Raises LaunchError when it cannot be made."""
    return backup_of(url, _sql(url), on_progress)


def _sql(url: str) -> Iterator[bytes]:
    """All but the recordings, packed."""
    packing = zlib.compressobj(4, wbits=31)  # gzip
    with _login(url) as (options, schema):
        command = [tool("mariadb-dump"), *options, "--single-transaction", "--quick", "--hex-blob"]
        command += [f"--ignore-table-data={schema}.audio", schema]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as dumping:
            assert dumping.stdout is not None
            assert dumping.stderr is not None
            while piece := dumping.stdout.read(PIECE):
                yield packing.compress(piece)
            reason = dumping.stderr.read().decode(errors="replace").strip()
    if dumping.returncode != 0:
        raise LaunchError(f"No copy of the songs could be made ({reason[:200]}); nothing was changed.")
    yield packing.flush()


def is_dump(dump: Path) -> bool:
    """Whether a file begins as one of ours does, of now or of before."""
    try:
        with gzip.open(dump, "rb") as content:
            return b"MariaDB dump" in content.read(400)
    except (OSError, EOFError, zlib.error):
        return is_backup(dump)


def load_dump(url: str, dump: Path) -> None:
    """Load one into an empty database. Raises LaunchError for a file that is none."""
    with dump.open("rb") as content:
        packed = content.read(2) == GZIP
    if not packed:
        load_backup(url, dump, lambda pieces: _load_sql(url, dump, pieces))
        return
    with gzip.open(dump, "rb") as sql:
        _load_sql(url, dump, iter(lambda: sql.read(PIECE), b""))


def _load_sql(url: str, dump: Path, pieces: Iterator[bytes]) -> None:
    with _login(url) as (options, schema):
        command = [tool("mariadb"), *options, "--sandbox", schema]  # what it holds runs as SQL and in no other way
        with subprocess.Popen(command, stdin=subprocess.PIPE, stderr=subprocess.PIPE) as loading:
            assert loading.stdin is not None
            assert loading.stderr is not None
            try:
                for piece in pieces:
                    loading.stdin.write(piece)
            except (gzip.BadGzipFile, EOFError, zlib.error):
                loading.kill()
                raise LaunchError(f"{dump} is no dump of Easy Pocket, or it is cut off: choose another one.") from None
            except LaunchError:
                loading.kill()
                raise
            except BrokenPipeError:
                pass  # the tool says why
            finally:
                with contextlib.suppress(BrokenPipeError):
                    loading.stdin.close()
            reason = loading.stderr.read().decode(errors="replace").strip()
    if loading.returncode != 0:
        raise LaunchError(f"{dump} could not be brought back ({reason[:200]}).")
