"""`./pocket backup FILE`: everything on the shelf in one file, also while the program runs."""

from __future__ import annotations

import sys
from pathlib import Path

from easy_pocket.core.progress import no_progress
from easy_pocket.home.dumps import write_dump
from easy_pocket.home.folder import LaunchError
from easy_pocket.home.shelf import open_shelf


def backup(file: Path) -> str:
    """Write it and say so in words. Raises LaunchError when it cannot be done; a file that is there stays then."""
    if file.is_dir():
        raise LaunchError(f"{file} is a folder: name a file, such as {file / 'songs.tar'}.")
    with open_shelf() as database:
        write_dump(database.url, file, told_progress if sys.stderr.isatty() else no_progress)
    return f"All songs, kits, loops, takes and grooves are in {file} ({file.stat().st_size / 1e6:.1f} MB)."


def told_progress(share: float, words: str) -> None:
    """On the terminal, one line that is written anew."""
    print(f"\r{share:4.0%}  {words:<40}", end="\n" if share >= 1 else "", file=sys.stderr, flush=True)


def main() -> int:
    if len(sys.argv) != 2:
        print("pocket: name one file: ./pocket backup songs.tar", file=sys.stderr)
        return 2
    try:
        print(backup(Path(sys.argv[1]).resolve()))
    except LaunchError as error:
        print(f"pocket: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
