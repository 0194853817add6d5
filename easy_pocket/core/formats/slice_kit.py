"""Slices as files: an SFZ that lays one on every key, and the MIDI that replays them."""

from __future__ import annotations

import io
import zipfile

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.midi import NOTE_PREFIX, write_midi
from easy_pocket.core.listen.hear import Heard
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.slices import Slices, cut_slices, slice_audio
from easy_pocket.core.pattern import Hit, Pattern
from easy_pocket.core.perform import perform
from easy_pocket.core.timebase import ms_per_tick

FIRST_KEY = 24
MOST_KEYS = 104  # from FIRST_KEY to the last MIDI note


def keys_of(count: int) -> list[int]:
    """The key of each slice. Raises BadValueError when there are more slices than keys."""
    if count > MOST_KEYS:
        raise BadValueError(
            f"The loop is cut into {count} slices; there are keys for {MOST_KEYS}: cut on a coarser grid."
        )
    return [FIRST_KEY + number for number in range(count)]


def slice_sfz(count: int) -> str:
    """As text; the samples lie in samples/001.wav and so on."""
    lines = ["<control> default_path=samples/", "<global> loop_mode=one_shot ampeg_release=0.005 amp_veltrack=0"]
    lines += [f"<region> key={key} sample={number:03}.wav" for number, key in enumerate(keys_of(count), start=1)]
    return "\n".join(lines) + "\n"


def slice_files(audio: Audio, heard: Heard, name: str, by: str = "hits", slots: int = 1) -> dict[str, bytes]:
    """Every file by its path: samples/001.wav and so on (24 bit), NAME.sfz and NAME.mid. Raises BadValueError before
    any is made when the loop cannot be cut so."""
    cuts = cut_slices(heard.onsets, heard.reading, by, slots)
    plain = "".join(c for c in name if c.isalnum() or c in " -_") or "loop"
    files = {
        f"{plain}.sfz": slice_sfz(len(cuts)).encode(),
        f"{plain}.mid": slice_midi(cuts, heard.reading, name),
    }
    for number, piece in enumerate(slice_audio(audio, cuts), start=1):
        one = Audio(np.ascontiguousarray(piece), audio.rate_hz, f"{number:03}.wav")
        files[f"samples/{number:03}.wav"] = write_audio(one, "WAV", 24)
    return files


def slice_archive(files: dict[str, bytes]) -> bytes:
    """The same files as one zip."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in files.items():
            archive.writestr(path, data)
    return out.getvalue()


def slice_midi(slices: Slices, reading: Reading, name: str) -> bytes:
    """A note for every slice where it begins, at the loop's own tempo, over exactly its bars."""
    places = reading.slot_at(slices.start_s) * reading.metre.bar_ticks / reading.slots_per_bar
    length = reading.bars * reading.metre.bar_ticks
    places = np.mod(places, length) if reading.trimmed else np.clip(places, 0, length - 1)
    ticks = np.minimum(np.floor(places + 1e-6).astype(int), length - 1)
    keys = keys_of(len(slices))
    tick_ms = ms_per_tick(reading.tempo_bpm)
    hits = tuple(
        Hit(f"{NOTE_PREFIX}{key}", tick, 100, float((place - tick) * tick_ms))
        for key, tick, place in zip(keys, ticks.tolist(), places.tolist(), strict=True)
    )
    performance = perform(Pattern(length, hits, reading.metre), tempo_bpm=reading.tempo_bpm)
    return write_midi(performance, name=name, marker="slices", loop=True).data
