"""Edits of the song as a whole: hits struck twice, stages of a build-up, writing it out flat and going back."""

from __future__ import annotations

import json
from typing import Literal

from pydantic import Field

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.voices import check_voice, voice_name
from easy_pocket.core.song.buildup import BuildupStage, stages_of
from easy_pocket.core.song.flat_patterns import along_cell, flat_patterns, turn_name
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.loops.layered_loop_rows import layered_loop_docs_of, sections_of
from easy_pocket.store.songs.cells import cell_to_doc
from easy_pocket.store.songs.edits.fields import Id, Voice
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Preparation, Step, edit
from easy_pocket.store.songs.edits.sections import stage_line
from easy_pocket.store.songs.find import find_part, find_section
from easy_pocket.store.songs.part_rows import free_name, new_pattern
from easy_pocket.store.songs.spans import add_row, section_doc
from easy_pocket.store.songs.stage_doc import with_section_copied

SETTLED = {"keep": "both kept", "drop": "the quieter one dropped", "offset": "set apart"}


class ResolveCollision(Edit):
    """What is done where two parts strike a voice of their kit at one moment."""

    kind: Literal["collision"]
    part_id: Id
    other_id: Id
    voice: Voice
    choice: Literal["keep", "drop", "offset"]


@edit(description="{whose} of {one} and {other} at once: {settled}")
def resolve_collision(context: EditContext, sent: ResolveCollision) -> Step:
    song = context.song
    one = find_part(song, min(sent.part_id, sent.other_id))
    other = find_part(song, max(sent.part_id, sent.other_id))
    if sent.part_id == sent.other_id:
        raise EditRefusedError("Of hits struck twice both are kept, the quieter is dropped, or one is set apart.")
    key = f"{one.row.id}:{other.row.id}:{check_voice(sent.voice)}"
    choices = {name: choice for name, choice in (song.row.collision_choices or {}).items() if name != key}
    if sent.choice != "keep":
        choices[key] = sent.choice
    said = {"whose": voice_name(sent.voice), "one": one.row.name, "other": other.row.name}
    return Step(
        [field_patch("song", song.row, collision_choices=choices)],
        said={**said, "settled": SETTLED[sent.choice]},
        long=True,
    )


class StageSection(Edit):
    """Sections before a section that build up to it ("up"), or after it that take it apart ("down")."""

    kind: Literal["section_stages"]
    section_id: Id
    stages: int = Field(3, ge=1, le=16)
    bars: int = Field(2, ge=1, le=64)
    way: Literal["up", "down"] = "up"


def _stages(preparation: Preparation, sent: StageSection) -> tuple[BuildupStage, ...]:
    one = find_section(preparation.song, sent.section_id)
    whole = preparation.song.arrangement
    section = next(section for section in whole.sections if section.key == one.row.id)
    return stages_of(whole, section, sent.stages)


@edit(description="{count} stages {where} {name}", prepare=_stages)
def stage_section(context: EditContext, sent: StageSection) -> Step:
    song, up = context.song, sent.way == "up"
    one = find_section(song, sent.section_id)
    made = context.prepared if up else context.prepared[::-1]
    first = one.row.position + (not up)
    patches: list[Patch] = [
        field_patch("section", row, position=row.position + len(made)) for row in song.sections if row.position >= first
    ]
    taken = {row.name for row in song.sections}
    for number, stage in enumerate(made):
        cells: dict[str, object] = {}
        for part, cell in one.cells.items():
            if part in stage.sounding:
                muted = sorted({*cell.get("muted", ()), *stage.muted[part]})
                cells[str(part)] = {**cell, **({"muted": muted} if muted else {})}
        name = free_name(f"{one.row.name} {'stage' if up else 'apart'} {number + 1}", taken)
        taken.add(name)
        values = {"tempo_bpm": one.tempo_bpm, "metre": one.metre, "cells": cells, "bars": sent.bars, "name": name}
        patches.append(add_row(context.session, song.row.id, position=first + number, **values))
    said = {"count": len(made), "where": "up to" if up else "after", "name": one.row.name}
    return Step(patches, said=said, long=True)


class WriteFlat(Edit):
    """One linear pattern per part, and a section for every turn; the sections there were are kept to go back to."""

    kind: Literal["song_flat"]


def _flat(preparation: Preparation, sent: WriteFlat) -> dict[int, Pattern]:
    if preparation.song.row.sections_before_flatten:
        raise EditRefusedError("The song is written out already; go back to its sections to write it out anew.")
    return flat_patterns(preparation.song.arrangement)


@edit(description="write the song out flat", prepare=_flat)
def write_flat(context: EditContext, sent: WriteFlat) -> Step:
    song, session = context.song, context.session
    whole = song.arrangement
    patches: list[Patch] = []
    keys = {}
    for part in song.parts:
        name = free_name("flat", {row.name for row in part.patterns})
        made, patch = new_pattern(session, part.row.id, name, context.prepared[part.row.id])
        keys[part.row.id] = made.id
        patches.append(patch)
    by_id = {one.row.id: one for one in song.resolved}
    turns: dict[int, list[int]] = {}
    for row in song.sections:
        patches.append({"table": "section", "id": row.id, "exists": [section_doc(row), None]})
    for span in whole.spans:
        was = by_id[span.section.key]
        cells = {
            str(part): cell_to_doc(along_cell(span, part, key), (was.cells.get(part) or {}).get("feel") or {})
            for part, key in keys.items()
        }
        notes = was.row.notes if span.turn == 1 else ""
        values = {"name": turn_name(span), "bars": span.bars, "tempo_bpm": was.tempo_bpm, "metre": was.metre}
        added = add_row(session, song.row.id, position=span.number, cells=cells, notes=notes, **values)
        patches.append(added)
        turns.setdefault(span.section.key, []).append(added["id"])
    stage = song.row.stage
    for old, made_ids in turns.items():
        for new in made_ids:
            stage = with_section_copied(stage, stage_line(by_id[old]), new)
    layers = [
        {**doc, "section_ids": [new for old in sections_of(doc) for new in turns.get(old, ())], "section_id": None}
        for doc in layered_loop_docs_of(song.row)
    ]
    before = {
        "sections": [{**section_doc(row), "id": row.id} for row in song.sections],
        "collision_choices": song.row.collision_choices or {},
        "layered_loops": layered_loop_docs_of(song.row),
    }
    fields = {"sections_before_flatten": json.dumps(before), "collision_choices": {}, "layered_loops": layers}
    patches.append(field_patch("song", song.row, **fields, stage=stage))
    return Step(patches, long=True)


class GoBack(Edit):
    """The sections as they were before the song was written out; what was written out stays with the parts."""

    kind: Literal["song_back"]


@edit(description="back to the sections")
def go_back(context: EditContext, sent: GoBack) -> Step:
    song = context.song
    if not song.row.sections_before_flatten:
        raise EditRefusedError("The song is in sections: there is nothing to go back to.")
    before = json.loads(song.row.sections_before_flatten)
    patches: list[Patch] = [
        {"table": "section", "id": row.id, "exists": [section_doc(row), None]} for row in song.sections
    ]
    for doc in before["sections"]:
        values = {name: value for name, value in doc.items() if name != "id"}
        patches.append({"table": "section", "id": doc["id"], "exists": [None, values]})
    names = ("collision_choices", "layered_loops")
    fields = {"sections_before_flatten": None, **{name: before[name] for name in names}}
    patches.append(field_patch("song", song.row, **fields))
    return Step(patches, long=True)
