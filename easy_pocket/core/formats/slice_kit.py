"""Slices as files - an SFZ with one on every key, the MIDI that replays them - and as a kit with its pattern."""

from __future__ import annotations

import io
import zipfile
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import soxr

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.formats.note_map import NOTE_PREFIX
from easy_pocket.core.listen.loop_analysis import LoopAnalysis
from easy_pocket.core.listen.onsets import Onsets
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.signals import Floats
from easy_pocket.core.listen.slices import Slices, cut_slices, slice_audio
from easy_pocket.core.listen.sound_groups import Group
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import ms_per_tick
from easy_pocket.core.pattern.voices import FIRST_SLICE_NOTE, MOST_SLICES, ROLES, SLICES, voice_name
from easy_pocket.core.sound.kit import ROLE_LUFS, Kit, KitVoice
from easy_pocket.core.sound.layer import LIMITS, Layer
from easy_pocket.core.sound.loudness import hit_loudness_lufs
from easy_pocket.core.sound.one_shot import content_key
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import SAMPLED, Sample, Sound
from easy_pocket.core.sound.tones import RATE_HZ

FIRST_KEY = FIRST_SLICE_NOTE
MOST_KEYS = 104  # from FIRST_KEY to the last MIDI note
NEAR_S = 0.015  # a slice that begins so near a hit is called after it
NEARLY_TICKS = 0.1  # a slice cut on a whole sample lies a little off its place; it is written there all the same


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


def slice_files(audio: Audio, heard: LoopAnalysis, name: str, by: str = "hits", slots: int = 1) -> dict[str, bytes]:
    """Every file by its path: samples/001.wav and so on (24 bit), NAME.sfz and NAME.mid.

    Parameters
    ----------
    audio
        The recording.
    heard
        What was found in the audio.
    name
        What it is called.
    by
        Where it is cut: at "hits" or at the "grid".
    slots
        Slots of the grid in one slice.

    Returns
    -------
    dict[str, bytes]
        Bytes of each file by its path.

    Raises
    ------
    BadValueError
        Before any is made when the loop cannot be cut so.
    """
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


def slice_beat(slices: Slices, reading: Reading, voices: Sequence[str], velocity: int = 100) -> Pattern:
    """A hit for every slice where it begins, in the bars of the loop; at the loop's tempo they are the loop again.

    Parameters
    ----------
    slices
        Where the audio is cut.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    voices
        Role of each slice, in order.
    velocity
        Velocity of every hit, 1 to 127.

    Returns
    -------
    Pattern
        The pattern.
    """
    places = reading.slot_at(slices.start_s) * reading.metre.bar_ticks / reading.slots_per_bar
    length = reading.bars * reading.metre.bar_ticks
    places = np.mod(places, length) if reading.trimmed else np.clip(places, 0, length - 1)
    ticks = np.minimum(np.floor(places + NEARLY_TICKS).astype(int), length - 1)
    tick_ms = ms_per_tick(reading.tempo_bpm)
    hits = tuple(
        Hit(voice, tick, velocity, float((place - tick) * tick_ms))
        for voice, tick, place in zip(voices, ticks.tolist(), places.tolist(), strict=True)
    )
    return Pattern(length, hits, reading.metre)


def slice_midi(slices: Slices, reading: Reading, name: str) -> bytes:
    """A note for every slice where it begins, at the loop's own tempo, over exactly its bars.

    Parameters
    ----------
    slices
        Where the audio is cut.
    reading
        Tempo, bars, metre and grid in which the hits are read.
    name
        What it is called.

    Returns
    -------
    bytes
        The bytes of a MIDI file.
    """
    keys = keys_of(len(slices))
    pattern = slice_beat(slices, reading, [f"{NOTE_PREFIX}{key}" for key in keys])
    performance = perform(pattern, tempo_bpm=reading.tempo_bpm)
    return write_midi(performance, name=name, marker="slices", loop=True).data


