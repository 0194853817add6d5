"""A short line as the shelf shows it: its name, where it belongs, and a small picture."""

from __future__ import annotations

from easy_pocket.core.pattern.phrases import Phrase
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.store.songs.phrases import OWN
from easy_pocket.web.screens.bench.shapes import ShelfLine


def line_doc(line: Phrase) -> ShelfLine:
    """`picture` has a stroke per hit: share across, row from the top, share of full velocity."""
    voices = list(dict.fromkeys(hit.voice for hit in line.hits))
    bars = line.length_ticks / line.metre.bar_ticks
    return {
        "key": line.key,
        "name": line.name,
        "group": line.group,
        "metre": str(line.metre),
        "swung": line.swung,
        "own": line.key.startswith(OWN),
        "bars": round(bars, 2),
        "voices": [voice_name(voice) for voice in voices],
        "picture": [
            [round(hit.tick / line.length_ticks, 4), voices.index(hit.voice), round(hit.velocity / 127, 2)]
            for hit in line.hits
        ],
    }
