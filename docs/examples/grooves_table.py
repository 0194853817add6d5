"""The grooves of all loops in a folder as a table: python grooves_table.py loops > grooves.csv"""

import csv
import sys
from pathlib import Path

from easy_pocket.client import Client

table = csv.writer(sys.stdout)
table.writerow(["loop", "tempo_bpm", "swing_percent", *(f"slot {slot + 1} ms" for slot in range(16))])
with Client() as pocket:
    for file in sorted(Path(sys.argv[1]).glob("*.wav")):
        found = pocket.listen(file)
        heard, offsets = found["heard"], found["groove"]["lanes"]["all"]["offset_ms"]
        swing = heard["swing_percent"]
        row = [file.name, f"{heard['tempo_bpm']:.2f}", "" if swing is None else f"{swing:.1f}"]
        table.writerow([*row, *("" if ms is None else f"{ms:.1f}" for ms in offsets[:16])])
