"""A backup that a page asked to bring back: it waits in the data folder until the program starts anew."""

from __future__ import annotations

import logging
import os
import shutil
from collections.abc import AsyncIterator
from pathlib import Path

from easy_pocket.home.dumps import dumps_in, is_dump
from easy_pocket.home.folder import LaunchError
from easy_pocket.home.restore import bring_back

log = logging.getLogger(__name__)
FOLDER, FILE, TOLD = "bring-back", "backup", "told.txt"
NO_DUMP = "{name} is no backup of Easy Pocket: choose a file that ./pocket backup or the Shelf saved (.tar)."


async def take_in(home: Path, pieces: AsyncIterator[bytes], name: str, most_bytes: int) -> None:
    """Keep an uploaded backup for the next start. Raises LaunchError for what is none."""
    half = _folder(home) / f"{FILE}.part"
    try:
        count = 0
        with half.open("wb") as out:
            async for piece in pieces:
                count += len(piece)
                if count > most_bytes:
                    raise LaunchError(f"{name} is larger than {most_bytes // 1_000_000_000} GB: use ./pocket restore.")
                out.write(piece)
        if not is_dump(half):
            raise LaunchError(NO_DUMP.format(name=name))
        half.rename(_folder(home) / FILE)
    finally:
        half.unlink(missing_ok=True)


def take_dump(home: Path, name: str) -> None:
    """Keep one of our own dumps for the next start. Raises LaunchError when there is none of this name."""
    found = next((one for one in dumps_in(home) if one.name == name), None)
    if found is None:
        raise LaunchError("This dump is gone: choose another one.")
    half = _folder(home) / f"{FILE}.part"
    shutil.copyfile(found, half)
    half.rename(_folder(home) / FILE)


def carry_out(home: Path) -> None:
    """Bring back what waits, if anything does; how it went is told on the Shelf. The folder must be held."""
    waiting = home / FOLDER / FILE
    if not waiting.exists():
        return
    try:
        aside = bring_back(home, waiting)
        kept = f" What was there before lies in {aside.name} of the data folder." if aside else ""
        words = f"The backup is back.{kept}"
    except LaunchError as error:
        words = f"The backup could not be brought back; all is as it was. {error}"
    log.info("a backup was asked for", extra={"facts": {"words": words}})
    waiting.unlink()
    (_folder(home) / TOLD).write_text(words)


def told(home: Path) -> str:
    """How the last one went, once."""
    path = home / FOLDER / TOLD
    try:
        words = path.read_text()
        path.unlink()
    except OSError:
        return ""
    return words


def _folder(home: Path) -> Path:
    folder = home / FOLDER
    folder.mkdir(mode=0o700, exist_ok=True)
    os.chmod(folder, 0o700)
    return folder
