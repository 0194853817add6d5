"""Notes of a MIDI file that are no voice of ours: which they are, and what they are to play."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, replace

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.note_map import NOTE_PREFIX, nearest_voice
from easy_pocket.core.formats.song_midi import ReadSong
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.core.text import whole_number


@dataclass(frozen=True)
class UnknownNote:
    """note: 0 to 127. count: of its hits. nearest: the voice that would play it when nothing else is said."""

    note: int
    count: int
    nearest: str


def unknown_notes(read: ReadSong) -> list[UnknownNote]:
    """The notes that are exactly no voice, the most frequent first."""
    counts = Counter(hit.voice for part in read.parts for hit in part.hits if hit.voice.startswith(NOTE_PREFIX))
    return [
        UnknownNote(int(voice.removeprefix(NOTE_PREFIX)), count, nearest_voice(voice))
        for voice, count in counts.most_common()
    ]


def note_choices(text: str) -> dict[int, str]:
    """Voices by note, of "22:hat_closed,26:hat_open"; "" for a note that is left out. Raises BadValueError."""
    chosen: dict[int, str] = {}
    for pair in filter(None, text.split(",")):
        number, _, voice = pair.partition(":")
        note = whole_number(number)
        if note is None or not 0 <= note <= 127 or (voice and voice not in ROLES):
            raise BadValueError(f"'{pair[:40]}' does not say what a note plays: write a note, 0 to 127, and a voice.")
        chosen[note] = voice
    return chosen


def with_notes(read: ReadSong, chosen: Mapping[int, str]) -> ReadSong:
    """The same with voices for its unknown notes; hits that would fall on one another are one, the louder."""
    parts = []
    for part in read.parts:
        places: dict[tuple[int, str], Hit] = {}
        for hit in part.hits:
            voice = hit.voice
            if voice.startswith(NOTE_PREFIX):
                voice = chosen.get(int(voice.removeprefix(NOTE_PREFIX)), voice)
            if not voice:
                continue
            known = places.get((hit.tick, voice))
            if known is None or known.velocity < hit.velocity:
                places[hit.tick, voice] = replace(hit, voice=voice)
        if places:
            parts.append(replace(part, hits=tuple(places.values())))
    if not parts:
        raise BadValueError("All notes of this file were left out: choose a voice for one of them at least.")
    return replace(read, parts=tuple(parts))
