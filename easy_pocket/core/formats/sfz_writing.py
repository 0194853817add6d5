"""Kits written as SFZ with their samples in a zip, exactly as they sound.

Only what SFZ 1 and 2 have: every number lies within the bounds of its opcode.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.formats.archive import write_archive
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.exchange import KitToWrite
from easy_pocket.core.formats.registry import Written
from easy_pocket.core.sound.events import CUT_FADE_S
from easy_pocket.core.sound.kit import MAX_ALTERNATES, Kit, KitVoice, voice_audio
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.sound.velocity import gains
from easy_pocket.core.stage.curves import BeatMap
from easy_pocket.core.stage.stage import Unit, unit_from_doc
from easy_pocket.core.stage.units import PROCESSES, Music
from easy_pocket.core.text import plain_line

MOST_VOLUME_DB = 6.0  # of SFZ
ALONG_THE_MUSIC = ("duck", "gate", "sway")  # units that need to know where in the music they are
ECHO_S = 4.0  # so long an echo may ring on
SILENT = 10 ** (-90 / 20)
LONGEST_S = 120.0


@dataclass(frozen=True)
class SfzOptions:
    """What can be chosen.

    chains: what voices go through is left out, or printed into the samples. turns: a voice's other sounds are chosen by
    key switches, or come one after another; then also the different strokes of a sound do.
    """

    chains: Literal["left", "printed"] = "left"
    turns: Literal["switch", "round_robin"] = "switch"


def write_sfz(given: KitToWrite, options: SfzOptions | None = None) -> Written:
    """The zip's bytes, and in words what could not be written.

    With key switches, the lowest keys without a voice choose the sound, the first of them the voices' own.
    """
    kit, options = given.kit, options or SfzOptions()
    files: dict[str, bytes] = {}
    remarks: list[str] = []
    lines = [
        f"// {plain_line(kit.name)}, a drum kit",
        "<control>",
        "default_path=samples/",
        "<global>",
        "loop_mode=one_shot",
    ]
    groups = {voice.choke_group or voice.role: number for number, voice in enumerate(kit.voices, 1)}
    switch = _switches(kit) if options.turns == "switch" else None
    if switch is not None and any(voice.alternates for voice in kit.voices):
        lines += [f"sw_lokey={switch}", f"sw_hikey={switch + MAX_ALTERNATES}", f"sw_default={switch}"]
    printed = {voice.role: _units(voice, remarks) if options.chains == "printed" else () for voice in kit.voices}
    sounds = {voice.role: _sounds(voice, in_turn=switch is None) for voice in kit.voices}
    written = {role: _samples(kit.voice(role), mine, printed[role], given) for role, mine in sounds.items()}
    over_db = max(0.0, *(one.volume_db - MOST_VOLUME_DB for found in written.values() for one in found))
    if over_db:
        remarks.append(f"The kit is {over_db:.1f} dB softer as a whole: SFZ has no louder voices than +6 dB.")
    for voice in kit.voices:
        lines += ["", "<group>", f"group_label={plain_line(voice.title)}", f"key={voice.midi_note}"]
        lines += [f"pan={100 * voice.pan:.4f}"]
        if voice.choke_group or not voice.rings:
            number = groups[voice.choke_group or voice.role]
            lines += [f"group={number}", f"off_by={number}", "off_mode=time", f"off_time={CUT_FADE_S}"]
        if voice.vary_cents:
            lines.append(f"pitch_random={2 * voice.vary_cents:.4f}")
        if voice.vary_db:
            lines.append(f"amp_random={2 * voice.vary_db:.4f}")
        curve = gains(voice.velocity_level)
        lines.append(" ".join(f"amp_velcurve_{velocity}={curve[velocity]:.7f}" for velocity in range(1, 128)))
        many = len(sounds[voice.role])
        if switch is None and many > 1:
            lines.append(f"seq_length={many}")
        for one in written[voice.role]:
            asked = f"seq_position={one.turn + 1} " if many > 1 else ""
            if many > 1 and switch is not None:
                asked = f"sw_last={switch + one.turn} "
            volume = f"volume={one.volume_db - over_db:.6f}"
            lines.append(f"<region> {asked}lovel={one.low} hivel={one.high} {volume} sample={one.file}")
            files[f"samples/{one.file}"] = write_audio(Audio(one.frames, RATE_HZ, one.file), "WAV", 24)
    text = ("\n".join(lines) + "\n").encode()
    return Written(write_archive({f"{plain_line(kit.name)}.sfz": text, **files}), tuple(remarks))


def _switches(kit: Kit) -> int:
    """The first of the lowest keys in a row that no voice has, one for each turn."""
    taken = {voice.midi_note for voice in kit.voices}
    return next(key for key in range(128) if not taken & set(range(key, key + MAX_ALTERNATES + 1)))


def _sounds(voice: KitVoice, *, in_turn: bool) -> tuple[int, ...]:
    """What is written of a voice: its sound and the alternate ones; where they sound in turn, each in its strokes."""
    return voice.sounds[: MAX_ALTERNATES + 1] if in_turn else tuple(range(len(voice.alternates) + 1))


@dataclass(frozen=True)
class _Sample:
    turn: int
    low: int
    high: int
    file: str
    frames: Frames
    volume_db: float


def _samples(voice: KitVoice, sounds: Sequence[int], units: tuple[Unit, ...], given: KitToWrite) -> list[_Sample]:
    curve = gains(voice.velocity_level)
    found = []
    for turn, sound in enumerate(sounds):
        struck = voice.alternate(sound)
        stem = f"{voice.role}-{turn}" if turn else voice.role
        for number, stretch in enumerate(struck.stretches):
            frames, volume_db = voice_audio(struck, number, given.samples), voice.level_db
            if units:
                # As loud as it goes in when it is struck hardest of its stretch: drive and compressor hear it so.
                gain = float(10 ** (voice.level_db / 20) * curve[stretch.high])
                frames = _through(units, frames, gain, given.tempo_bpm)
            peak = float(np.abs(frames).max(initial=0.0))
            if peak > 1.0:
                frames, volume_db = (frames / peak).astype(np.float32), volume_db + 20 * float(np.log10(peak))
            file = f"{stem}-{number + 1}.wav"
            found.append(_Sample(turn, stretch.low, stretch.high, file, frames, volume_db))
    return found


def _units(voice: KitVoice, remarks: list[str]) -> tuple[Unit, ...]:
    """Those of the voice's chain that a single stroke can go through."""
    working = [unit for doc in voice.chain if (unit := unit_from_doc(doc)).on]
    left = [unit for unit in working if unit.kind in ALONG_THE_MUSIC]
    if left:
        named = ", ".join(unit.kind for unit in left)
        remarks.append(f"{voice.title}: {named} is left out, for it moves with the music.")
    return tuple(unit for unit in working if unit.kind not in ALONG_THE_MUSIC)


def _through(units: tuple[Unit, ...], frames: Frames, gain: float, tempo_bpm: float) -> Frames:
    """A stroke through a chain, shape (frames, 2), as loud as it was asked for."""
    audio = np.repeat(frames, 2, axis=1) if frames.shape[1] == 1 else frames
    line = np.ascontiguousarray(audio.T, dtype=np.float64) * gain
    if any(unit.kind == "echo" for unit in units):
        line = np.pad(line, ((0, 0), (0, round(ECHO_S * RATE_HZ))))
    length_s = line.shape[1] / RATE_HZ
    music = Music(BeatMap.steady(60.0 / tempo_bpm, min(length_s, LONGEST_S)), loops=False)
    for unit in units:
        line = np.asarray(PROCESSES[unit.kind](line, unit, music, line))
    loud = np.flatnonzero(np.abs(line).max(axis=0) > SILENT)
    end = max(int(loud[-1]) + 1 if len(loud) else 0, len(frames))
    return np.ascontiguousarray(line[:, :end].T / gain, dtype=np.float32)
