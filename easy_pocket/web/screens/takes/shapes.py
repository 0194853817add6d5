"""What the Takes screen's script reads."""

from __future__ import annotations

from typing import TypedDict


class OtherSound(TypedDict):
    """An alternate sound of a voice, by velocity."""

    audio: list[str]
    sound: list[int]


class Pad(TypedDict):
    """A voice under the hands: its sound by velocity (audio keys, and which of them is each velocity's), how loud each
    velocity is, where it stands, what it cuts off. others: its alternate sounds; strokes: further ones of its own
    sound, that sound in turn. note: its MIDI note."""

    voice: str
    name: str
    glyph: str
    note: int
    audio: list[str]
    sound: list[int]
    others: list[OtherSound]
    strokes: list[OtherSound]
    gain: list[float]
    pan: float
    place: str
    choke: str


class PassData(TypedDict):
    """Hits as columns: voice (an index), the slot they are written on in ticks, when they were played and how far off
    the feel in ms, velocity. played: how many hits were struck, bounces and grace strokes among them."""

    id: int
    name: str
    voice: list[int]
    tick: list[int]
    time_ms: list[float]
    off_ms: list[float]
    velocity: list[int]
    played: int


class SewnData(TypedDict):
    """The result: hits as columns, off_ms what is left after the
    pull, key the pass each is from."""

    voice: list[int]
    tick: list[int]
    off_ms: list[float]
    velocity: list[int]
    key: list[int]


class TakeData(TypedDict):
    """What is drawn of a take. glyphs: of its voices, in order. section: that went round, 0 for the pattern; song: the
    whole song went round, and this is what was played in that section. sews: rows of bar, pass, voice. seams: bars
    before which the pass changes; overlaps: those at which strokes cross. reasons: for each bar its steadiest pass, and
    why."""

    id: int
    name: str
    section: int
    song: bool
    start_tick: int
    length_ticks: int
    bar_ticks: int
    beat_ticks: int
    tick_ms: float
    voices: list[str]
    names: list[str]
    glyphs: list[str]
    passes: list[PassData]
    sews: list[tuple[int, int, str]]
    result: SewnData
    seams: list[int]
    overlaps: list[int]
    pulls: dict[str, float]
    reasons: list[tuple[int, int, str]]


class TakesData(TypedDict):
    """take: null before anything was played. columns: the voices under the hands, left to right, unless the player has
    chosen others for this kit. notes: which voice a MIDI note strikes. sections: their lengths in ticks."""

    pads: list[Pad]
    columns: list[str]
    notes: dict[int, str]
    sections: dict[int, int]
    kit: str
    part: int
    bar_ticks: int
    pattern_ticks: int
    tick_ms: float
    tempo_bpm: float
    take: TakeData | None


class QuayData(TypedDict):
    """A performance for the simulated pad controller: times in s from the start of the first pass, MIDI notes and
    velocities; length_s of a pass."""

    time_s: list[float]
    note: list[int]
    velocity: list[int]
    length_s: float


class FreeReadingData(TypedDict):
    """One way to read what was played to nothing."""

    tempo_bpm: float
    length_ticks: int
    start_ms: float
    words: str


class LatencyData(TypedDict):
    latency_ms: float
    spread_ms: float
    error_ms: float
    counts: list[bool]
    words: str
