"""Reading a song whole: as values, or as the rows that edits change."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.kit import Kit
from easy_pocket.store.database import Reader, reader_of
from easy_pocket.store.grooves.templates import templates_by_id
from easy_pocket.store.history.undo_log import MissingSongError
from easy_pocket.store.kits.kits import load_kits
from easy_pocket.store.kits.samples import sample_source
from easy_pocket.store.loops.layered_loop_rows import layered_loops
from easy_pocket.store.schema.tables import PartRow, PatternRow, SectionRow, SongRow
from easy_pocket.store.songs.cells import Resolved, feel_of_doc, resolved
from easy_pocket.store.songs.loaded import LoadedPart, LoadedPattern, LoadedSection, LoadedSong
from easy_pocket.store.songs.selection import ANYWHERE, Selection
from easy_pocket.store.songs.song_rows import PartOfRows, SongRows
from easy_pocket.store.songs.spans import bars_played


def read_song(reader: Reader, song_id: int, selection: Selection = ANYWHERE) -> LoadedSong:
    """The song as it is now, as values: no connection is open and no lock held when it is returned."""
    with reader.together() as session:
        return load_song(session, song_id, selection).values


def load_song(session: Session, song_id: int, selection: Selection = ANYWHERE, *, lock: bool = False) -> SongRows:
    """The rows of a song, with a selection of part, pattern and section. lock: hold it until the transaction ends, so
    that changes come one after another. Raises MissingSongError when it is not on the shelf."""
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
    return _assembled(session, selection, row, part_rows, patterns, sections)


def loaded_again(session: Session, song: SongRows, *, kits: bool) -> SongRows:
    """The song after values of its rows were changed, none of them having come, gone or moved: nothing is read again
    but, if `kits`, its kits."""
    patterns = {part.row.id: list(part.patterns) for part in song.parts}
    rows = [part.row for part in song.parts]
    known = {} if kits else song.values.kits
    return _assembled(session, song.values.selection, song.row, rows, patterns, song.sections, known)


def _assembled(
    session: Session,
    selection: Selection,
    row: SongRow,
    part_rows: list[PartRow],
    patterns: dict[int, list[PatternRow]],
    sections: tuple[SectionRow, ...],
    known: Mapping[str, Kit] | None = None,
) -> SongRows:
    parts = tuple(PartOfRows(row, part, tuple(patterns.get(part.id, ()))) for part in part_rows)
    part, pattern, section = _selected(selection, parts, sections)
    wanted = list(dict.fromkeys(part.kit_key for part in part_rows))
    kits = known if known and set(wanted) <= set(known) else load_kits(session, wanted)
    shown = resolved(sections)
    templates = _templates(session, row, part_rows, sections)
    metre = Metre(row.metre_beats, row.metre_unit)
    stack = feel_of_doc(row.feel, templates)
    loaded = tuple(_loaded_part(one, stack, templates) for one in parts)
    mine = next(one for one in loaded if one.id == part.row.id)
    values = LoadedSong(
        id=row.id,
        revision=row.revision,
        name=row.name,
        base_tempo_bpm=row.tempo_bpm,
        metre=metre,
        seed=row.seed,
        is_flat=bool(row.sections_before_flatten),
        feel_doc=row.feel,
        layered_loop_docs=tuple(row.layered_loops or ()),
        collision_choices=row.collision_choices or {},
        stage_doc=row.stage or {},
        parts=loaded,
        part=mine,
        pattern_id=pattern.id,
        pattern_name=pattern.name,
        pattern=mine.patterns_by_id[pattern.id],
        sections=tuple(map(_loaded_section, shown)),
        section_id=section.id,
        section_name=section.name,
        kit=kits[mine.kit_key],
        kits=kits,
        feel=mine.feel,
        mix=mine.mix,
        templates=templates,
        samples=sample_source(reader_of(session)),
        selection=selection,
        guide_doc=row.guide,
        key_map=row.key_map or {},
        layered_loops=tuple(layered_loops(session, row, bars_played(sections, mine.id, pattern.id, metre))),
    )
    return SongRows(row, parts, part.row, pattern, sections, section, shown, values)


def _templates(
    session: Session, row: SongRow, part_rows: list[PartRow], sections: tuple[SectionRow, ...]
) -> dict[int, GrooveTemplate]:
    """Every groove that a feel of the song names, by its id."""
    docs = [row.feel]
    for one in part_rows:
        docs += [one.feel, *one.voice_feel.values()]
    for each in sections:
        docs += [cell["feel"] for cell in each.cells.values() if cell and cell.get("feel")]
    return templates_by_id(session, {doc["template_id"] for doc in docs if doc.get("template_id")})


def _loaded_part(part: PartOfRows, stack: Feel, templates: dict[int, GrooveTemplate]) -> LoadedPart:
    row = part.row
    feel = FeelScopes(
        stack=stack,
        part=feel_of_doc(row.feel, templates),
        voices={voice: feel_of_doc(doc, templates) for voice, doc in row.voice_feel.items()},
        player=row.player,
    )
    return LoadedPart(
        id=row.id,
        name=row.name,
        kit_key=row.kit_key,
        voices=tuple(row.voices),
        cycle_ticks=row.cycle_ticks,
        step_ticks=row.step_ticks,
        voice_steps=row.voice_steps,
        start_shift_ticks=row.start_shift_ticks,
        rotation_ticks=row.rotation_ticks,
        restarts=row.restarts,
        bars=row.bars,
        pattern_order=tuple(row.pattern_order or ()),
        change_percent=row.change_percent,
        seed=row.seed,
        fills=row.fills,
        level_db=row.level_db,
        mute=row.mute,
        solo=row.solo,
        feel_doc=row.feel,
        voice_feel_docs=row.voice_feel,
        feel=feel,
        mix={voice: VoiceMix(**doc) for voice, doc in row.mix.items()},
        patterns=tuple(LoadedPattern(one.id, one.name, part.patterns_by_id[one.id]) for one in part.patterns),
    )


def _loaded_section(one: Resolved) -> LoadedSection:
    return LoadedSection(
        id=one.row.id,
        name=one.row.name,
        notes=one.row.notes,
        mark=one.row.mark,
        bars=one.bars,
        repeats=one.repeats,
        tempo_bpm=one.tempo_bpm,
        metre=one.metre,
        cells=one.cells,
        joins=one.joins,
        parent_id=one.parent.id if one.parent else None,
        parent_name=one.parent.name if one.parent else "",
        own=one.own,
    )


def _selected(
    selection: Selection, parts: tuple[PartOfRows, ...], sections: tuple[SectionRow, ...]
) -> tuple[PartOfRows, PatternRow, SectionRow]:
    """What the page asked for, else what is played in the section it asked for, else the first there is."""
    part = next((one for one in parts if one.row.id == selection.part_id), parts[0])
    pattern = next((one for one in part.patterns if one.id == selection.pattern_id), None)
    shown = resolved(sections)
    place = next((one for one in shown if one.row.id == selection.section_id), None)
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
