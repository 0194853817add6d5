"""Songs: the shelf, and one song loaded whole for the Bench."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from easy_pocket.caches import ByteCache
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import Performance, perform
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME, GRID_TICKS, Metre, check_tempo
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.sound import SampleSource
from easy_pocket.core.text import one_line
from easy_pocket.store.database import Reader, Reads, reader_of
from easy_pocket.store.grooves.templates import groove_names, templates_by_id
from easy_pocket.store.history.undo_log import MissingSongError
from easy_pocket.store.kits.kits import kit_names, load_kits
from easy_pocket.store.kits.samples import sample_source
from easy_pocket.store.loops.layered_loop_rows import UnderLoop, under_loops
from easy_pocket.store.schema.tables import PartRow, PatternRow, SectionRow, SongRow
from easy_pocket.store.songs.arrangement import arrangement_of
from easy_pocket.store.songs.cells import Resolved, feel_of_doc, resolved
from easy_pocket.store.songs.hits_json import hits_from_json, hits_to_json
from easy_pocket.store.songs.selection import ANYWHERE, Looking
from easy_pocket.store.songs.spans import stretches

MAX_NAME = 80
FIRST_VOICES = ("kick", "snare", "rim", "clap", "hat_closed", "hat_open", "tambourine", "shaker")


@dataclass(frozen=True)
class LoadedPart:
    """A part with its patterns; what was removed is left out."""

    song: SongRow
    row: PartRow
    patterns: tuple[PatternRow, ...]
    feel: FeelScopes
    mix: dict[str, VoiceMix]
    tried: bool = False  # its feel is not the one that is kept

    @cached_property
    def patterns_by_id(self) -> dict[int, Pattern]:
        return {row.id: pattern_of(self.song, row) for row in self.patterns}


@dataclass(frozen=True)
class LoadedSong:
    """A song as a page sees it that looks at one of its parts (`part`), and at one of that part's patterns."""

    row: SongRow
    parts: tuple[LoadedPart, ...]
    part: PartRow
    pattern_row: PatternRow
    sections: tuple[SectionRow, ...]
    section: SectionRow  # the one that is looked at, in which the pattern is played where it is played at all
    kit: Kit
    pattern: Pattern
    feel: FeelScopes
    mix: dict[str, VoiceMix]
    templates: dict[int, GrooveTemplate]  # those its feel leans on
    kits: dict[str, Kit]  # of its parts, by key
    reader: Reader  # for what is asked for only where it is shown
    looking: Looking = ANYWHERE
    under: tuple[UnderLoop, ...] = ()  # loops that play under the stack
    performances: dict[tuple[bool, float, int], Performance] = field(default_factory=dict, compare=False)

    @cached_property
    def resolved(self) -> tuple[Resolved, ...]:
        """Its sections with what they have from others."""
        return resolved(self.sections)

    @cached_property
    def arrangement(self) -> Arrangement:
        """The whole song for the core. Raises BadValueError when it is too long."""
        return arrangement_of(self.row, self.parts, self.resolved, self.templates)

    @cached_property
    def kit_names(self) -> dict[str, str]:
        return kit_names(self.reader)

    @cached_property
    def groove_names(self) -> list[tuple[int, str]]:
        return groove_names(self.reader)

    @property
    def samples(self) -> SampleSource:
        """Recordings of its sounds."""
        return sample_source(self.reader)

    @property
    def metre(self) -> Metre:
        return Metre(self.row.metre_beats, self.row.metre_unit)

    @cached_property
    def tempo_bpm(self) -> float:
        """At which the pattern is heard: that of the section that is looked at, where it has its own, or the song's."""
        own = next((one.tempo_bpm for one in self.resolved if one.row.id == self.section.id), None)
        return own or self.row.tempo_bpm

    def performance(
        self, *, straight: bool = False, tempo_bpm: float | None = None, pass_number: int = 1
    ) -> Performance:
        """Made once for each way of playing; the pattern and the feel of a loaded song do not change."""
        tempo = self.tempo_bpm if tempo_bpm is None else tempo_bpm
        key = (straight, tempo, pass_number)
        if key not in self.performances:
            self.performances[key] = perform(
                self.pattern, self.feel, tempo_bpm=tempo, straight=straight, pass_number=pass_number
            )
        return self.performances[key]


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
    session.add(SectionRow(song_id=song.id, position=0, name="Verse", bars=bars, repeats=1, cells=cells, notes=""))
    session.flush()
    return song


