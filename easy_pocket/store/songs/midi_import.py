"""Whole songs from MIDI files."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy.orm import Session

from easy_pocket.core.formats.note_map import nearest_voice
from easy_pocket.core.formats.song_midi import ReadSong
from easy_pocket.core.pattern.insert_phrase import on_kit
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.sound.kit import Kit
from easy_pocket.store.hits_json import hits_to_json
from easy_pocket.store.kits.kits import load_kit
from easy_pocket.store.schema.tables import PartRow, PatternRow, SectionRow, SongRow
from easy_pocket.store.songs.create import check_name, create_song
from easy_pocket.store.songs.part_rows import in_kit_order


def played_on(hits: tuple[Hit, ...], kit: Kit) -> tuple[Hit, ...]:
    """The hits on voices the kit has; what comes nearest plays what it lacks."""
    named = tuple(replace(hit, voice=nearest_voice(hit.voice)) for hit in hits)
    return on_kit(named, kit.roles)


def song_from_midi(session: Session, read: ReadSong, name: str, *, kit_key: str = "boathouse") -> SongRow:
    """A new song on the shelf: a part for every track with notes, sections where the file has markers, or changes its
    tempo or metre."""
    kit = load_kit(session, kit_key)
    first = read.sections[0]
    title = name.rsplit(".", 1)[0][:80] or "song"
    song = create_song(session, title, tempo_bpm=first.tempo_bpm, metre=first.metre, kit_key=kit.key)
    if read.swing:
        song.feel = {**song.feel, "swing_percent": read.swing.percent, "swing_unit": read.swing.unit}
    loaded_part = session.query(PartRow).filter_by(song_id=song.id).one()
    session.query(SectionRow).filter_by(song_id=song.id).delete()
    length = read.length_ticks
    ids: list[tuple[int, int]] = []
    for number, part in enumerate(read.parts):
        hits = played_on(part.hits, kit)
        row = loaded_part if number == 0 else _another(session, loaded_part, number)
        row.name, row.voices = check_name(part.name), in_kit_order({hit.voice for hit in hits})
        pattern = session.query(PatternRow).filter_by(part_id=row.id).first() or PatternRow(
            part_id=row.id, name="A", locks={}
        )
        pattern.length_ticks, pattern.hits = length, hits_to_json(hits)
        session.add(pattern)
        session.flush()
        ids.append((row.id, pattern.id))
    tick = 0
    for position, section in enumerate(read.sections):
        cells = {
            str(part): {"pattern": pattern, "written": True, **({"start": tick} if tick else {})}
            for part, pattern in ids
        }
        own_tempo = None if section.tempo_bpm == first.tempo_bpm else section.tempo_bpm
        own_metre = None if section.metre == first.metre else str(section.metre)
        session.add(
            SectionRow(
                song_id=song.id, position=position, name=section.name, bars=section.bars, repeats=1, cells=cells,
                tempo_bpm=own_tempo, metre=own_metre, joins=[], own=[], notes="",
            )
        )  # fmt: skip
        tick += section.bars * section.metre.bar_ticks
    session.flush()
    return song


def _another(session: Session, like: PartRow, number: int) -> PartRow:
    row = PartRow(
        song_id=like.song_id, position=number, name="", kit_key=like.kit_key, voices=[], cycle_ticks=None,
        step_ticks=like.step_ticks, start_shift_ticks=0, restarts=True, feel={}, voice_feel={}, mix={}, player=number,
        pattern_order=[], voice_steps={},
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row
