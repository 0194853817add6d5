"""What answers hold that a page's script reads: the JSON of songs, of what plays, and of what was sent. The types of
the scripts are made from these (tools/js-shapes)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NotRequired, TypedDict

import numpy as np
import numpy.typing as npt

from easy_pocket.core.stage.graph_plan import (
    StagePlan,
)

Column = npt.NDArray[np.generic] | Sequence[float]


class SongHeader(TypedDict):
    """at: ids of the part, the pattern and the section that are looked at. undo, redo: what they would do, in words."""

    id: int
    revision: int
    name: str
    tempo_bpm: float
    metre: str
    at: list[int]
    undo: str | None
    redo: str | None


class Strike(TypedDict):
    """One hard hit of a voice."""

    audio: str
    gain: float
    pan: float


class Columns(TypedDict):
    """Events as the player takes them, a row each; sound is an index into audio, place one into places of the Stage. A
    rate of 1 for all is null, and so is a cut that never comes. room: what single hits send to the long room."""

    audio: list[str]
    sound: Column
    places: list[str]
    place: Column
    start_s: Column
    gain: Column
    rate: Column | None
    pan: Column
    cut_s: Column
    room: Column | None


class LoopLayer(TypedDict):
    """A loop in the song: which audio, and when. gain: besides the one all have."""

    key: str
    place: str
    at_s: float
    length_s: float
    gain: NotRequired[float]


class SongSpan(TypedDict):
    """One turn of a section."""

    section: int
    turn: int
    from_s: float
    to_s: float
    first_bar: int
    bars: int
    start_tick: int
    ticks: int


class ClickTimes(TypedDict):
    """kinds: 0 on a bar, 1 on a beat, 2 between; bar_s: how long the first bar is."""

    times_s: list[float]
    kinds: list[int]
    bar_s: float


class Playing(TypedDict):
    """What goes round: `felt` and `straight` are its first pass, `felt_more` and `straight_more` what differs after it;
    null is not asked for. Of a whole song there are bars and spans besides."""

    strikes: dict[str, Strike]
    tempo_bpm: float
    length_s: float
    beat_s: float
    beats: int
    bars: int
    first_pass_differs: bool
    master_gain: float
    cut_fade_s: float
    layered_loops: list[str]
    layered_loop_places: list[str]
    stage: StagePlan
    clicks: ClickTimes
    felt: Columns | None
    felt_more: list[Columns]
    straight: Columns | None
    straight_more: list[Columns]


class SongPlaying(Playing):
    """bars_s: when each bar begins, and the end. bar_beats: of each bar."""

    revision: int
    whole: bool
    timing: str
    bars_s: list[float]
    bar_beats: list[int]
    spans: list[SongSpan]
    layered_loops_at: list[LoopLayer]


class State(TypedDict):
    """The song as it is, or after an edit. fragments: HTML to be swapped in. data: numbers the screen draws."""

    screen: str
    fragments: str
    data: Any
    added: int | None
    made: int | None
    playing: Playing | None
    song: NotRequired[SongHeader]
    description: NotRequired[str]
    words: NotRequired[str]


class BothSides(TypedDict):
    """An edit that met another one: what stands there now, and what was wanted, in words. now: the song as it is."""

    error: str
    theirs: list[str]
    mine: str
    now: NotRequired[State]