def read_song(reader: Reader, song_id: int, looking: Looking = ANYWHERE) -> LoadedSong:
    """The song as it is, for computing with: nothing is held when it is given."""
    with reader.together() as session:
        return load_song(session, song_id, looking)


def load_song(session: Session, song_id: int, looking: Looking = ANYWHERE, *, lock: bool = False) -> LoadedSong:
    """As seen from where a page looks. Raises MissingSongError when it is not on the shelf. `lock` holds it until the
    transaction ends, so that changes come one after another."""
    asked = select(SongRow).where(SongRow.id == song_id, SongRow.deleted_at.is_(None))
    row = session.scalar(asked.with_for_update() if lock else asked)
    if row is None:
        raise MissingSongError("There is no such song on the shelf: it may have been deleted in another tab.")
    found = select(PartRow).where(PartRow.song_id == song_id, PartRow.removed.is_(False))
    part_rows = list(session.scalars(found.order_by(PartRow.position, PartRow.id)))
    of_parts = select(PatternRow).where(
        PatternRow.part_id.in_([part.id for part in part_rows]), PatternRow.removed.is_(False)
    )
    patterns: dict[int, list[PatternRow]] = {}
    for pattern in session.scalars(of_parts.order_by(PatternRow.id)):
        patterns.setdefault(pattern.part_id, []).append(pattern)
    of_song = select(SectionRow).where(SectionRow.song_id == song_id)
    sections = tuple(session.scalars(of_song.order_by(SectionRow.position, SectionRow.id)))
    return _assembled(session, looking, row, part_rows, patterns, sections)


def assembled_again(session: Session, song: LoadedSong, *, kits: bool) -> LoadedSong:
    """The song after values of its rows were changed, none of them having come, gone or moved: nothing is read anew,
    but its kits where these have changed (kits)."""
    patterns = {part.row.id: list(part.patterns) for part in song.parts}
    rows = [part.row for part in song.parts]
    known = {} if kits else song.kits
    return _assembled(session, song.looking, song.row, rows, patterns, song.sections, known)


def _assembled(
    session: Session,
    looking: Looking,
    row: SongRow,
    part_rows: list[PartRow],
    patterns: dict[int, list[PatternRow]],
    sections: tuple[SectionRow, ...],
    known: dict[str, Kit] | None = None,
) -> LoadedSong:
    docs = [row.feel]
    for part in part_rows:
        docs += [part.feel, *part.voice_feel.values()]
    for section in sections:
        docs += [cell["feel"] for cell in section.cells.values() if cell and cell.get("feel")]
    templates = templates_by_id(session, {doc["template_id"] for doc in docs if doc.get("template_id")})
    stack = feel_of_doc(row.feel, templates)
    parts = tuple(_loaded_part(row, part, patterns.get(part.id, []), stack, templates) for part in part_rows)
    wanted = list(dict.fromkeys(part.kit_key for part in part_rows))
    kits = known if known and set(wanted) <= set(known) else load_kits(session, wanted)
    metre = Metre(row.metre_beats, row.metre_unit)
    part_seen, pattern_row, section_seen = _seen(looking, parts, sections)
    return LoadedSong(
        row=row,
        parts=parts,
        part=part_seen.row,
        pattern_row=pattern_row,
        sections=sections,
        section=section_seen,
        kit=kits[part_seen.row.kit_key],
        pattern=pattern_of(row, pattern_row),
        feel=part_seen.feel,
        mix=part_seen.mix,
        templates=templates,
        kits=kits,
        reader=reader_of(session),
        looking=looking,
        under=tuple(under_loops(session, row, stretches(sections, part_seen.row.id, pattern_row.id, metre))),
    )


