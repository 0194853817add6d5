"""What each unit does to sound: one function a kind, shape (2, frames) to (2, frames). Their twins run in the page."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from easy_pocket.core.stage.compressor import compressed
from easy_pocket.core.stage.curves import BeatMap, Curve, closed, duck_curve, gate_curve, step_times_s, sway_wave
from easy_pocket.core.stage.drive import driven
from easy_pocket.core.stage.echo import echo_frames, echoes
from easy_pocket.core.stage.filters import bell, cut, filtered, second_order_cut, shelf
from easy_pocket.core.stage.stage import Unit
from easy_pocket.core.stage.unit_fields import HIGHEST_CUT_HZ, LOWEST_CUT_HZ

Floats = npt.NDArray[np.floating]
FILTER_STEPS = 6  # fixed filters between which a swaying one goes over
FILTER_TOP_HZ = 18_000.0


@dataclass(frozen=True)
class Strikes:
    """Hits that others step back for: place, time in s from the start of the music, and velocity, of each."""

    places: tuple[str, ...]
    place: npt.NDArray[np.int64]
    times_s: Floats
    velocities: Floats

    def of(self, by: str) -> tuple[Floats, Floats]:
        """Times and velocities of those named: a voice of any part by its name ("kick"), or of one ("part:3:kick")."""
        wanted = set(by.split())
        numbers = [
            number for number, place in enumerate(self.places) if place in wanted or place.split(":")[-1] in wanted
        ]
        chosen = np.isin(self.place, numbers)
        return self.times_s[chosen], self.velocities[chosen]


NO_STRIKES = Strikes((), np.zeros(0, dtype=np.int64), np.zeros(0), np.zeros(0))


@dataclass(frozen=True)
class Music:
    """What units need to know of the music: beats and strikes over one pass; loops: it goes round.

    before_s: how much comes before the first beat; what moves along the music is as on that beat until then. lead:
    frames of the loop that are played before the pass that counts. sections: of a song, (when it begins in s, its key).
    """

    beats: BeatMap
    strikes: Strikes = NO_STRIKES
    loops: bool = True
    before_s: float = 0.0
    lead: int = 0
    sections: tuple[tuple[float, int], ...] = ()
    delays: Mapping[float, list[tuple[int, int]]] = field(default_factory=dict)

    @property
    def length_s(self) -> float:
        return self.beats.length_s

    def echo_delays(self, beats: float, rate_hz: int = 44_100) -> list[tuple[int, int]]:
        """From which frame on an echo after so many beats takes how many frames: it follows the tempo."""
        found: list[tuple[int, int]] = []
        if self.loops:
            return [(0, echo_frames(beats, self.beats.beat_s))]
        at, times = self.beats.beats, self.beats.times_s
        for number in range(len(at) - 1):
            beat_s = (times[number + 1] - times[number]) / (at[number + 1] - at[number])
            delay = echo_frames(beats, float(beat_s))
            if not found or found[-1][1] != delay:
                found.append((round((float(times[number]) + (self.before_s if number else 0.0)) * rate_hz), delay))
        return found


def tone_sections(unit: Unit) -> Floats:
    """The filters of a tone unit that do something, in a row."""
    found = []
    value = unit.number
    if value("low_cut_hz") > LOWEST_CUT_HZ:
        found.append(cut(value("low_cut_hz"), int(unit.settings["low_cut_slope"]), high=True))
    if value("low_shelf_db"):
        found.append(shelf(value("low_shelf_hz"), value("low_shelf_db"), high=False))
    for number in (1, 2):
        if value(f"bell_{number}_db"):
            found.append(bell(value(f"bell_{number}_hz"), value(f"bell_{number}_db"), value(f"bell_{number}_q")))
    if value("high_shelf_db"):
        found.append(shelf(value("high_shelf_hz"), value("high_shelf_db"), high=True))
    if value("high_cut_hz") < HIGHEST_CUT_HZ:
        found.append(cut(value("high_cut_hz"), int(unit.settings["high_cut_slope"]), high=False))
    return np.concatenate(found) if found else np.zeros((0, 6))


def curve_of(unit: Unit, music: Music) -> Curve | None:
    """The curve a unit follows, over one pass: gain of a duck and a gate, the movement of a sway; None of others."""
    if unit.kind == "duck":
        times_s, velocities = music.strikes.of(str(unit.settings["by"]))
        silent_s = step_times_s(unit.settings, music.beats)  # a line that nobody hears
        times_s = np.concatenate([times_s, silent_s])
        velocities = np.concatenate([velocities, np.full(len(silent_s), 127.0)])
        return duck_curve(times_s, velocities, unit.settings, music.length_s, loops=music.loops)
    made = {"gate": gate_curve, "sway": sway_wave}.get(unit.kind)
    if made is None:
        return None
    curve = made(unit.settings, music.beats)
    return closed(curve) if music.loops else curve


def along(curve: Curve, audio: Floats, music: Music) -> Floats:
    """The curve at each frame: round and round in a loop, its last value after the end of a song.

    Parameters
    ----------
    curve
        Points in seconds with their values.
    audio
        Samples, shape (2, frames).
    music
        Tempo, bars and hits of what plays.

    Returns
    -------
    Floats
        Values, shape (frames,).
    """
    frames = audio.shape[1]
    if not music.loops:
        return curve.at(frames, music.before_s).astype(audio.dtype)
    length = round(music.length_s * 44_100)
    return np.take(curve.at(length).astype(audio.dtype), np.arange(-music.lead, frames - music.lead), mode="wrap")


def _tone(audio: Floats, unit: Unit, _music: Music, _side: Floats) -> Floats:
    return filtered(tone_sections(unit), audio)


def _drive(audio: Floats, unit: Unit, _music: Music, _side: Floats) -> Floats:
    return driven(audio, unit.settings)


def numbers_of(unit: Unit) -> dict[str, float]:
    """The settings that are numbers."""
    return {name: value for name, value in unit.settings.items() if isinstance(value, float)}


def _compressor(audio: Floats, unit: Unit, _music: Music, side: Floats) -> Floats:
    return compressed(audio, side, numbers_of(unit))[0]


def _by_curve(audio: Floats, unit: Unit, music: Music, _side: Floats) -> Floats:
    curve = curve_of(unit, music)
    assert curve is not None
    return audio * along(curve, audio, music)


def _sway(audio: Floats, unit: Unit, music: Music, _side: Floats) -> Floats:
    curve = curve_of(unit, music)
    assert curve is not None
    wave = along(curve, audio, music)
    if unit.number("filter_percent"):
        audio = _swaying_filter(audio, unit, wave)
    if unit.number("level_db"):
        audio = audio * (1 + (10 ** (unit.number("level_db") / 20) - 1) * (0.5 - 0.5 * wave))
    return swayed_pan(audio, wave * unit.number("pan_percent") / 100)


def sway_corners(unit: Unit) -> list[float]:
    """Corners of the high cuts a sway goes over, in Hz: from open to as far down as it goes, evenly by pitch."""
    lowest = unit.number("filter_hz")
    corners = FILTER_TOP_HZ * (lowest / FILTER_TOP_HZ) ** np.linspace(0, 1, FILTER_STEPS)
    return [float(hz) for hz in corners]


def filter_weights(unit: Unit, wave: Floats) -> Floats:
    """How much of each of the sway's filters is heard: shape (FILTER_STEPS, frames), adding up to 1."""
    depth = unit.number("filter_percent") / 100
    along = (0.5 - 0.5 * wave) * depth * (FILTER_STEPS - 1)
    return np.asarray(np.maximum(0, 1 - np.abs(along[None, :] - np.arange(FILTER_STEPS)[:, None])))


