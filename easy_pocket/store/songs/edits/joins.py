"""Edits of how sections end: joins added, set and taken away; fills drawn or brought from Ideas become patterns."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field
from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.ideas.change import with_changes
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.song.section import MOST_JOINS
from easy_pocket.core.song.section_fill import cut_out, fill_for
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.songs.cells import Doc, Resolved, join_from_doc, join_to_doc
from easy_pocket.store.songs.edits.fields import Finite, Id, Strict, Tick
from easy_pocket.store.songs.edits.ideas import ChangeDoc, LearnedFrom
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Preparation, Step, edit
from easy_pocket.store.songs.find import find_part, find_section
from easy_pocket.store.songs.part_rows import free_name, in_kit_order, new_pattern
from easy_pocket.store.songs.song_rows import PartOfRows


class JoinDoc(Strict):
    kind: Literal["fill", "drop", "crash", "swell", "pickup"]
    part: int = Field(0, ge=0, le=2**31 - 1)
    pattern: int = Field(0, ge=0, le=2**31 - 1)
    voice: Annotated[str, Field(max_length=30)] = ""
    beats: Finite = 1.0
    velocity: int = Field(112, ge=-1000, le=1000)
    gap_ms: Finite = 0.0
    fade_ms: Finite = 0.0
    keep: Annotated[list[Id], Field(max_length=32)] = Field(default_factory=list)
    last_only: bool = False


class SetJoins(Edit):
    """All joins of a section, as they are wanted."""

    kind: Literal["joins_set"]
    section_id: Id
    joins: Annotated[list[JoinDoc], Field(max_length=16)]


@edit(description="joins of {section}")
def set_joins(context: EditContext, sent: SetJoins) -> Step:
    song = context.song
    section = find_section(song, sent.section_id)
    kept = []
    for doc in sent.joins:
        join = join_from_doc(doc.model_dump(exclude_defaults=True) | {"kind": doc.kind})
        if join.kind != "drop":
            part = find_part(song, join.part)
            if join.kind in ("fill", "pickup") and join.pattern not in part.patterns_by_id:
                raise EditRefusedError(f"{part.row.name} has no such fill any more: choose another.")
        kept.append(join_to_doc(join))
    return Step([joins_patch(section, kept)], said={"section": section.row.name}, long=True)


def joins_patch(section: Resolved, joins: list[Doc]) -> Patch:
    if len(joins) > MOST_JOINS:
        raise EditRefusedError(f"A section has at most {MOST_JOINS} joins: take one away first.")
    own = {"own": sorted({*(section.row.own or ()), "joins"})} if section.parent is not None else {}
    return field_patch("section", section.row, joins=joins, **own)


class DrawFill(Edit):
    """A fill or pick-up of the program's own for the end of a section, which becomes a pattern of the part."""

    kind: Literal["join_draw"]
    section_id: Id
    part_id: Id
    what: Literal["fill", "pickup"] = "fill"
    beats: Annotated[float, Field(ge=1, le=16)] = 2.0
    seed: Annotated[int, Field(ge=0, le=999_999)] = 1
    last_only: bool = False


def _drawn(preparation: Preparation, sent: DrawFill) -> Pattern:
    song = preparation.song
    section, part = find_section(song, sent.section_id), find_part(song, sent.part_id)
    whole = song.arrangement
    core = next(one for one in whole.parts if one.key == sent.part_id)
    where = next(one for one in whole.sections if one.key == section.row.id)
    return fill_for(whole, where, core, song.values.kits[part.row.kit_key].roles, sent.beats, sent.seed)


@edit(
    description=lambda song, sent: (
        f"{'fill' if sent.what == 'fill' else 'pick-up'} of {sent.beats:g} beats at the end of "
        f"{find_section(song, sent.section_id).row.name}"
    ),
    prepare=_drawn,
)
def draw_fill(context: EditContext, sent: DrawFill) -> Step:
    section, part = find_section(context.song, sent.section_id), find_part(context.song, sent.part_id)
    return Step(_with_fill(context.session, section, part, sent.what, context.prepared, sent.last_only), long=True)


class FillFromIdea(Edit):
    """A fill made in Ideas for the selected pattern ends a section; the pattern stays as it is. learn: what is learned
    from while it does."""

    kind: Literal["join_idea"]
    section_id: Id
    changes: Annotated[list[ChangeDoc], Field(max_length=2000)]
    begin_tick: Tick
    end_tick: Tick
    last_only: bool = False
    learn: LearnedFrom | None = None


@edit(description="fill from Ideas at the end of {section}")
def fill_from_idea(context: EditContext, sent: FillFromIdea) -> Step:
    song, begin_tick, end_tick = context.song, sent.begin_tick, sent.end_tick
    section, part = find_section(song, sent.section_id), find_part(song, song.part.id)
    if not 0 <= begin_tick < end_tick <= song.pattern.length_ticks:
        raise EditRefusedError("This fill lies outside the pattern now: ask for it again.")
    changes = [change.to_core() for change in sent.changes]
    pattern = cut_out(with_changes(song.pattern, changes), begin_tick, end_tick)
    crash: list[Doc] = [
        {"kind": "crash", "part": part.row.id, "voice": hit.voice, "velocity": hit.velocity}
        for change in changes
        for hit in change.come
        if not begin_tick <= hit.tick < end_tick
    ]
    patches = _with_fill(context.session, section, part, "fill", pattern, sent.last_only, crash[:1])
    chosen = sent.learn.chosen("fill") if sent.learn else None
    return Step(patches, said={"section": section.row.name}, long=True, chosen=chosen)


def _with_fill(
    session: Session,
    section: Resolved,
    part: PartOfRows,
    kind: str,
    pattern: Pattern,
    last_only: bool,
    more: list[Doc] | None = None,
) -> list[Patch]:
    name = free_name("fill" if kind == "fill" else "pick-up", {row.name for row in part.patterns})
    row, patch = new_pattern(session, part.row.id, name, pattern)
    join: Doc = {"kind": kind, "part": part.row.id, "pattern": row.id}
    if last_only:
        join["last_only"] = True
    others = [one for one in section.joins if not (one["kind"] == kind and one.get("part") == part.row.id)]
    patches = [patch, joins_patch(section, [*others, join, *(more or ())])]
    needed = set(pattern.arrays.voices) - set(part.row.voices)
    if needed:
        patches.append(field_patch("part", part.row, voices=in_kit_order({*part.row.voices, *needed})))
    return patches
