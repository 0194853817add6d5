"""npm, for what is checked by its packages: locked, for development only."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parent.parent
INSTALLED = ROOT / "node_modules/.package-lock.json"
PATIENCE_S = 240


def npm_installed() -> str:
    """npm, with what is locked installed. Where it cannot be had the test is skipped in words."""
    found = shutil.which("npm")
    if found is None:
        pytest.skip("not checked: there is no npm on this machine (apt install npm)")
    if not INSTALLED.exists() or INSTALLED.stat().st_mtime < (ROOT / "package-lock.json").stat().st_mtime:
        install = [found, "ci", "--no-audit", "--no-fund", "--silent"]
        done = subprocess.run(install, cwd=ROOT, capture_output=True, text=True, timeout=PATIENCE_S)
        if done.returncode:
            pytest.skip(f"not checked: npm ci did not work here ({done.stderr.strip()[-200:]})")
        INSTALLED.touch()
    return found
