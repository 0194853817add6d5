"""Fitted weights with where they come from: arguments, commit, seed of the data and scores are kept in the file."""

from __future__ import annotations

import json
import subprocess
from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

ROOT = Path(__file__).resolve().parent.parent
MADE = "made"  # name in the file, a JSON text; the loaders pass over it


def commit() -> str:
    """Of the sources they are made by; marked when these were changed since."""
    said = subprocess.run(["git", "describe", "--always", "--dirty"], cwd=ROOT, capture_output=True, text=True)
    return said.stdout.strip() or "no commit"


def save(file: Path, weights: Mapping[str, np.ndarray], **made: Any) -> None:
    """made: `tool`, `arguments`, `data_seed` and `scores`."""
    missing = {"tool", "arguments", "data_seed", "scores"} - made.keys()
    if missing:
        raise TypeError(f"say of {file.name} also: {', '.join(sorted(missing))}")
    told = {**made, "commit": commit(), "date": f"{datetime.now(UTC):%Y-%m-%d}"}
    np.savez_compressed(file, **weights, **{MADE: np.array(json.dumps(told, sort_keys=True))})  # type: ignore[arg-type]
    print(f"{file.name}: {file.stat().st_size // 1000} kB, {told}")


def made_of(file: Path) -> dict[str, Any]:
    """Where the weights of a file come from."""
    with np.load(file, allow_pickle=False) as stored:
        told: dict[str, Any] = json.loads(str(stored[MADE]))
    return told
