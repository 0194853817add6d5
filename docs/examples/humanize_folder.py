"""Give every MIDI file of a folder a feel: python humanize_folder.py beats felt"""

import sys
from pathlib import Path

from easy_pocket.client import Client, FeelModel, FeelSettings

source, target = Path(sys.argv[1]), Path(sys.argv[2])
target.mkdir(exist_ok=True)
with Client() as pocket:
    for number, file in enumerate(sorted(source.glob("*.mid"))):
        feel = FeelModel(
            settings=FeelSettings(swing_percent=57, drift_ms=3, jitter_ms=2, touch=6),
            voices={"snare": FeelSettings(push_ms=8)},
            seed=number,
        )
        beat = pocket.beat_of_midi(file)
        (target / file.name).write_bytes(pocket.perform_midi(beat, feel))
        print(f"{file.name}: {len(beat.hits)} hits at {beat.tempo_bpm:g} bpm")
