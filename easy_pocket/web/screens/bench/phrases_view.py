"""A short line as the shelf shows it: its name, where it belongs, and a small picture."""

from __future__ import annotations

from easy_pocket.core.pattern.phrases import Phrase
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.store.database import Reads
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.phrases import OWN, lines
from easy_pocket.web.screens.bench.shapes import ShelfLine


def offered(reader: Reads, song: LoadedSong) -> list[ShelfLine]:
    """The user's own lines, then those for the metre and tempo of the song, then all others."""

    def order(line: Phrase) -> tuple[bool, bool]:
        fits = line.metre == song.metre and line.suits(song.tempo_bpm)
        return not line.key.startswith(OWN), not fits

    return [line_doc(line) for line in sorted(lines(reader), key=order)]


def line_doc(line: Phrase) -> ShelfLine:
    """`picture` has a stroke per hit: share across, row from the top, share of full velocity."""
    voices = list(dict.fromkeys(hit.voice for hit in line.hits))
    bars = line.length_ticks / line.metre.bar_ticks
    return {
        "key": line.key,
        "name": line.name,
        "group": line.group,
        "metre": str(line.metre),
        "feel": "" if line.feel == "straight" else line.feel,
        "tempo_bpm": list(line.tempo_bpm or ()),
        "own": line.key.startswith(OWN),
        "bars": round(bars, 2),
        "voices": [voice_name(voice) for voice in voices],
        "picture": [
            [round(hit.tick / line.length_ticks, 4), voices.index(hit.voice), round(hit.velocity / 127, 2)]
            for hit in line.hits
        ],
    }
