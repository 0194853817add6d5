"""Loops whose drums and pitched parts come from a SoundFont that nothing was fitted to, aged and clean, with their
truth: for the held-out figures of docs/figures.md.

    EASY_POCKET_SOUNDFONT=/usr/share/sounds/sf3/MuseScore_General.sf3 tools/held_out.py FOLDER [--loops 60]
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path

import numpy as np
from fit_hits import TONE_NOTES, _tones, any_tone
from fit_kinds import _hits, recorded, soundfont, varied
from soundfont_hits import render_tones

from bench.made_loops import made_loops
from easy_pocket.core.formats.audio_file import write_audio

DRUMS, TONES = (0, 8, 16, 25, 40), (1, 5, 19, 26, 34, 36, 50, 62, 80, 90)
SEED = 9_000


def only_theirs(voice: str, dice: np.random.Generator) -> np.ndarray | None:
    known = _hits.get(voice)
    if not known:
        return None
    x = known[int(dice.integers(len(known)))]
    return np.asarray(recorded(voice, varied(x, dice)[:, None], dice)[:, 0])


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--loops", type=int, default=60)
    args = asked.parse_args()
    _hits.update(soundfont(DRUMS))
    _tones.update({program: render_tones(program, TONE_NOTES) for program in TONES})
    for name, age in (("aged", 1.0), ("clean", 0.0)):
        folder = args.folder / name
        folder.mkdir(parents=True, exist_ok=True)
        made = made_loops(args.loops, SEED, sound_of=only_theirs, age=age, tone_of=any_tone)
        for loop in made:
            (folder / f"{loop.name}.wav").write_bytes(write_audio(loop.audio, "WAV", 16))
            (folder / f"{loop.name}.truth.json").write_text(json.dumps(loop.truth))


if __name__ == "__main__":
    main()