def _loaded_part(
    song: SongRow, row: PartRow, patterns: list[PatternRow], stack: Feel, templates: dict[int, GrooveTemplate]
) -> LoadedPart:
    feel = FeelScopes(
        stack=stack,
        part=feel_of_doc(row.feel, templates),
        voices={voice: feel_of_doc(doc, templates) for voice, doc in row.voice_feel.items()},
        player=row.player,
    )
    mix = {voice: VoiceMix(**doc) for voice, doc in row.mix.items()}
    return LoadedPart(song, row, tuple(patterns), feel, mix)


def _seen(
    looking: Looking, parts: tuple[LoadedPart, ...], sections: tuple[SectionRow, ...]
) -> tuple[LoadedPart, PatternRow, SectionRow]:
    """What a page looks at: what it asked for, else what is played where it looks, else the first there is."""
    part = next((one for one in parts if one.row.id == looking.part_id), parts[0])
    pattern = next((one for one in part.patterns if one.id == looking.pattern_id), None)
    shown = resolved(sections)
    place = next((one for one in shown if one.row.id == looking.section_id), None)
    if pattern is None:
        at = place or next((one for one in shown if part.row.id in one.cells), None)
        played = (at.cells.get(part.row.id) or {}).get("pattern") if at else None
        first = next(iter(part.row.pattern_order or ()), None)
        wanted = [key for key in (played, first) if key]
        pattern = next((one for key in wanted for one in part.patterns if one.id == key), part.patterns[0])
    if place is None:
        plays = (one for one in shown if (one.cells.get(part.row.id) or {}).get("pattern") == pattern.id)
        place = next(plays, None) or (shown[0] if shown else None)
    return part, pattern, place.row if place else sections[0]


_patterns: ByteCache[Pattern] = ByteCache("patterns", 128 << 20, lambda pattern: 4_000 + 500 * len(pattern.hits))


def pattern_of(song: SongRow, row: PatternRow) -> Pattern:
    """The pattern as it is kept; one that was read or written lately is not read again."""
    known = _patterns.find(_key(song, row))
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
    _patterns.put(_key(song, row), pattern)


@dataclass(frozen=True)
class ShelfSong:
    """pattern: the first of its first part, for the picture. bars: of the song, repeats counted."""

    row: SongRow
    pattern: Pattern
    kit_name: str
    parts: int
    bars: int


def shelf(session: Reads) -> list[ShelfSong]:
    """All songs, the one changed last first."""
    asked = select(SongRow).where(SongRow.deleted_at.is_(None))
    songs = list(session.scalars(asked.order_by(SongRow.changed_at.desc(), SongRow.id.desc())))
    parts: dict[int, list[PartRow]] = {}
    of_parts = select(PartRow).where(PartRow.removed.is_(False)).order_by(PartRow.position, PartRow.id)
    for part in session.scalars(of_parts):
        parts.setdefault(part.song_id, []).append(part)
    firsts = [parts[song.id][0] for song in songs]
    drawn = _first_patterns(session, [part.id for part in firsts])
    sections: dict[int, list[SectionRow]] = {}
    for section in session.scalars(select(SectionRow).order_by(SectionRow.position, SectionRow.id)):
        sections.setdefault(section.song_id, []).append(section)
    kits = load_kits(session, list(dict.fromkeys(part.kit_key for part in firsts)))
    return [
        ShelfSong(
            song,
            pattern_of(song, drawn[first.id]),
            kits[first.kit_key].name,
            len(parts[song.id]),
            sum(one.bars * one.repeats for one in resolved(tuple(sections.get(song.id, ())))),
        )
        for song, first in zip(songs, firsts, strict=True)
    ]


def _first_patterns(session: Reads, parts: list[int]) -> dict[int, PatternRow]:
    """By part; only the first pattern of each is read."""
    lowest = (
        select(func.min(PatternRow.id))
        .where(PatternRow.part_id.in_(parts), PatternRow.removed.is_(False))
        .group_by(PatternRow.part_id)
    )
    return {row.part_id: row for row in session.scalars(select(PatternRow).where(PatternRow.id.in_(lowest)))}


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
