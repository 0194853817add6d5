"""Single hits rendered from the SoundFont of Debian's fluid-soundfont-gm (MIT licence) with fluidsynth."""

from __future__ import annotations

import os
import subprocess
import tempfile
from pathlib import Path

import mido
import numpy as np
import numpy.typing as npt
import soundfile

SOUNDFONT = os.environ.get("EASY_POCKET_SOUNDFONT", "/usr/share/sounds/sf2/FluidR3_GM.sf2")
LICENCE = Path("/usr/share/doc/fluid-soundfont-gm/copyright")
RATE_HZ = 44_100
APART_S = 5  # long enough for a crash to ring out
# Our voices by their General MIDI percussion note.
NOTES = {
    "kick": 36, "snare": 38, "rim": 37, "clap": 39, "hat_closed": 42, "hat_open": 46, "hat_pedal": 44, "tom_high": 50,
    "tom_mid": 47, "tom_low": 45, "ride": 51, "crash": 49, "shaker": 70, "tambourine": 54, "conga_high": 63,
    "conga_low": 64, "wood": 76, "bell": 56,
}  # fmt: skip


def render(kit_program: int, strikes: list[tuple[int, int]]) -> list[npt.NDArray[np.float32]]:
    """Every (note, velocity) struck alone on a percussion program: mono audio of APART_S each."""
    return _rendered(9, kit_program, strikes)


def render_tones(program: int, notes: list[int]) -> dict[int, npt.NDArray[np.float32]]:
    """Every note held alone on a melodic program: mono audio of APART_S each."""
    return dict(zip(notes, _rendered(0, program, [(note, 96) for note in notes]), strict=True))


def _rendered(channel: int, program: int, strikes: list[tuple[int, int]]) -> list[npt.NDArray[np.float32]]:
    with tempfile.TemporaryDirectory() as folder:
        midi, wav = Path(folder) / "hits.mid", Path(folder) / "hits.wav"
        file = mido.MidiFile(ticks_per_beat=480)
        track = mido.MidiTrack()
        file.tracks.append(track)
        track.append(mido.MetaMessage("set_tempo", tempo=1_000_000, time=0))
        track.append(mido.Message("program_change", channel=channel, program=program, time=0))
        for note, velocity in strikes:
            track.append(mido.Message("note_on", channel=channel, note=note, velocity=velocity, time=0))
            track.append(mido.Message("note_off", channel=channel, note=note, velocity=0, time=480 * APART_S))
        file.save(midi)
        quiet = ["-n", "-i", "-q", "-R", "0", "-C", "0", "-r", str(RATE_HZ), "-g", "1.0", "-O", "float"]
        subprocess.run(["fluidsynth", *quiet, "-F", wav, SOUNDFONT, midi], check=True, capture_output=True)
        audio, _ = soundfile.read(wav, dtype="float32", always_2d=True)
    mono = audio.mean(axis=1)
    length = APART_S * RATE_HZ
    return [mono[number * length : (number + 1) * length] for number in range(len(strikes))]
