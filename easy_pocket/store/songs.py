"""Songs: the shelf, and one song loaded whole for the Bench."""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field, fields
from datetime import UTC, datetime
from functools import cached_property, partial
from threading import Lock
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel import Feel, FeelScopes
from easy_pocket.core.pattern import Hit, Pattern
from easy_pocket.core.perform import Performance, perform
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.sound import SampleSource
from easy_pocket.core.template import GrooveTemplate
from easy_pocket.core.timebase import COMMON_TIME, GRID_TICKS, Metre, check_tempo
from easy_pocket.store.changes import MissingSongError
from easy_pocket.store.hits import hits_from_json, hits_to_json
from easy_pocket.store.kits import kit_names, load_kit
from easy_pocket.store.models import LoopRow, PartRow, PatternRow, SectionRow, SongRow
from easy_pocket.store.samples import sample_source
from easy_pocket.store.templates import find_template, groove_names, templates_by_id
from easy_pocket.store.under_rows import UnderLoop, copied_under, under_loops

MAX_NAME = 80
MOST_PATTERNS = 32
FIRST_VOICES = ("kick", "snare", "rim", "clap", "hat_closed", "hat_open", "tambourine", "shaker")


@dataclass(frozen=True)
class LoadedSong:
    """A song with its one part, as the core wants it."""

    row: SongRow
    part: PartRow
    pattern_row: PatternRow
    sections: tuple[SectionRow, ...]
    kit: Kit
    pattern: Pattern
    feel: FeelScopes
    mix: dict[str, VoiceMix]
    templates: dict[int, GrooveTemplate]  # those its feel leans on
    groove_of: Callable[[int], GrooveTemplate | None]  # any groove, as long as the session lasts
    groove_names_of: Callable[[], list[tuple[int, str]]]
    samples: SampleSource  # recordings of its sounds, while the session lasts
    kit_names_of: Callable[[], dict[str, str]]  # asked for only where they are shown
    under: tuple[UnderLoop, ...] = ()  # loops that play under the stack
    performances: dict[tuple[bool, float, int], Performance] = field(default_factory=dict, compare=False)
    just_done: str | None = None  # words of the edit this is the result of
    just_made: int | None = None  # the groove it put on the shelf
    just_felt: bool = False  # it changed the feel and nothing else
    just_changed: frozenset[str] | None = None  # voices whose hits it changed, when it changed nothing else

    @cached_property
    def kit_names(self) -> dict[str, str]:
        return self.kit_names_of()

    @property
    def metre(self) -> Metre:
        return Metre(self.row.metre_beats, self.row.metre_unit)

    def performance(
        self, *, straight: bool = False, tempo_bpm: float | None = None, pass_number: int = 1
    ) -> Performance:
        """Made once for each way of playing; the pattern and the feel of a loaded song do not change."""
        tempo = self.row.tempo_bpm if tempo_bpm is None else tempo_bpm
        key = (straight, tempo, pass_number)
        if key not in self.performances:
            self.performances[key] = perform(
                self.pattern, self.feel, tempo_bpm=tempo, straight=straight, pass_number=pass_number
            )
        return self.performances[key]


def check_name(name: str) -> str:
    """A name without control characters, 1 to 80 long; raises BadValueError."""
    cleaned = " ".join("".join(c for c in name if c.isprintable()).split())
    if not cleaned:
        raise BadValueError("The name is empty: give it at least one letter.")
    if len(cleaned) > MAX_NAME:
        raise BadValueError(f"The name has {len(cleaned)} characters; at most {MAX_NAME} fit.")
    return cleaned


def feel_from_doc(doc: dict[str, Any], templates: dict[int, GrooveTemplate]) -> Feel:
    """A scope's settings; a template that is gone counts as not set."""
    known = {f.name for f in fields(Feel)} - {"template"}
    values = {name: value for name, value in doc.items() if name in known}
    return Feel(template=templates.get(doc.get("template_id", 0)), **values)


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
    feel: dict[str, Any] | None = None,
    voice_feel: dict[str, Any] | None = None,
    mix: dict[str, Any] | None = None,
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
    session.add(SectionRow(song_id=song.id, position=0, name="Verse", bars=bars, repeats=1, cells=cells))
    return song


def load_song(session: Session, song_id: int, *, lock: bool = False) -> LoadedSong:
    """Raises MissingSongError when it is not on the shelf. `lock` holds it until the transaction ends, so that changes
    come one after another."""
    asked = (
        select(SongRow, PartRow, PatternRow)
        .join(PartRow, PartRow.song_id == SongRow.id)
        .join(PatternRow, PatternRow.part_id == PartRow.id)
        .where(SongRow.id == song_id, SongRow.deleted_at.is_(None))
        .order_by(PartRow.position, PatternRow.id)
        .limit(1)
    )
    found = session.execute(asked.with_for_update() if lock else asked).first()
    if found is None:
        raise MissingSongError("There is no such song on the shelf: it may have been deleted in another tab.")
    row, part, pattern_row = found
    of_song = select(SectionRow).where(SectionRow.song_id == song_id)
    sections = tuple(session.scalars(of_song.order_by(SectionRow.position)))
    docs = (row.feel, part.feel, *part.voice_feel.values())
    templates = templates_by_id(session, {doc["template_id"] for doc in docs if "template_id" in doc})
    return LoadedSong(
        row=row,
        part=part,
        pattern_row=pattern_row,
        sections=sections,
        kit=load_kit(session, part.kit_key),
        pattern=pattern_of(row, pattern_row),
        feel=FeelScopes(
            stack=feel_from_doc(row.feel, templates),
            part=feel_from_doc(part.feel, templates),
            voices={voice: feel_from_doc(doc, templates) for voice, doc in part.voice_feel.items()},
        ),
        mix={voice: VoiceMix(**doc) for voice, doc in part.mix.items()},
        templates=templates,
        groove_of=partial(find_template, session),
        groove_names_of=partial(groove_names, session),
        samples=sample_source(session),
        kit_names_of=partial(kit_names, session),
        under=tuple(under_loops(session, row, sections)),
    )


