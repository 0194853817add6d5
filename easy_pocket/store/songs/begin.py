"""Songs that begin with something: a line, an audio loop."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy.orm import Session

from easy_pocket.core.pattern.insert_phrase import on_kit
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.phrases import Phrase
from easy_pocket.store.kits.kits import load_kit
from easy_pocket.store.schema.tables import SongRow
from easy_pocket.store.songs.create import FIRST_VOICES, create_song
from easy_pocket.store.songs.part_rows import in_kit_order

FIRST_KIT = "boathouse"
LEAST_BARS = 2


def song_from_line(session: Session, line: Phrase, tempo_bpm: float) -> SongRow:
    """A song whose pattern is the line, two bars at least; it begins with the rails of a new song and those the line
    needs."""
    kit = load_kit(session, FIRST_KIT)
    once = on_kit(line.hits, kit.roles)
    bars = -(-line.length_ticks // line.metre.bar_ticks)
    times = -(-LEAST_BARS // bars)
    hits: list[Hit] = [
        replace(hit, tick=hit.tick + turn * bars * line.metre.bar_ticks) for turn in range(times) for hit in once
    ]
    voices = in_kit_order({*FIRST_VOICES, *(hit.voice for hit in once)})
    return create_song(
        session, line.name.capitalize(), tempo_bpm=tempo_bpm, metre=line.metre, bars=bars * times, kit_key=kit.key,
        voices=tuple(voices), hits=tuple(hits), feel={"swing_percent": SWUNG_PERCENT} if line.feel == "swung" else {},
    )  # fmt: skip


SWUNG_PERCENT = 62.0  # what a swung line begins with
