"""How well kinds of hits are told: at the hits heard in loops with their truth beside them (NAME.wav, NAME.truth.json).

PYTHONPATH=. tools/score_kinds.py FOLDER ...    # of tools/held_out.py
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path

import numpy as np
from made_sounds import KIND_OF
from networks import f_of

from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.listen.drum_classifier import KINDS
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.listen.sound_groups import group_hits

OF_KIND = {**KIND_OF, "conga_low": "tom", "conga_high": "tom", "bell": "cymbal"}
COLUMNS = (*KINDS, "open hat")
TOGETHER_S = 0.030
GHOST = 50  # velocity


def told_and_true(truth_file: Path) -> tuple[np.ndarray, np.ndarray, np.ndarray, bool]:
    """Of each hit heard what it was taken for and what it is, by COLUMNS, whether a ghost on the snare lies under a
    hat there; and whether the sounds were said to be drums."""
    truth = json.loads(truth_file.read_text())
    audio = read_audio(truth_file.parent / truth["file"], truth["file"])
    onsets = analyze_loop(audio).onsets
    told, true = (np.zeros((len(onsets), len(COLUMNS)), dtype=bool) for _ in range(2))
    groups = group_hits(audio, onsets)
    for group in groups:
        told[list(group.hits), COLUMNS.index(group.kind)] = True
        told[list(group.hits), COLUMNS.index("open hat")] |= group.voice == "hat_open"
    length, ghosts = truth["duration_s"], np.zeros(len(onsets), dtype=bool)
    for hit in truth["hits"]:
        apart = (hit["time_s"] - onsets.time_s + length / 2) % length - length / 2
        near = np.abs(apart) < TOGETHER_S
        if hit["voice"] not in OF_KIND:
            continue
        true[near, COLUMNS.index(OF_KIND[hit["voice"]])] = True
        true[near, COLUMNS.index("open hat")] |= hit["voice"] == "hat_open"
        ghosts |= near & (hit["voice"] == "snare" and hit["velocity"] <= GHOST)
    return told, true, ghosts & true[:, COLUMNS.index("hat")], all(group.is_drum for group in groups)


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("folders", type=Path, nargs="+")
    for folder in asked.parse_args().folders:
        found = [told_and_true(file) for file in sorted(folder.glob("*.truth.json"))]
        told, true, ghosts = (np.concatenate([one[part] for one in found]) for part in (0, 1, 2))
        known = true.any(axis=1)  # what was heard without a hit is no kind's fault
        kinds, hats = slice(len(KINDS)), known & true[:, COLUMNS.index("hat")]
        each = ", ".join(f"{name} {f_of(told[known, at], true[known, at]):.2f}" for at, name in enumerate(KINDS))
        strange = sum(not drums for *_, drums in found)
        print(
            f"{folder}: {len(found)} loops, {known.sum()} hits: F {f_of(told[known, kinds], true[known, kinds]):.3f} "
            f"({each}); open hats {f_of(told[hats, -1], true[hats, -1]):.2f}; ghosts under hats "
            f"{told[ghosts, COLUMNS.index('snare')].sum()} of {ghosts.sum()}; said to be no drums: {strange}"
        )


if __name__ == "__main__":
    main()
