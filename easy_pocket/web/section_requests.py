"""Sections as the page edits them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.store.section_edits import join_section, name_section, split_section
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.request_types import Name, Strict

At = tuple[Any, int, int]
Id = Annotated[int, Field(ge=1, le=2**31 - 1)]


class SplitSection(Strict):
    """A section begins at this bar, counted from 1."""

    kind: Literal["section_split"]
    bar: int = Field(ge=1, le=512)

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return split_section(*at, self.bar)


class NameSection(Strict):
    kind: Literal["section_name"]
    section_id: Id
    name: Name

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return name_section(*at, self.section_id, self.name)


class JoinSection(Strict):
    """With the one after it."""

    kind: Literal["section_join"]
    section_id: Id

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return join_section(*at, self.section_id)


SectionChange = SplitSection | NameSection | JoinSection
