"""The rows of a song, held in a transaction: what edits change, with the values made of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.kit import Kit
from easy_pocket.store.schema.tables import PartRow, PatternRow, SectionRow, SongRow
from easy_pocket.store.songs.cells import Resolved
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.stored_patterns import pattern_of


@dataclass(frozen=True)
class PartOfRows:
    """A part's row with those of its patterns; patterns that were taken away are left out."""

    song: SongRow
    row: PartRow
    patterns: tuple[PatternRow, ...]

    @cached_property
    def patterns_by_id(self) -> dict[int, Pattern]:
        return {row.id: pattern_of(self.song, row) for row in self.patterns}


@dataclass(frozen=True)
class SongRows:
    """part, pattern_row, section: those selected. resolved: the sections with what they have from others. values: the
    song as it was before the edit."""

    row: SongRow
    parts: tuple[PartOfRows, ...]
    part: PartRow
    pattern_row: PatternRow
    sections: tuple[SectionRow, ...]
    section: SectionRow
    resolved: tuple[Resolved, ...]
    values: LoadedSong

    @property
    def id(self) -> int:
        return self.row.id

    @property
    def pattern_id(self) -> int:
        return self.pattern_row.id

    @property
    def metre(self) -> Metre:
        return self.values.metre

    @property
    def kit(self) -> Kit:
        return self.values.kit

    @property
    def pattern(self) -> Pattern:
        return self.values.pattern

    @property
    def feel(self) -> FeelScopes:
        return self.values.feel

    @property
    def mix(self) -> Mapping[str, VoiceMix]:
        return self.values.mix

    @property
    def arrangement(self) -> Arrangement:
        return self.values.arrangement
