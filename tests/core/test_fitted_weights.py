"""Fitted weights say where they come from."""

import json
from pathlib import Path

import numpy as np
import pytest

from easy_pocket import core

FILES = sorted(Path(core.__path__[0]).rglob("*.npz"))


def test_all_of_them_are_looked_at():
    assert len(FILES) == 4


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.name)
def test_arguments_commit_seed_and_scores_are_kept_with_them(file):
    with np.load(file, allow_pickle=False) as stored:
        made = json.loads(str(stored["made"]))
    assert made["tool"] in ("fit hits", "fit kinds", "fit roles", "fit readings")
    assert {"arguments", "commit", "data_seed", "date"} <= made.keys()
    assert made["scores"]
