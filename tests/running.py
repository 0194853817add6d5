"""The application as its users run it: `python -m easy_pocket.launch` in a folder of its own."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from easy_pocket.home.mariadb import free_port

CHROMIUM = os.environ.get("EASY_POCKET_CHROMIUM", "/usr/bin/chromium")
FLAGS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def start_app(home: Path, *options: str, port: int | None = None) -> tuple[subprocess.Popen[str], str]:
    """Start it and wait for the address it prints."""
    process = subprocess.Popen(
        [sys.executable, "-m", "easy_pocket.launch", "--port", str(port or free_port()), *options],
        env={**os.environ, "EASY_POCKET_HOME": str(home)},
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    assert process.stdout is not None
    line = process.stdout.readline()
    found = re.search(r"http://\S+", line)
    if not found:
        _, error = process.communicate(timeout=30)
        raise RuntimeError(f"it did not start: {line}{error}")
    return process, found.group()


@contextmanager
def running_app(*options: str) -> Iterator[tuple[str, Path]]:
    """Its address, and its data folder."""
    home = Path(tempfile.mkdtemp(prefix="ep-"))
    process, address = start_app(home, *options)
    try:
        yield address, home
    finally:
        process.terminate()
        process.wait(30)
        shutil.rmtree(home, ignore_errors=True)