def _swaying_filter(audio: Floats, unit: Unit, wave: Floats) -> Floats:
    """Between fixed filters, one going over into the next: nothing in it jumps, and it is the same everywhere."""
    weights = filter_weights(unit, wave)
    found = np.zeros_like(audio)
    for hz, weight in zip(sway_corners(unit), weights, strict=True):
        if weight.any():
            found += weight * filtered(second_order_cut(hz, 2**-0.5, high=False), audio)
    return found


def swayed_pan(audio: Floats, pan: Floats) -> Floats:
    """As the browser's panner moves sound of two channels: the far side is carried over to the near one."""
    left, right = audio
    angle = np.where(pan <= 0, pan + 1, pan) * np.pi / 2
    keep, carry = np.cos(angle), np.sin(angle)
    return np.stack(
        [np.where(pan <= 0, left + right * keep, left * keep), np.where(pan <= 0, right * carry, right + left * carry)]
    )


def _echo(audio: Floats, unit: Unit, music: Music, _side: Floats) -> Floats:
    delays = music.echo_delays(unit.number("beats"))
    return audio + unit.number("mix_percent") / 100 * echoes(audio, unit.settings, delays)


def _wide(audio: Floats, unit: Unit, _music: Music, _side: Floats) -> Floats:
    return widened(audio, unit.number("width_percent"))


def widened(audio: Floats, width_percent: float) -> Floats:
    """The difference of the sides made smaller or larger, their sum as it is."""
    middle, side = (audio[0] + audio[1]) / 2, (audio[0] - audio[1]) / 2 * (width_percent / 100)
    return np.stack([middle + side, middle - side])


Process = Callable[[Floats, Unit, Music, Floats], Floats]
PROCESSES: dict[str, Process] = {
    "tone": _tone,
    "drive": _drive,
    "compressor": _compressor,
    "duck": _by_curve,
    "gate": _by_curve,
    "sway": _sway,
    "echo": _echo,
    "wide": _wide,
}
