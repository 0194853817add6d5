"""The order in which sections were started while the song played, kept as the order of the song."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import Field

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.song.section import MAX_REPEATS
from easy_pocket.core.text import counted
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.songs.cells import Resolved
from easy_pocket.store.songs.edits.fields import Bars, Id
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit
from easy_pocket.store.songs.edits.sections import next_name, own_values, stage_line
from easy_pocket.store.songs.find import find_section
from easy_pocket.store.songs.spans import add_row, section_doc
from easy_pocket.store.songs.stage_doc import with_section_copied

MOST_STARTED = 128


class OrderSections(Edit):
    """Rows of a section and how many of its bars were played, one after another.

    The first time a section is played whole it stands there itself; other times, and those it was left early, become
    copies of it. Sections that were not played come after all others.
    """

    kind: Literal["section_order"]
    played: Annotated[list[tuple[Id, Bars]], Field(min_length=1, max_length=MOST_STARTED)]


class _Stretch(NamedTuple):
    one: Resolved
    bars: int
    repeats: int


@edit(description="the order that was played: {what}")
def order_sections(context: EditContext, sent: OrderSections) -> Step:
    song, session = context.song, context.session
    stretches = _joined(_stretches(context, sent))
    there: set[int] = set()
    patches: list[Patch] = []
    names = list(song.sections)
    stage = song.row.stage
    for position, (one, bars, repeats) in enumerate(stretches):
        row = one.row
        if bars == one.bars and row.id not in there:
            there.add(row.id)
            own = {"own": sorted({*(row.own or ()), "repeats"})} if one.parent is not None else {}
            changed = {"repeats": repeats, **own} if repeats != one.repeats else {}
            patches.append(field_patch("section", row, position=position, **changed))
            continue
        values: dict[str, Any] = {
            **section_doc(row), **own_values(one), "bars": bars, "repeats": repeats, "parent_id": None, "own": [],
            "position": position, "name": next_name(row.name, tuple(names)),
        }  # fmt: skip
        added = add_row(session, **values)
        patches.append(added)
        names.append(session.get_one(type(row), added["id"]))
        stage = with_section_copied(stage, stage_line(one), added["id"])
    rest = [one.row for one in song.resolved if one.row.id not in there]
    patches += [field_patch("section", row, position=len(stretches) + number) for number, row in enumerate(rest)]
    if stage != song.row.stage:
        patches.append(field_patch("song", song.row, stage=stage))
    patches = [one for one in patches if one.get("fields", True)]
    if not patches:
        raise EditRefusedError("The song is in this order already.")
    what = counted(len(stretches), "section") + (f", {len(rest)} not played at the end" if rest else "")
    return Step(patches, said={"what": what}, long=True)


def _stretches(context: EditContext, sent: OrderSections) -> Iterator[_Stretch]:
    """Whole sections with their repeats, and what was left of one that was left early."""
    for section_id, bars in sent.played:
        one = find_section(context.song, section_id)
        whole, rest = divmod(bars, one.bars)
        while whole:
            repeats = min(whole, MAX_REPEATS)
            yield _Stretch(one, one.bars, repeats)
            whole -= repeats
        if rest:
            yield _Stretch(one, rest, 1)


def _joined(stretches: Iterable[_Stretch]) -> list[_Stretch]:
    """What was played whole several times in a row is one section with its repeats."""
    found: list[_Stretch] = []
    for next_one in stretches:
        last = found[-1] if found else None
        whole = last is not None and last.one is next_one.one and last.bars == next_one.bars == next_one.one.bars
        if last is not None and whole and last.repeats + next_one.repeats <= MAX_REPEATS:
            found[-1] = last._replace(repeats=last.repeats + next_one.repeats)
        else:
            found.append(next_one)
    return found
