"""What goes in and out, as models: hits, beats, feels, songs."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_type_hints

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, create_model

from easy_pocket.core.feel.feel import SETTINGS, Feel, FeelScopes
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.formats.groove_json import template_from_doc
from easy_pocket.core.formats.note_map import NOTE_PREFIX
from easy_pocket.core.ideas.fills import MOST_AT_ONCE
from easy_pocket.core.pattern.articulation import PLAIN, articulation_from_doc, articulation_to_doc
from easy_pocket.core.pattern.pattern import MAX_HITS, Hit, Pattern
from easy_pocket.core.pattern.timebase import MAX_BARS, parse_metre
from easy_pocket.core.pattern.voices import ROLES, check_voice
from easy_pocket.core.text import whole_number
from easy_pocket.store.songs.edits.pattern import ArticulationFields
from easy_pocket.web.shared.edit_requests import AnyEdit, EditId, LookingAt, Revision

Name = Annotated[str, Field(max_length=80)]
Tempo = Annotated[float, Field(ge=20, le=400, allow_inf_nan=False)]
MetreText = Annotated[str, Field(pattern=r"^[0-9]{1,2}/(2|4|8|16)$", examples=["4/4"])]
Seed = Annotated[int, Field(ge=0, le=2**31 - 1)]


def _voice(name: str) -> str:
    """A voice of ours, or "noteNN"; ValueError is what a model understands."""
    if name in ROLES or (name.startswith(NOTE_PREFIX) and (whole_number(name.removeprefix(NOTE_PREFIX)) or 0) <= 127):
        return name
    raise ValueError(f"there is no voice '{name}'; there are {', '.join(ROLES)}")


class Model(BaseModel):
    """Nothing is taken that is not named."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class HitModel(Model):
    """One written hit. tick: 960 a quarter. offset_ms: its own, negative is early. alternate: 0 is its own sound."""

    voice: Annotated[str, Field(max_length=30, examples=["snare"]), AfterValidator(_voice)]
    tick: Annotated[int, Field(ge=0, le=MAX_BARS * 3840)]
    velocity: Annotated[int, Field(ge=1, le=127)] = 100
    offset_ms: Annotated[float, Field(ge=-250, le=250)] = 0.0
    alternate: Annotated[int, Field(ge=0, le=4)] = 0
    articulation: ArticulationFields | None = None

    @classmethod
    def of(cls, hit: Hit) -> HitModel:
        shape = dict(articulation_to_doc(hit.articulation))
        dressed = ArticulationFields.model_validate(shape) if shape else None
        return cls(
            voice=hit.voice, tick=hit.tick, velocity=hit.velocity, offset_ms=hit.offset_ms, alternate=hit.alternate,
            articulation=dressed,
        )  # fmt: skip

    @property
    def hit(self) -> Hit:
        doc: dict[str, object] = self.articulation.model_dump(exclude_unset=True) if self.articulation else {}
        shape = articulation_from_doc(doc) if doc else PLAIN
        return Hit(self.voice, self.tick, self.velocity, self.offset_ms, self.alternate, shape)


class Beat(Model):
    """Hits over some bars at a tempo."""

    tempo_bpm: Tempo = 100.0
    metre: MetreText = "4/4"
    length_ticks: Annotated[int, Field(ge=1, le=MAX_BARS * 3840)] = 3840
    hits: Annotated[list[HitModel], Field(max_length=MAX_HITS)] = []

    @classmethod
    def of(cls, pattern: Pattern, tempo_bpm: float) -> Beat:
        return cls(
            tempo_bpm=tempo_bpm, metre=str(pattern.metre), length_ticks=pattern.length_ticks,
            hits=[HitModel.of(hit) for hit in pattern.hits],
        )  # fmt: skip

    @property
    def pattern(self) -> Pattern:
        return Pattern(self.length_ticks, tuple(one.hit for one in self.hits), parse_metre(self.metre))


# The settings of a feel, as the page's edits have them; what is not named is left alone.
_HINTS = get_type_hints(Feel)
_FIELDS: dict[str, Any] = {name: (_HINTS[name], None) for name in SETTINGS if name not in ("template", "seed")}
FeelSettings: Any = create_model("FeelSettings", __base__=Model, **_FIELDS)


class FeelModel(Model):
    """settings: for everything. voices: for a voice alone, on top. groove: a template as JSON, as `groove` gives it."""

    settings: FeelSettings = FeelSettings()
    voices: Annotated[dict[str, FeelSettings], Field(max_length=40)] = {}
    groove: dict[str, Any] | None = None
    seed: Seed | None = None

    @property
    def scopes(self) -> FeelScopes:
        template: GrooveTemplate | None = template_from_doc(self.groove) if self.groove is not None else None
        own = {check_voice(name): Feel(**_said(one)) for name, one in self.voices.items()}
        return FeelScopes(Feel(template=template, seed=self.seed, **_said(self.settings)), voices=own)


