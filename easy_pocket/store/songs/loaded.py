"""A song read whole, as values: nothing in it belongs to a database session, and nothing in it changes."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.feel.perform import Performance, perform
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import Metre, parse_metre
from easy_pocket.core.pattern.voices import check_voice
from easy_pocket.core.song.arrangement import Arrangement
from easy_pocket.core.song.part import Part, Turning
from easy_pocket.core.song.section import Section
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.sound import SampleSource
from easy_pocket.core.stage.section_settings import NO_SETTINGS
from easy_pocket.core.stage.stage import Stage, Unit, unit_from_doc
from easy_pocket.store.loops.layered_loop_rows import LayeredLoop
from easy_pocket.store.songs.cells import Doc, cell_from_doc, join_from_doc
from easy_pocket.store.songs.selection import ANYWHERE, Selection
from easy_pocket.store.songs.stage_doc import stage_of


@dataclass(frozen=True)
class LoadedPattern:
    id: int
    name: str
    pattern: Pattern

    @property
    def length_ticks(self) -> int:
        return self.pattern.length_ticks


@dataclass(frozen=True)
class LoadedPart:
    """A part with its patterns; those that were taken away are left out.

    cycle_ticks: None for the length of its pattern. voice_steps: grids of voices that have their own, in ticks. bars:
    marks 0 and 1 of the bars it plays, "" for all. pattern_order: ids, turn by turn. feel_doc, voice_feel_docs: what
    its feel sets, as stored; feel: the same with what it inherits. is_preview: its feel is not the stored one.
    """

    id: int
    name: str
    kit_key: str
    voices: tuple[str, ...]
    cycle_ticks: int | None
    step_ticks: int
    voice_steps: Mapping[str, int]
    start_shift_ticks: int
    rotation_ticks: int
    restarts: bool
    bars: str
    pattern_order: tuple[int, ...]
    change_percent: float
    seed: int
    fills: bool
    level_db: float
    mute: bool
    solo: bool
    feel_doc: Doc
    voice_feel_docs: Mapping[str, Doc]
    feel: FeelScopes
    mix: Mapping[str, VoiceMix]
    patterns: tuple[LoadedPattern, ...]
    is_preview: bool = False

    @property
    def turning(self) -> Turning:
        return Turning(
            self.cycle_ticks,
            self.start_shift_ticks,
            self.rotation_ticks,
            self.restarts,
            self.bars,
            self.pattern_order,
            self.change_percent,
            self.seed,
        )

    @cached_property
    def patterns_by_id(self) -> dict[int, Pattern]:
        return {one.id: one.pattern for one in self.patterns}


@dataclass(frozen=True)
class LoadedSection:
    """A section with what it has from the one it is a variation of. own: names of fields, and "cell PART", that are its
    own although it is a variation. cells: by part, as stored (cells.py)."""

    id: int
    name: str
    notes: str
    mark: str
    bars: int
    repeats: int
    tempo_bpm: float | None
    metre: str | None
    cells: Mapping[int, Doc]
    joins: tuple[Doc, ...]
    parent_id: int | None = None
    parent_name: str = ""
    own: frozenset[str] = frozenset()


@dataclass(frozen=True)
class LoadedSong:
    """A song as a page sees it that has selected one of its parts, one of that part's patterns, and a section.

    base_tempo_bpm: of the song; `tempo_bpm` is that of the selected section where it has its own. feel_doc: what the
    stack's feel sets, as stored. layered_loop_docs: loops that play under the song, as stored; layered_loops: those
    heard under the selected pattern. templates: the grooves its feel leans on, by id. is_flat: written out flat.
    """

    id: int
    revision: int
    name: str
    base_tempo_bpm: float
    metre: Metre
    seed: int
    is_flat: bool
    feel_doc: Doc
    layered_loop_docs: tuple[Doc, ...]
    collision_choices: Mapping[str, str]  # what happens where two parts strike one sound, by "PART:PART:VOICE"
    stage_doc: Doc  # its Stages, as stored (stage_doc.py)
    parts: tuple[LoadedPart, ...]
    part: LoadedPart
    pattern_id: int
    pattern_name: str
    pattern: Pattern
    sections: tuple[LoadedSection, ...]
    section_id: int
    section_name: str
    kit: Kit
    kits: Mapping[str, Kit]  # of its parts, by key
    feel: FeelScopes
    mix: Mapping[str, VoiceMix]
    templates: Mapping[int, GrooveTemplate]
    samples: SampleSource  # recordings of its sounds, read when they are asked for
    selection: Selection = ANYWHERE
    layered_loops: tuple[LayeredLoop, ...] = ()
    guide_doc: Doc | None = None  # as stored (guide.py)
    key_map: Mapping[str, int] = field(default_factory=dict)  # MIDI notes by voice that are not those of the kits

    def notes_of(self, kit_key: str) -> dict[str, int]:
        """The MIDI note of each voice of a kit, in this song."""
        return {voice.role: self.key_map.get(voice.role, voice.midi_note) for voice in self.kits[kit_key].voices}

    @cached_property
    def tempo_bpm(self) -> float:
        """The tempo at which the selected pattern is heard."""
        own = next((one.tempo_bpm for one in self.sections if one.id == self.section_id), None)
        return own or self.base_tempo_bpm

    @cached_property
    def stage(self) -> Stage:
        """Where its sounds stand in the whole song: the settings that are heard. A variation of a section has what
        that one has."""
        stage = replace(stage_of(self.stage_doc), kit_chains=self._kit_chains())
        own = {
            one.id: stage.sections.get(one.id, NO_SETTINGS).over(stage.sections[one.parent_id])
            for one in self.sections
            if one.parent_id is not None and one.parent_id in stage.sections
        }
        return replace(stage, sections={**stage.sections, **own}) if own else stage

    def _kit_chains(self) -> dict[str, tuple[Unit, ...]]:
        """What the kits put their voices through, by place."""
        found = {}
        for part in self.parts:
            for voice in self.kits[part.kit_key].voices:
                units = tuple(unit for doc in voice.chain if (unit := unit_from_doc(doc)).on)
                if units:
                    found[f"part:{part.id}:{voice.role}"] = units
        return found

    @cached_property
    def stage_here(self) -> Stage:
        """Where its sounds stand in the section that is looked at."""
        return self.stage.in_section(self.section_id)

    @property
    def levels_here(self) -> Mapping[str, float]:
        """Levels, in dB by place, that the section that is looked at has instead of the song's."""
        return self.stage.sections.get(self.section_id, NO_SETTINGS).levels

    @cached_property
    def arrangement(self) -> Arrangement:
        """The whole song for the core. Raises BadValueError when it is too long."""
        ids = {part.id for part in self.parts}
        return Arrangement(
            tempo_bpm=self.base_tempo_bpm,
            metre=self.metre,
            parts=tuple(_core_part(part, self.feel_doc, self.templates) for part in self.parts),
            sections=tuple(_core_section(one, ids, self.templates) for one in self.sections),
            seed=self.seed,
            collision_choices={parse_collision_key(key): choice for key, choice in self.collision_choices.items()},
        )

    def with_selected_pattern(self, pattern: Pattern) -> LoadedSong:
        """The song with another pattern in the place of the selected one, in its part too."""
        patterns = tuple(
            replace(one, pattern=pattern) if one.id == self.pattern_id else one for one in self.part.patterns
        )
        part = replace(self.part, patterns=patterns)
        parts = tuple(part if one.id == part.id else one for one in self.parts)
        return replace(self, pattern=pattern, part=part, parts=parts)

    def feel_doc_of(self, scope: str) -> Doc:
        """What a scope ("stack", "part" or a voice) sets, as stored. Raises BadValueError for a voice there is not."""
        own = {"stack": self.feel_doc, "part": self.part.feel_doc}.get(scope)
        return dict(self.part.voice_feel_docs.get(check_voice(scope), {})) if own is None else own

    def performance(
        self, *, straight: bool = False, tempo_bpm: float | None = None, pass_number: int = 1
    ) -> Performance:
        """The selected pattern as it is played; computed once for each way of playing."""
        tempo = self.tempo_bpm if tempo_bpm is None else tempo_bpm
        key = (straight, tempo, pass_number)
        if key not in self._performances:
            self._performances[key] = perform(
                self.pattern, self.feel, tempo_bpm=tempo, straight=straight, pass_number=pass_number
            )
        return self._performances[key]

    @cached_property
    def _performances(self) -> dict[tuple[bool, float, int], Performance]:
        return {}


