"""Loops whose drums and pitched parts come from a SoundFont that nothing was fitted to, aged and clean, with their
truth: for the held-out figures of docs/figures.md.

    EASY_POCKET_SOUNDFONT=/usr/share/sounds/sf3/MuseScore_General.sf3 tools/held_out.py FOLDER [--loops 60]
"""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from made_sounds import any_tone, recorded_hit, render_sounds

from bench.made_loops import made_loops
from easy_pocket.core.formats.audio_file import write_audio

DRUMS, TONES = (0, 8, 16, 25, 40), (1, 5, 19, 26, 34, 36, 50, 62, 80, 90)
SEED = 9_000


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--loops", type=int, default=60)
    args = asked.parse_args()
    render_sounds(DRUMS, TONES)
    for name, age in (("aged", 1.0), ("clean", 0.0)):
        folder = args.folder / name
        folder.mkdir(parents=True, exist_ok=True)
        made = made_loops(args.loops, SEED, sound_of=recorded_hit, age=age, tone_of=any_tone)
        for loop in made:
            (folder / f"{loop.name}.wav").write_bytes(write_audio(loop.audio, "WAV", 16))
            (folder / f"{loop.name}.truth.json").write_text(json.dumps(loop.truth))


if __name__ == "__main__":
    main()
