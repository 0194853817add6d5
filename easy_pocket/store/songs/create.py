"""A new song, and what a name may be."""

from __future__ import annotations

from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME, GRID_TICKS, Metre, check_tempo
from easy_pocket.core.text import one_line
from easy_pocket.store.hits_json import hits_to_json
from easy_pocket.store.schema.tables import PartRow, PatternRow, SectionRow, SongRow

MAX_NAME = 80
FIRST_VOICES = ("kick", "snare", "rim", "clap", "hat_closed", "hat_open", "tambourine", "shaker")


def check_name(name: str) -> str:
    """A name without control characters, 1 to 80 long; raises BadValueError."""
    cleaned = one_line(name, len(name))
    if not cleaned:
        raise BadValueError("The name is empty: give it at least one letter.")
    if len(cleaned) > MAX_NAME:
        raise BadValueError(f"The name has {len(cleaned)} characters; at most {MAX_NAME} fit.")
    return cleaned


def create_song(
    session: Session,
    name: str,
    *,
    tempo_bpm: float = 100.0,
    metre: Metre = COMMON_TIME,
    bars: int = 2,
    kit_key: str = "boathouse",
    voices: tuple[str, ...] = FIRST_VOICES,
    hits: tuple[Hit, ...] = (),
    feel: dict[str, object] | None = None,
    voice_feel: dict[str, object] | None = None,
    mix: dict[str, object] | None = None,
) -> SongRow:
    """A song with one section in which one part plays one pattern."""
    pattern = Pattern(bars * metre.bar_ticks, hits, metre)
    song = SongRow(
        name=check_name(name),
        tempo_bpm=check_tempo(tempo_bpm),
        metre_beats=metre.beats,
        metre_unit=metre.unit,
        seed=1,
        feel=feel or {},
        revision=1,
    )
    session.add(song)
    session.flush()
    part = PartRow(
        song_id=song.id,
        position=0,
        name="Backbone",
        kit_key=kit_key,
        voices=list(voices),
        cycle_ticks=None,
        step_ticks=GRID_TICKS["16"],
        start_shift_ticks=0,
        restarts=True,
        feel={},
        voice_feel=voice_feel or {},
        mix=mix or {},
    )
    session.add(part)
    session.flush()
    row = PatternRow(part_id=part.id, name="A", length_ticks=pattern.length_ticks, hits=hits_to_json(pattern.hits))
    session.add(row)
    session.flush()
    cells = {str(part.id): {"pattern": row.id}}
    session.add(SectionRow(song_id=song.id, position=0, name="Verse", bars=bars, repeats=1, cells=cells, notes=""))
    session.flush()
    return song
