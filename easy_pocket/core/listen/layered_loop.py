"""A loop under the stack: at the song's tempo, on its grid, a groove or the stack.

It turns at its own length, and makes room for a voice.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any

import numpy as np
import numpy.typing as npt
import soxr
from scipy import signal

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError, require_range
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.feel.timing_comparison import nearest_round, side_of
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.other_tempo import WAYS, set_to
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.slices import cut_slices
from easy_pocket.core.pattern.timebase import check_tempo, ms_per_tick
from easy_pocket.core.pattern.voices import check_voice
from easy_pocket.core.sound.tones import RATE_HZ

HOWS = (*WAYS, "repitch")
SPEEDS = (0.5, 1.0, 2.0)
TARGETS = ("none", "grid", "groove", "stack")
MAX_BARS = 512
MAX_PASS_S = 900.0
SEAM_S = 0.004  # where a turn is cut off before its end
EARLY_S = 0.003  # room is made so much before a hit, so that its attack is clear
Floats = npt.NDArray[np.float64]

LIMITS: dict[str, tuple[str, float, float, str]] = {
    "level_db": ("The level", -60.0, 12.0, "dB"),
    "low_cut_hz": ("The low cut", 0.0, 4000.0, "Hz"),
    "pitch_semitones": ("The pitch", -24.0, 24.0, "semitones"),
    "from_bar": ("The first bar", 1, MAX_BARS, ""),
    "to_bar": ("The last bar", 0, MAX_BARS, ""),
    "cycle_ticks": ("The length of a turn", 0, MAX_BARS * 3840, "ticks"),
    "start_ticks": ("The start in the loop", 0, MAX_BARS * 3840, "ticks"),
    "strength_percent": ("The strength", 0.0, 100.0, "%"),
    "duck_db": ("The depth of the ducking", 0.0, 48.0, "dB"),
    "duck_hold_ms": ("The hold of the ducking", 0.0, 500.0, "ms"),
    "duck_release_ms": ("The release of the ducking", 1.0, 2000.0, "ms"),
}


@dataclass(frozen=True)
class LayerSettings:
    """How a loop plays under the stack.

    how: "slices" set anew, "stretch" with what rings after attacks made longer or shorter, or "repitch". speed: 0.5
    takes twice the bars, 2 half of them. pitch_semitones: of slices, which change their length with it, and of what
    is stretched, which does not; what is re-pitched as one piece has the pitch its tempo gives it. low_cut_hz 0:
    none. Bars count from 1; to_bar 0: to the end. cycle_ticks: after so long it begins again, 0 for its own length;
    start_ticks: where in the loop it begins. to: what its hits go to, by strength_percent: "none", the "grid", a
    "groove", or the "stack". duck_voice: whose hits it makes room for ("": none; several as "kick,snare"), by
    duck_db, held and released.

    Raises BadValueError for what is out of range.
    """

    how: str = "slices"
    speed: float = 1.0
    pitch_semitones: float = 0.0
    level_db: float = -6.0
    low_cut_hz: float = 0.0
    muted: bool = False
    from_bar: int = 1
    to_bar: int = 0
    cycle_ticks: int = 0
    start_ticks: int = 0
    to: str = "none"
    strength_percent: float = 100.0
    duck_voice: str = ""
    duck_db: float = 12.0
    duck_hold_ms: float = 40.0
    duck_release_ms: float = 120.0

    def __post_init__(self) -> None:
        if self.how not in HOWS:
            raise BadValueError(f"A loop plays as {' or '.join(HOWS)}, not as '{self.how[:20]}'.")
        if self.to not in TARGETS:
            raise BadValueError(f"A loop goes to {', '.join(TARGETS)}, not to '{self.to[:20]}'.")
        if self.speed not in SPEEDS:
            raise BadValueError(f"A loop plays at half, its own or double speed, not at {self.speed:g} times.")
        for name, (words, low, high, unit) in LIMITS.items():
            require_range(words, getattr(self, name), low, high, unit)
        for voice in self.duck_voices:
            check_voice(voice)
        if 0 < self.cycle_ticks < 120:
            raise BadValueError(f"A turn of {self.cycle_ticks} ticks is too short: at least 120, a 32nd, are needed.")
        if 0 < self.to_bar < self.from_bar:
            raise BadValueError(f"It ends in bar {self.to_bar}, before it begins in bar {self.from_bar}.")

    @property
    def duck_voices(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(voice for voice in self.duck_voice.split(",") if voice))


NAMES = tuple(one.name for one in fields(LayerSettings))
PLAIN = LayerSettings()


def render_layered_loop(
    audio: Audio,
    onsets: Onsets,
    reading: Reading,
    settings: LayerSettings,
    performance: Performance,
    template: GrooveTemplate | None = None,
) -> npt.NDArray[np.float32]:
    """What the loop plays in one pass of the performance: shape (round(length_s x 44,100), 2), its gain in it.

    The pass repeats: what rings past its end is cut off there, the next pass begins anew.

    Parameters
    ----------
    audio
        The recording.
    onsets
        Hits that were heard, in order of time.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    settings
        Speed, pitch, level, and where its hits go.
    performance
        What it plays along with.
    template
        The groove it follows; None for none.

    Returns
    -------
    npt.NDArray[np.float32]
        Stereo at 44.1 kHz, shape (frames, 2).

    Raises
    ------
    BadValueError
        For a loop without hits to cut at, and for a pass of more than 15 minutes.
    """
    tempo_bpm = check_tempo(performance.tempo_bpm)
    length_s = performance.length_ms / 1000
    require_range("The length of a pass", length_s, 0.01, MAX_PASS_S, "s")
    total = round(length_s * RATE_HZ)
    if settings.muted:
        return np.zeros((total, 2), dtype=np.float32)
    bar_s = performance.metre.bar_ticks * ms_per_tick(tempo_bpm) / 1000
    first = min(round((settings.from_bar - 1) * bar_s * RATE_HZ), total)
    last = min(round(settings.to_bar * bar_s * RATE_HZ), total) if settings.to_bar else total
    turn = _turn(audio, onsets, reading, settings, performance, template)
    out = np.zeros((total, 2))
    if last > first:
        out[first:last] = _turned(turn, settings, ms_per_tick(tempo_bpm) / 1000, last - first)
    if settings.low_cut_hz:
        cut = signal.butter(2, settings.low_cut_hz, "high", fs=RATE_HZ, output="sos")
        out = signal.sosfilt(cut, np.concatenate([out, out]), axis=0)[total:]  # as in a pass that comes after another
    gain_db = np.full(total, settings.level_db)
    if settings.duck_voice:
        gain_db += duck_db(settings, performance, total)
    return np.asarray(out * 10 ** (gain_db / 20)[:, None], dtype=np.float32)


def slice_times_s(
    onsets_s: Floats,
    reading: Reading,
    settings: LayerSettings,
    performance: Performance,
    template: GrooveTemplate | None,
) -> Floats:
    """When in a turn at the performance's tempo hits of the loop fall; shape as onsets_s, in order.

    Parameters
    ----------
    onsets_s
        Times of the hits in the loop, in seconds.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    settings
        Speed, pitch, level, and where its hits go.
    performance
        What it plays along with.
    template
        The groove it follows; None for none.

    Returns
    -------
    Floats
        Times in seconds.
    """
    tick_ms = ms_per_tick(performance.tempo_bpm)
    per_slot = reading.metre.bar_ticks / reading.slots_per_bar / settings.speed
    places = reading.slot_at(onsets_s)
    at_ms = places * per_slot * tick_ms
    if settings.to == "none" or settings.strength_percent == 0:
        return np.asarray(at_ms / 1000)
    if settings.to == "stack":
        beat = side_of(performance, "stack")
        target_ms = at_ms.copy()
        if len(beat.time_ms):
            _, away_ms = nearest_round(at_ms, beat.time_ms, beat.length_ms)
            target_ms += np.where(np.abs(away_ms) <= per_slot / 2 * tick_ms, away_ms, 0.0)
    else:
        slot = np.rint(np.floor(reading.nearest_places(places)))
        ticks = slot * per_slot
        target_ms = ticks * tick_ms
        if settings.to == "groove":
            if template is None:
                raise BadValueError("It is to go to a groove, and none is chosen: choose one.")
            target_ms = target_ms + template.offsets_at(ticks, reading.metre, performance.tempo_bpm, scale=True)
    moved_ms = at_ms + settings.strength_percent / 100 * (target_ms - at_ms)
    return np.asarray(np.maximum.accumulate(moved_ms) / 1000)


def _turn(
    audio: Audio,
    onsets: Onsets,
    reading: Reading,
    settings: LayerSettings,
    performance: Performance,
    template: GrooveTemplate | None,
) -> npt.NDArray[np.float32]:
    """One turn of the loop at the tempo, from its bar one: shape (frames, 2) at 44.1 kHz."""
    ticks = reading.metre.bar_ticks * reading.bars / settings.speed
    length_s = ticks * ms_per_tick(performance.tempo_bpm) / 1000
    frames = max(round(length_s * RATE_HZ), 1)
    if settings.how == "repitch":
        start = round(reading.bar_one_s * audio.rate_hz)
        whole = round((audio.duration_s if reading.trimmed else reading.length_s) * audio.rate_hz)
        x = audio.samples[(start + np.arange(whole)) % len(audio.samples)]
        x = soxr.resample(x, len(x) / length_s, RATE_HZ, quality="HQ")
    else:
        cuts = cut_slices(onsets, reading)
        to_s = slice_times_s(cuts.attack_s, reading, settings, performance, template)
        x = set_to(audio, cuts, to_s, length_s, settings.how, settings.pitch_semitones).samples
        if audio.rate_hz != RATE_HZ:
            x = soxr.resample(x, audio.rate_hz, RATE_HZ, quality="HQ")
    x = x[:frames] if len(x) >= frames else np.pad(x, ((0, frames - len(x)), (0, 0)))
    return np.asarray(np.repeat(x, 2, axis=1) if x.shape[1] == 1 else x[:, :2], dtype=np.float32)


def _turned(turn: npt.NDArray[np.float32], settings: LayerSettings, tick_s: float, frames: int) -> Floats:
    """Turn after turn for so many frames; each begins where it is due to the sample, however many went before."""
    offset = round(settings.start_ticks * tick_s * RATE_HZ)
    if not settings.cycle_ticks:
        return turn[(offset + np.arange(frames)) % len(turn)].astype(np.float64)
    cycle_s = settings.cycle_ticks * tick_s
    starts = np.rint(np.arange(int(frames / RATE_HZ / cycle_s) + 2) * cycle_s * RATE_HZ).astype(np.intp)
    place = np.arange(frames)
    number = np.searchsorted(starts, place, side="right") - 1
    since = place - starts[number]
    out = turn[(offset + since) % len(turn)].astype(np.float64)
    seam = max(round(SEAM_S * RATE_HZ), 1)
    left = starts[number + 1] - place  # frames until the turn is cut off
    return np.asarray(out * np.minimum(left / seam, 1.0)[:, None])


def duck_db(settings: LayerSettings, performance: Performance, frames: int) -> Floats:
    """What room is made for a voice, in dB (0 or less) for each frame of the pass.

    Full depth a little before each of its hits, held, then let go evenly in dB.

    Parameters
    ----------
    settings
        Voice, depth, hold and release of the duck.
    performance
        What it makes room in.
    frames
        Frames of the pass.

    Returns
    -------
    Floats
        Gain in dB, shape (frames,).
    """
    hits = performance.hits
    heard = [hits.voices.index(voice) for voice in settings.duck_voices if voice in hits.voices]
    if not heard or not settings.duck_db:
        return np.zeros(frames)
    mine = np.isin(hits.voice_index, heard)
    if not mine.any():
        return np.zeros(frames)
    early = round(EARLY_S * RATE_HZ)
    at = np.unique(np.rint(performance.loop_ms[mine] / 1000 * RATE_HZ).astype(np.intp) % frames) - early
    round_ = np.concatenate([at - frames, at, at + frames])  # the pass repeats: the last hit reaches into the next
    place = np.arange(frames)
    after = np.searchsorted(round_, place, side="right")
    since = place - round_[after - 1]
    until = round_[np.minimum(after, len(round_) - 1)] - place
    hold, release = settings.duck_hold_ms / 1000 * RATE_HZ + early, settings.duck_release_ms / 1000 * RATE_HZ
    let_go = np.clip((since - hold) / release, 0, 1)
    coming = np.clip(1 - until / early, 0, 1)  # down before the hit, without a click
    return np.asarray(-settings.duck_db * np.maximum(1 - let_go, coming))


def layer_settings_from_doc(doc: dict[str, Any]) -> LayerSettings:
    """Settings as they are kept; names that are not known are passed over."""
    return LayerSettings(**{name: doc[name] for name in NAMES if name in doc})