def _said(settings: BaseModel) -> dict[str, Any]:
    return settings.model_dump(exclude_none=True)


class SectionModel(Model):
    name: str
    bars: int
    repeats: int


class SongModel(Model):
    """A song of the shelf. bars, length_s: of the whole song, repeats counted."""

    id: int
    name: str
    tempo_bpm: float
    metre: str
    bars: int
    length_s: float
    parts: list[str]
    sections: list[SectionModel]


class SongPage(Model):
    """next: the address of the next page, or null."""

    items: list[SongModel]
    next: str | None


class PatternModel(Model):
    id: int
    name: str
    length_ticks: int


class PartModel(Model):
    id: int
    name: str
    kit: str
    voices: list[str]
    patterns: list[PatternModel]


class WholeSong(SongModel):
    """revision: counts its edits; it is the song's ETag, too."""

    revision: int
    undo: str | None
    redo: str | None
    tracks: list[PartModel]


class NewSong(Model):
    """beats: one section each, one after another, in their order; all in the tempo and metre of the first."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    kit: Annotated[str, Field(max_length=60)] = "boathouse"
    beats: Annotated[list[NamedBeat], Field(min_length=1, max_length=128)]


class NamedBeat(Beat):
    name: Name = "Verse"


class SentEditModel(Model):
    """An edit as the page makes it. edit_id: sent again with the same one, it is made once. revision: of the song as
    its sender saw it; without one the edit is made on the song as it is."""

    edit: AnyEdit
    edit_id: EditId | None = None
    revision: Revision | None = None
    looking_at: LookingAt = LookingAt()


class Made(Model):
    """What an edit did, in words, and where undo and redo lead now. made: the number of what it brought, if it did."""

    revision: int
    words: str
    undo: str | None
    redo: str | None
    made: int | None = None
    repeated: bool = False


class PerformIn(Model):
    beat: Beat
    feel: FeelModel = FeelModel()
    straight: bool = False
    loop: bool = True


class LedgerHit(Model):
    """straight_ms and the amounts add up to played_ms. sounds: false where the density leaves it out."""

    voice: str
    place: str
    bar: int
    beat: int
    tick: int
    straight_ms: float
    played_ms: float
    amounts_ms: dict[str, float]
    written_velocity: int
    velocity: int
    amounts_velocity: dict[str, float]
    sounds: bool


class Ledger(Model):
    tempo_bpm: float
    metre: str
    stages_ms: list[str]
    stages_velocity: list[str]
    hits: list[LedgerHit]


class VoicePocket(Model):
    """Where the hits of a voice sit against the grid."""

    voice: str
    hits: int
    mean_ms: float
    spread_ms: float


class FillIn(Model):
    beat: Beat
    count: Annotated[int, Field(ge=1, le=MOST_AT_ONCE)] = 6
    seed: Seed = 1
    beats: Annotated[float, Field(gt=0, le=16)] | None = None
    kit: Name = "boathouse"
    playable: bool = True


class VaryIn(Model):
    beat: Beat
    count: Annotated[int, Field(ge=1, le=MOST_AT_ONCE)] = 6
    seed: Seed = 1
    changes: Annotated[int, Field(ge=1, le=64)] | None = None
    distance: Annotated[float, Field(ge=0, le=1)] | None = None
    kinds: Annotated[list[str], Field(max_length=20)] = []
    kit: Name = "boathouse"
    playable: bool = True


class GrowIn(Model):
    beat: Beat
    bars: Annotated[int, Field(ge=1, le=64)] = 8
    changes: Annotated[int, Field(ge=1, le=64)] = 2
    bigger: bool = False
    plan: Literal["phrase", "every"] = "phrase"
    fill_beats: Annotated[float, Field(ge=0, le=16)] = 0.0
    seed: Seed = 1
    kit: Name = "boathouse"


class IdeaModel(Model):
    """A beat of an idea, what it does in words, and each change."""

    words: str
    tags: list[str]
    changes: list[str]
    beat: Beat


class JobModel(Model):
    """share: how much is done, 0 to 1. result: what it gave; error: in words why it gave nothing."""

    id: str
    share: float
    words: str
    result: dict[str, Any] | None = None
    error: str | None = None


class GrooveModel(Model):
    id: int
    name: str
    tempo_bpm: float
    metre: str
    bars: int


NewSong.model_rebuild()
