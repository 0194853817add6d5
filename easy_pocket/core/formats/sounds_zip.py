"""The sounds of a kit as WAV files in a zip."""

from __future__ import annotations

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.formats.archive import write_archive
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.exchange import KitToWrite
from easy_pocket.core.formats.registry import Choice, Format, NoOptions, Written, register
from easy_pocket.core.sound.kit import Kit, voice_audio
from easy_pocket.core.sound.sound import SampleSource, no_samples
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.text import plain_line


def write_one_shots(kit: Kit, samples: SampleSource = no_samples) -> bytes:
    """A zip of WAV files, 24 bit: every voice and alternate sound struck hard, as loud as it plays."""
    files = {}
    for voice in kit.voices:
        for number in range(len(voice.alternates) + 1):
            struck = voice.alternate(number)
            x = voice_audio(struck, struck.hardest, samples) * 10 ** (voice.level_db / 20)
            ending = f" {number + 1}" if number else ""
            name = f"{plain_line(kit.name)}/{plain_line(voice.title)}{ending}.wav"
            files[name] = write_audio(Audio(np.asarray(x, dtype=np.float32), RATE_HZ, name), "WAV", 24)
    return write_archive(files)


def write(given: KitToWrite, _options: NoOptions) -> Written:
    """Write the sounds of a kit."""
    return Written(write_one_shots(given.kit, given.samples))


register(
    Format(
        "kit",
        "sounds",
        "WAV",
        (".zip",),
        "application/zip",
        "a file for each voice",
        write=write,
        choices=(Choice("Save the sounds as WAV"),),
        label=" sounds",
    )
)
