"""Sections of a song: as long as its one pattern has bars, one after another along it."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.models import SectionRow


def fitted_bars(bars: list[int], total: int) -> list[int]:
    """Bars of sections that together have `total`: the last one gives way, then those before it, down to none."""
    fitted = list(bars)
    missing = total - sum(fitted)
    for place in reversed(range(len(fitted))):
        given = max(missing, -fitted[place])
        fitted[place] += given
        missing -= given
        if not missing:
            break
    return fitted


def fit_sections(sections: tuple[SectionRow, ...], total: int) -> list[Patch]:
    """Make the sections as long as the pattern; patches of those that changed, applied already."""
    patches = []
    for row, bars in zip(sections, fitted_bars([row.bars for row in sections], total), strict=True):
        if row.bars != bars:
            patches.append(field_patch("section", row, bars=bars))
            row.bars = bars
    return patches


def put_before(
    session: Session, sections: tuple[SectionRow, ...], named: list[tuple[str, int]]
) -> tuple[tuple[SectionRow, ...], list[Patch]]:
    """New sections (name, bars) before those there are, which play what the first of them plays; and the patches."""
    patches = [field_patch("section", row, position=row.position + len(named)) for row in sections]
    for row in sections:
        row.position += len(named)
    added = []
    for position, (name, bars) in enumerate(named):
        row = SectionRow(
            song_id=sections[0].song_id, position=position, name=name, bars=bars, repeats=1, cells=sections[0].cells
        )
        session.add(row)
        session.flush()
        added.append(row)
        patches.append({"table": "section", "id": row.id, "exists": [None, section_doc(row)]})
    return (*added, *sections), patches


def section_doc(row: SectionRow) -> dict[str, Any]:
    names = ("song_id", "position", "name", "bars", "repeats", "tempo_bpm", "metre", "cells")
    return {name: getattr(row, name) for name in names}


def spans(sections: tuple[SectionRow, ...]) -> dict[int, tuple[int, int]]:
    """First and last bar (counted from 1) of every section that has any, by its id."""
    found, bar = {}, 1
    for row in sections:
        if row.bars:
            found[row.id] = (bar, bar + row.bars - 1)
        bar += row.bars
    return found
