"""The song as a whole: hits struck twice, stages before or after a section, writing it out flat and going back."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.song.arrangement import DOUBLE_CHOICES
from easy_pocket.core.song.stages import stages_of
from easy_pocket.core.song.written_out import along_cell, flat_patterns, turn_name
from easy_pocket.core.voices import check_voice, voice_name
from easy_pocket.store.cell_edits import find_part
from easy_pocket.store.cells import cell_to_doc
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.keep import begin
from easy_pocket.store.part_rows import free_name, new_pattern
from easy_pocket.store.section_edits import find_section, finish_sections
from easy_pocket.store.sections import add_row, section_doc
from easy_pocket.store.songs import LoadedSong
from easy_pocket.store.under_rows import sections_of, under_docs


def settle_double(
    session: Session, song_id: int, revision: int, part_id: int, other_id: int, voice: str, choice: str
) -> LoadedSong:
    """What is done where two parts strike a voice of their kit at one moment."""
    loaded = begin(session, song_id, revision)
    one, other = find_part(loaded, min(part_id, other_id)), find_part(loaded, max(part_id, other_id))
    if choice not in DOUBLE_CHOICES or part_id == other_id:
        raise EditRefusedError("Of hits struck twice both are kept, the quieter is dropped, or one is set apart.")
    key = f"{one.row.id}:{other.row.id}:{check_voice(voice)}"
    settled = {name: kept for name, kept in (loaded.row.doubles or {}).items() if name != key}
    if choice != "keep":
        settled[key] = choice
    said = {"keep": "both kept", "drop": "the quieter one dropped", "offset": "set apart"}[choice]
    words = f"{voice_name(voice)} of {one.row.name} and {other.row.name} at once: {said}"
    return finish_sections(session, loaded, words, [field_patch("song", loaded.row, doubles=settled)])


def stage_section(
    session: Session, song_id: int, revision: int, section_id: int, stages: int, bars: int, way: str
) -> LoadedSong:
    """Sections before it that build up to it ("up"), or after it that take it apart ("down")."""
    loaded = begin(session, song_id, revision)
    one = find_section(loaded, section_id)
    song = loaded.arrangement
    section = next(section for section in song.sections if section.key == section_id)
    made = stages_of(song, section, stages)
    made = made if way == "up" else made[::-1]
    first = one.row.position + (way != "up")
    patches: list[Patch] = [
        field_patch("section", row, position=row.position + len(made))
        for row in loaded.sections
        if row.position >= first
    ]
    taken = {row.name for row in loaded.sections}
    for number, stage in enumerate(made):
        cells: dict[str, Any] = {}
        for part, cell in one.cells.items():
            if part in stage.sounding:
                muted = sorted({*cell.get("muted", ()), *stage.muted[part]})
                cells[str(part)] = {**cell, **({"muted": muted} if muted else {})}
        name = free_name(f"{one.row.name} {'stage' if way == 'up' else 'apart'} {number + 1}", taken)
        taken.add(name)
        values = {"tempo_bpm": one.tempo_bpm, "metre": one.metre, "cells": cells, "bars": bars, "name": name}
        patches.append(add_row(session, song_id, position=first + number, **values))
    words = f"{len(made)} stages {'up to' if way == 'up' else 'after'} {one.row.name}"
    return finish_sections(session, loaded, words, patches)


def write_flat(session: Session, song_id: int, revision: int) -> LoadedSong:
    """One linear pattern per part, and a section for every turn; the sections there were are kept to go back to."""
    loaded = begin(session, song_id, revision)
    if loaded.row.kept:
        raise EditRefusedError("The song is written out already; go back to its sections to write it out anew.")
    song = loaded.arrangement
    patterns = flat_patterns(song)
    patches: list[Patch] = []
    keys = {}
    for part in loaded.parts:
        name = free_name("flat", {row.name for row in part.patterns})
        made, patch = new_pattern(session, part.row.id, name, patterns[part.row.id])
        keys[part.row.id] = made.id
        patches.append(patch)
    by_id = {one.row.id: one for one in loaded.resolved}
    turns: dict[int, list[int]] = {}
    for row in loaded.sections:
        patches.append({"table": "section", "id": row.id, "exists": [section_doc(row), None]})
    for span in song.spans:
        was = by_id[span.section.key]
        cells = {
            str(part): cell_to_doc(along_cell(span, part, key), (was.cells.get(part) or {}).get("feel") or {})
            for part, key in keys.items()
        }
        notes = was.row.notes if span.turn == 1 else ""
        values = {"name": turn_name(span), "bars": span.bars, "tempo_bpm": was.tempo_bpm, "metre": was.metre}
        added = add_row(session, song_id, position=span.number, cells=cells, notes=notes, **values)
        patches.append(added)
        turns.setdefault(span.section.key, []).append(added["id"])
    under = [
        {**doc, "section_ids": [new for old in sections_of(doc) for new in turns.get(old, ())], "section_id": None}
        for doc in under_docs(loaded.row)
    ]
    kept_sections = {
        "sections": [{**section_doc(row), "id": row.id} for row in loaded.sections],
        "doubles": loaded.row.doubles or {},
        "under": under_docs(loaded.row),
    }
    fields = {"kept": json.dumps(kept_sections), "doubles": {}, "under": under}
    patches.append(field_patch("song", loaded.row, **fields))
    return finish_sections(session, loaded, "write the song out flat", patches)


def go_back(session: Session, song_id: int, revision: int) -> LoadedSong:
    """The sections as they were before the song was written out; what was written out stays with the parts."""
    loaded = begin(session, song_id, revision)
    if not loaded.row.kept:
        raise EditRefusedError("The song is in sections: there is nothing to go back to.")
    kept = json.loads(loaded.row.kept)
    patches: list[Patch] = [
        {"table": "section", "id": row.id, "exists": [section_doc(row), None]} for row in loaded.sections
    ]
    for doc in kept["sections"]:
        values = {name: value for name, value in doc.items() if name != "id"}
        patches.append({"table": "section", "id": doc["id"], "exists": [None, values]})
    fields = {"kept": None, "doubles": kept["doubles"], "under": kept["under"]}
    patches.append(field_patch("song", loaded.row, **fields))
    return finish_sections(session, loaded, "back to the sections", patches)