_patterns: OrderedDict[tuple[str, int, int, int, str], Pattern] = OrderedDict()
_lock = Lock()


def pattern_of(song: SongRow, row: PatternRow) -> Pattern:
    """The pattern as it is kept; one that was read or written lately is not read again."""
    with _lock:
        known = _patterns.get(_key(song, row))
    if known is None:
        locks = row.locks or {}
        known = Pattern(
            row.length_ticks,
            tuple(hits_from_json(row.hits)),
            Metre(song.metre_beats, song.metre_unit),
            frozenset(locks.get("voices", ())),
            frozenset(locks.get("places", ())),
        )
        remember_pattern(song, row, known)
    return known


def _key(song: SongRow, row: PatternRow) -> tuple[str, int, int, int, str]:
    return row.hits, row.length_ticks, song.metre_beats, song.metre_unit, json.dumps(row.locks or {})


def remember_pattern(song: SongRow, row: PatternRow, pattern: Pattern) -> None:
    """What the row holds now is this pattern."""
    with _lock:
        _patterns[_key(song, row)] = pattern
        while len(_patterns) > MOST_PATTERNS:
            _patterns.popitem(last=False)


@dataclass(frozen=True)
class ShelfSong:
    row: SongRow
    pattern: Pattern
    kit_name: str


def shelf(session: Session) -> list[ShelfSong]:
    """All songs, the one changed last first."""
    rows = session.execute(
        select(SongRow, PatternRow, PartRow.kit_key)
        .join(PartRow, PartRow.song_id == SongRow.id)
        .join(PatternRow, PatternRow.part_id == PartRow.id)
        .where(SongRow.deleted_at.is_(None), PartRow.position == 0)
        .order_by(SongRow.changed_at.desc(), SongRow.id.desc())
    )
    return [ShelfSong(song, pattern_of(song, pattern), load_kit(session, key).name) for song, pattern, key in rows]


def is_empty(session: Session) -> bool:
    """Whether no song was ever made (deleted ones count: their owner emptied the shelf on purpose)."""
    return session.scalar(select(SongRow.id).limit(1)) is None


def delete_song(session: Session, song_id: int) -> SongRow:
    """Take it off the shelf; `restore_song` puts it back whole."""
    row = load_song(session, song_id).row
    row.deleted_at = datetime.now(UTC).replace(tzinfo=None)
    return row


def restore_song(session: Session, song_id: int) -> SongRow:
    session.execute(update(SongRow).where(SongRow.id == song_id).values(deleted_at=None))
    return load_song(session, song_id).row


def duplicate_song(session: Session, song_id: int) -> SongRow:
    """A copy with its loops; it starts an undo log of its own."""
    source = load_song(session, song_id)
    copy = create_song(
        session,
        f"{source.row.name[: MAX_NAME - 5]} copy",
        tempo_bpm=source.row.tempo_bpm,
        metre=source.metre,
        kit_key=source.part.kit_key,
        voices=tuple(source.part.voices),
        feel=source.row.feel,
        voice_feel=source.part.voice_feel,
        mix=source.part.mix,
    )
    loaded = load_song(session, copy.id)
    loaded.part.name, loaded.part.feel = source.part.name, source.part.feel
    loaded.part.step_ticks = source.part.step_ticks
    loaded.part.voice_steps = source.part.voice_steps
    loaded.pattern_row.length_ticks, loaded.pattern_row.hits = source.pattern_row.length_ticks, source.pattern_row.hits
    loaded.pattern_row.locks = source.pattern_row.locks
    sections = _copied_sections(session, source, loaded)
    copies: dict[int, LoopRow] = {}
    for loop in session.scalars(select(LoopRow).where(LoopRow.song_id == song_id, LoopRow.removed.is_(False))):
        copies[loop.id] = LoopRow(
            song_id=copy.id,
            name=loop.name,
            audio_hash=loop.audio_hash,
            found=loop.found,
            overruled=loop.overruled,
            removed=False,
        )
        session.add(copies[loop.id])
    session.flush()
    copy.under = copied_under(source.row, {old: row.id for old, row in copies.items()}, sections)
    return copy


def _copied_sections(session: Session, source: LoadedSong, copy: LoadedSong) -> dict[int, int]:
    """The source's sections in place of the copy's one; the new id of each."""
    first, cells = copy.sections[0], copy.sections[0].cells
    ids = {}
    for number, row in enumerate(source.sections):
        made = first if number == 0 else SectionRow(song_id=copy.row.id, repeats=1, cells=cells)
        made.position, made.name, made.bars = number, row.name, row.bars
        session.add(made)
        session.flush()
        ids[row.id] = made.id
    return ids