def slice_names(start_s: Floats, onsets: Onsets, groups: Sequence[Group]) -> list[str]:
    """What slices are called, by the hits they begin with: "kick 1", "closed hat 3"; "slice 2" without one.

    Parameters
    ----------
    start_s
        Where each slice begins, shape (n,).
    onsets
        Hits that were heard.
    groups
        The hits sorted by sound.

    Returns
    -------
    list of str
        A name of its own for each.
    """
    kinds: dict[int, list[str]] = {}
    order = list(ROLES)
    for group in sorted(groups, key=lambda one: order.index(one.voice) if one.voice in ROLES else len(order)):
        for hit in group.hits:
            kinds.setdefault(hit, []).append(voice_name(group.voice) if group.voice in ROLES else group.name)
    count: Counter[str] = Counter()
    names = []
    for at in start_s.tolist():
        near = np.abs(onsets.time_s - at) if len(onsets) else np.array([np.inf])
        hit = int(near.argmin())
        said = kinds.get(hit, [""])[0] if near[hit] < NEAR_S else ""
        said = said or "slice"
        count[said] += 1
        names.append(f"{said} {count[said]}")
    return names


def slice_kit(
    audio: Audio,
    heard: LoopAnalysis,
    name: str,
    by: str = "hits",
    slots: int = 1,
    groups: Sequence[Group] = (),
) -> tuple[Kit, dict[str, Frames], Pattern]:
    """The slices as a kit with its samples by content key, and the pattern that replays them.

    A slice cuts the one before it; struck hardest it is as loud as it was.

    Parameters
    ----------
    audio
        The recording.
    heard
        What was found in the audio.
    name
        What it is called.
    by
        Where it is cut: at "hits" or at the "grid".
    slots
        Slots of the grid in one slice.
    groups
        The hits sorted by sound, after which slices are named; none: they are numbered.

    Returns
    -------
    tuple[Kit, dict[str, Frames], Pattern]
        The kit, its samples by content key, and the pattern.

    Raises
    ------
    BadValueError
        When the loop cannot be cut so.
    """
    cuts = cut_slices(heard.onsets, heard.reading, by, slots)
    if len(cuts) > MOST_SLICES:
        raise BadValueError(
            f"The loop is cut into {len(cuts)} slices; a kit holds {MOST_SLICES}: cut on a coarser grid, or take fewer "
            "bars of it."
        )
    if audio.rate_hz != RATE_HZ:
        audio = Audio(soxr.resample(audio.samples, audio.rate_hz, RATE_HZ, quality="VHQ"), RATE_HZ, audio.name)
    roles = list(SLICES)[: len(cuts)]
    samples: dict[str, Frames] = {}
    voices = []
    names = slice_names(cuts.start_s, heard.onsets, groups) if groups else [""] * len(cuts)
    for role, called, piece in zip(roles, names, slice_audio(audio, cuts), strict=True):
        x = np.ascontiguousarray(piece[:, :2])
        key = content_key(x)
        samples[key] = x
        low_db, high_db = LIMITS["level_db"][:2]
        level_db = float(np.clip(hit_loudness_lufs(x) - ROLE_LUFS[role], low_db, high_db))
        sound = Sound(SAMPLED, {}, samples=(Sample(key, 1, 127),), levelled=False)
        layer = Layer(sound, SLICES[role].name, level_db)
        voices.append(KitVoice(role, (layer,), velocity_bright=0.0, choke_group="slices", rings=False, name=called))
    # Cut on whole samples, and counted from one: so every slice is played on the sample it was cut at.
    whole = replace(cuts, start_s=np.rint(cuts.start_s * RATE_HZ) / RATE_HZ)
    reading = replace(heard.reading, bar_one_s=round(heard.reading.bar_one_s * RATE_HZ) / RATE_HZ)
    return Kit("", name, tuple(voices)), samples, slice_beat(whole, reading, roles, velocity=127)