def parse_collision_key(key: str) -> tuple[int, int, str]:
    one, other, voice = key.split(":", 2)
    return int(one), int(other), voice


def _core_part(part: LoadedPart, stack_doc: Doc, templates: Mapping[int, GrooveTemplate]) -> Part:
    return Part(
        key=part.id,
        name=part.name,
        patterns=part.patterns_by_id,
        kit=part.kit_key,
        turning=part.turning,
        feel=part.feel,
        mix=part.mix,
        level_db=part.level_db,
        mute=part.mute,
        solo=part.solo,
        stamp="" if part.is_preview else _stamp([stack_doc, part.feel_doc, part.voice_feel_docs], templates),
        player=part.feel.player,
        fills=part.fills,
    )


def _core_section(one: LoadedSection, parts: set[int], templates: Mapping[int, GrooveTemplate]) -> Section:
    return Section(
        key=one.id,
        name=one.name,
        bars=one.bars,
        repeats=one.repeats,
        tempo_bpm=one.tempo_bpm,
        metre=parse_metre(one.metre) if one.metre else None,
        cells={part: cell_from_doc(doc, templates) for part, doc in one.cells.items() if part in parts},
        joins=tuple(join_from_doc(doc) for doc in one.joins),
    )


def _stamp(docs: list[Any], templates: Mapping[int, GrooveTemplate]) -> str:
    """Changes with any setting of the feel, and with the grooves it leans on."""
    found = hashlib.blake2b(json.dumps(docs, sort_keys=True).encode(), digest_size=12)
    for key in sorted(templates):
        found.update(f"{key} {_digest(templates[key])}".encode())
    return found.hexdigest()


def _digest(groove: GrooveTemplate) -> str:
    """Of all that makes a groove what it is; kept with it."""
    known: str | None = groove.__dict__.get("digest")
    if known is None:
        said = (groove.tempo_bpm, groove.slots_per_bar, groove.bars, str(groove.metre), sorted(groove.lanes.items()))
        known = groove.__dict__["digest"] = hashlib.blake2b(repr(said).encode(), digest_size=12).hexdigest()
    return known
