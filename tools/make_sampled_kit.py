"""Write easy_pocket/samples: the voices of the sampled acoustic kit, five velocities each.

Needs Debian's fluid-soundfont-gm and fluidsynth. Softer hits of voices that the SoundFont only makes quieter are also
made darker here, as a real drum is.
"""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
from scipy import signal
from soundfont_hits import LICENCE, NOTES, RATE_HZ, render

from easy_pocket.core.audio import Audio
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.sound.character import measure
from easy_pocket.core.sound.one_shot import one_shot
from easy_pocket.core.sound.sound import BRIGHTEST_HZ, DARKEST_HZ

TARGET = Path("easy_pocket/samples")
LAYERS = ((1, 31, 20), (32, 58, 45), (59, 86, 72), (87, 112, 100), (113, 127, 122))  # low, high, struck at


def main() -> None:
    index: dict[str, list[dict[str, object]]] = {}
    for role, note in NOTES.items():
        hits = render(0, [(note, velocity) for _, _, velocity in LAYERS])
        soft, hard = measure(hits[0][:, None]), measure(hits[-1][:, None])
        same = abs(np.log2(hard.bright_hz / soft.bright_hz)) < 0.1
        index[role] = []
        for number, ((low, high, velocity), x) in enumerate(zip(LAYERS, hits, strict=True), 1):
            if same and number < len(LAYERS):
                corner_hz = DARKEST_HZ * (BRIGHTEST_HZ / DARKEST_HZ) ** (0.25 + 0.75 * velocity / 127)
                x = signal.sosfilt(signal.butter(1, corner_hz, "low", fs=RATE_HZ, output="sos"), x).astype(np.float32)
            name = f"{role}-{number}.flac"
            ready = one_shot(Audio(x, RATE_HZ, name))
            (TARGET / name).write_bytes(write_audio(Audio(ready, RATE_HZ, name), "FLAC", 16))
            index[role].append({"file": name, "low": low, "high": high})
    (TARGET / "index.json").write_text(json.dumps(index, indent=1) + "\n")
    shutil.copy(LICENCE, TARGET / "LICENSE.txt")
    print(sum(file.stat().st_size for file in TARGET.glob("*.flac")) / 1e6, "MB")


if __name__ == "__main__":
    main()
