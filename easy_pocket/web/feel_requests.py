"""Changes of the feel, and what is done to hits by it, as the page sends them. `apply` keeps each through the store."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.core.feel import DEFAULTS, first_set
from easy_pocket.core.tighten import Tighten
from easy_pocket.store import feels
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.request_types import Finite, Strict, Tick, Voice

At = tuple[Any, int, int]
Places = Annotated[list[tuple[Voice, Tick]], Field(max_length=30_000)]


class FeelTry(Strict):
    """A slider that is being dragged, on the song as the page has it. `pocket`: the chart is wanted too."""

    revision: int
    scope: Voice  # "stack", "part" or a voice
    field: Literal[
        "swing_percent", "timing_pull", "accent_pull", "push_ms", "drift_ms", "jitter_ms", "touch", "ghost_percent",
        "depth_percent", "density_percent",
    ]  # fmt: skip
    value: Finite
    pocket: bool = False


class SetFeel(Strict):
    """Set one field of a scope's feel; value None gives it back to what it inherits."""

    kind: Literal["feel"]
    scope: Voice  # "stack", "part" or a voice
    field: Literal[
        "swing_percent", "swing_unit", "short_note_ms", "template_id", "timing_pull", "accent_pull", "groove_scales",
        "groove_on", "groove_lane", "push_ms", "drift_ms", "jitter_ms", "touch", "seed", "runs_on", "ghost_percent",
        "depth_percent", "weaker_hand", "density_percent",
    ]  # fmt: skip
    value: Finite | bool | Voice | None

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return feels.set_feel(*at, self.scope, self.field, self.value, gesture)


class SetReach(Strict):
    """The voices the groove reaches; all of the part's: none is set apart."""

    kind: Literal["reach"]
    voices: Annotated[list[Voice], Field(max_length=64)]

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return feels.set_reach(*at, tuple(self.voices))


class TightenRequest(Strict):
    """What is tightened to and how far; places: the chosen hits, none for all."""

    target: Literal["grid", "swing", "groove"]
    strength_percent: Finite
    leave_alone_ms: Finite = 0.0
    step_ticks: Tick
    swing_percent: Finite = 50.0
    swing_unit: int = 16
    template_id: int | None = None
    places: Places = Field(default_factory=list)

    def to_core(self, song: LoadedSong) -> Tighten:
        template = song.groove_of(self.template_id) if self.template_id is not None else None
        return Tighten(
            target=self.target,
            strength_percent=self.strength_percent,
            leave_alone_ms=self.leave_alone_ms,
            step_ticks=self.step_ticks,
            swing_percent=self.swing_percent,
            swing_unit=self.swing_unit,
            template=template,
            groove_scales=bool(first_set((song.feel.stack, DEFAULTS), "groove_scales")),
            places=tuple(self.places),
        )


class TightenHits(TightenRequest):
    kind: Literal["tighten"]

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return feels.tighten_hits(*at, self.to_core)


class WriteIn(Strict):
    """The feel becomes the hits, of the stack or of one voice."""

    kind: Literal["write_in"]
    scope: Voice

    def apply(self, at: At, gesture: str | None) -> LoadedSong:
        return feels.write_feel_in(*at, self.scope)


FeelChange = SetFeel | SetReach | TightenHits | WriteIn
