"""Kits as SFZ with their samples in a zip: written exactly as they sound, read with whatever is there.

Written: every voice as it is at eight velocities or more (24 bit), its level, pan, choke group and velocity curve.
Read: one key is one voice; regions that share velocities become layers, those that alternate or are switched become
alternate sounds.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

import numpy as np
import soxr

from easy_pocket.core.errors import KitRefusedError, PocketError
from easy_pocket.core.formats.archive import plain_path, read_archive
from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.formats.exchange import KitToWrite
from easy_pocket.core.formats.registry import Choice, Format, Written, register
from easy_pocket.core.formats.sfz_text import parse_sfz
from easy_pocket.core.formats.sfz_writing import SfzOptions, write_sfz
from easy_pocket.core.pattern.voices import DRUMS, NEAREST_ROLE, ROLES
from easy_pocket.core.sound.kit import MAX_ALTERNATES, MAX_LAYERS, ROLE_LUFS, Kit, KitVoice
from easy_pocket.core.sound.layer import LIMITS as LAYER_LIMITS
from easy_pocket.core.sound.layer import Layer
from easy_pocket.core.sound.loudness import hit_loudness_lufs
from easy_pocket.core.sound.one_shot import MAX_ONE_SHOT_S, content_key
from easy_pocket.core.sound.role import guess_role
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import MAX_SAMPLES, SAMPLED, Sample, Sound
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.sound.velocity import LOUDNESS_POWER

AUDIO_ENDINGS = (".wav", ".flac", ".ogg", ".aif", ".aiff", ".mp3")
SFZ_CURVE_POWER = 2.0  # of velocity, where a file says nothing else
MOST_REMARKS = 40
MAX_KIT_S = 900.0  # of audio in all
FAR_OFF_DB = 6.0  # a kit that is so much louder or softer than ours on the whole is moved to where ours are


@dataclass
class ReadKit:
    """What a file held: the kit, its audio by content key, and in words what could not be brought in."""

    kit: Kit
    audio: dict[str, Frames]
    remarks: list[str] = field(default_factory=list)


def read_sfz(data: bytes, name: str) -> ReadKit:
    """Read a zip with an .sfz and its samples. Raises KitRefusedError when nothing of it can be used."""
    files = read_archive(data, name, (".sfz", *AUDIO_ENDINGS))
    texts = sorted((path for path in files if path.lower().endswith(".sfz")), key=lambda path: (path.count("/"), path))
    if not texts:
        raise KitRefusedError(f"{name} holds no .sfz file: pack the .sfz and its samples folder into one zip.")
    text = parse_sfz(files[texts[0]], texts[0].rsplit("/", 1)[-1])
    remarks = list(text.remarks)
    if len(texts) > 1:
        remarks.append(f"{len(texts)} .sfz files are in the zip; {texts[0]} was read.")
    folder = texts[0].rpartition("/")[0]
    reader = _Reader(files, folder, remarks)
    by_key: dict[int, list[dict[str, str]]] = {}
    for region in text.regions:
        key = _key_of(region)
        if region.get("trigger", "attack") not in ("attack", "first"):
            remarks.append(f"A region for {region['trigger'][:20]} was left out: {_stem(region['sample'])}.")
        elif key is None:
            remarks.append(f"A region without a key was left out: {_stem(region['sample'])}.")
        else:
            by_key.setdefault(key, []).append(region)
    voices: list[KitVoice] = []
    for key, regions in by_key.items():
        voice = reader.voice(key, regions, {voice.role for voice in voices})
        if voice is not None:
            voices.append(voice)
    if not voices:
        missing = f" ({remarks[-1]})" if remarks else ""
        raise KitRefusedError(f"{name} names sounds, but none that can be used is in the zip{missing}.")
    middle_db = float(np.median([voice.layers[0].level_db for voice in voices]))
    if abs(middle_db) > FAR_OFF_DB:
        voices = [_moved(voice, -middle_db) for voice in voices]
    if len(remarks) > MOST_REMARKS:
        remarks = [*remarks[:MOST_REMARKS], f"... and {len(remarks) - MOST_REMARKS} more."]
    title = texts[0].rsplit("/", 1)[-1][: -len(".sfz")].strip() or "kit"
    return ReadKit(Kit("", title[:80], tuple(voices)), reader.used, remarks)


def _moved(voice: KitVoice, by_db: float) -> KitVoice:
    low, high = LAYER_LIMITS["level_db"][:2]

    def moved(layers: tuple[Layer, ...]) -> tuple[Layer, ...]:
        return tuple(replace(one, level_db=float(np.clip(one.level_db + by_db, low, high))) for one in layers)

    return replace(voice, layers=moved(voice.layers), alternates=tuple(moved(layers) for layers in voice.alternates))


def _number(region: dict[str, str], name: str, default: float, low: float, high: float) -> float:
    try:
        value = float(region.get(name, default))
    except ValueError:
        return default
    return float(np.clip(value, low, high)) if np.isfinite(value) else default


NOTE_NAME = re.compile(r"(?:([a-g])([#b]{0,2}))?(-?\d{1,3})", re.ASCII)
NOTE = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}


def _note(text: str) -> int | None:
    """A key as a number, or as a name: c4 is 60."""
    named = NOTE_NAME.fullmatch(text.strip().lower())
    if named is None:
        return None
    letter, signs, digits = named.groups(default="")
    number = int(digits)
    if letter:
        number = NOTE[letter] + signs.count("#") - signs.count("b") + 12 * (number + 1)
    return number if 0 <= number <= 127 else None


def _key_of(region: dict[str, str]) -> int | None:
    for name in ("key", "lokey", "pitch_keycenter"):
        if name in region and (note := _note(region[name])) is not None:
            return note
    return None


def _stem(path: str) -> str:
    return path.replace("\\", "/").rsplit("/", 1)[-1][:60] or "no sample named"


class _Reader:
    """Turns the regions of one key into a voice, reading each sample once."""

    def __init__(self, files: dict[str, bytes], folder: str, remarks: list[str]) -> None:
        # Kits are made on systems that do not tell A from a.
        self.files = {path.lower(): content for path, content in files.items()}
        self.folder, self.remarks = folder, remarks
        self.seconds = 0.0
        self.read: dict[str, Frames | None] = {}
        self.used: dict[str, Frames] = {}

    def audio(self, path: str) -> Frames | None:
        plain = plain_path(f"{self.folder}/{path}").lower()
        if plain not in self.read:
            self.read[plain] = self._load(plain, path)
        return self.read[plain]

    def _load(self, plain: str, path: str) -> Frames | None:
        if plain not in self.files:
            self.remarks.append(f"{_stem(path)} is named but not in the zip.")
            return None
        try:
            audio = read_audio(self.files[plain], _stem(path))
        except PocketError as error:
            self.remarks.append(str(error))
            return None
        x = audio.samples[:, :2] if audio.channels <= 2 else audio.mono()[:, None]
        if audio.rate_hz != RATE_HZ:
            x = soxr.resample(x, audio.rate_hz, RATE_HZ, quality="VHQ")
        if len(x) > MAX_ONE_SHOT_S * RATE_HZ:
            self.remarks.append(f"{_stem(path)} was cut after {MAX_ONE_SHOT_S:.0f} s.")
            x = x[: int(MAX_ONE_SHOT_S * RATE_HZ)]
        self.seconds += len(x) / RATE_HZ
        if self.seconds > MAX_KIT_S:
            self.remarks.append(
                f"{_stem(path)} was left out: a kit holds at most {MAX_KIT_S / 60:.0f} minutes of audio."
            )
            return None
        return np.ascontiguousarray(x, dtype=np.float32)

    def voice(self, key: int, regions: list[dict[str, str]], taken: set[str]) -> KitVoice | None:
        there = [(region, audio) for region in regions if (audio := self.audio(region["sample"])) is not None]
        if not there:
            return None
        first = there[0][0]
        role = self._role(key, first["sample"], there[-1][1], taken)
        if role is None:
            self.remarks.append(f"Key {key} ({_stem(first['sample'])}) was left out: the kit has such a voice already.")
            return None
        if any(region.get("loop_mode", "one_shot") not in ("one_shot", "no_loop") for region, _ in there):
            self.remarks.append(f"{_stem(first['sample'])} goes round in a loop; here it sounds once.")
        turns = self._turns(there)
        sounds = [self._layers(role, turn) for turn in turns[: MAX_ALTERNATES + 1]]
        if len(turns) > len(sounds):
            self.remarks.append(
                f"Key {key}: {len(turns) - len(sounds)} of {len(turns)} alternate sounds were left out."
            )
        label = first.get("group_label", "")[:40]
        group = first.get("off_by", "")[:20]
        return KitVoice(
            role,
            sounds[0],
            level_db=_number(first, "volume", 0.0, -60.0, 12.0),
            pan=_number(first, "pan", 0.0, -100.0, 100.0) / 100,
            velocity_level=_velocity_level(first),
            velocity_bright=1.0 if len(sounds[0][0].sound.samples) > 1 else 0.0,
            vary_cents=_number(first, "pitch_random", 0.0, 0.0, 200.0) / 2,
            vary_db=_number(first, "amp_random", 0.0, 0.0, 12.0) / 2,
            choke_group=group or None,
            note=None if ROLES[role].midi_note == key else key,
            alternates=tuple(sounds[1:]),
            name=label if label != ROLES[role].name else "",
        )

    def _role(self, key: int, sample: str, hardest: Frames, taken: set[str]) -> str | None:
        stem = _stem(sample).lower().rsplit(".", 1)[0].replace(" ", "_")
        by_name = next((role for role in sorted(ROLES, key=len, reverse=True) if stem.startswith(role)), None)
        by_note = next((role.key for role in DRUMS.values() if role.midi_note == key), NEAREST_ROLE.get(key))
        for role in (by_name, by_note):
            if role is not None and role not in taken:
                return role
        guess = guess_role(hardest).role
        return guess if guess not in taken else next((role for role in DRUMS if role not in taken), None)

    def _turns(self, there: list[tuple[dict[str, str], Frames]]) -> list[list[tuple[dict[str, str], Frames]]]:
        """Regions by whose turn it is: key switches, round robins and random choices, the first turn first."""
        turns: dict[tuple[float, ...], list[tuple[dict[str, str], Frames]]] = {}
        for region, audio in there:
            turn = (
                self._switched(region),
                _number(region, "seq_position", 1, 1, 100),
                _number(region, "lorand", 0.0, 0.0, 1.0),
            )
            turns.setdefault(turn, []).append((region, audio))
        return [turns[turn] for turn in sorted(turns)]

    @staticmethod
    def _switched(region: dict[str, str]) -> float:
        """Which switch asks for a region: that of the switches at rest comes before all others."""
        asked = _note(region.get("sw_last", ""))
        return -1 if asked is None or asked == _note(region.get("sw_default", "")) else asked

    def _layers(self, role: str, regions: list[tuple[dict[str, str], Frames]]) -> tuple[Layer, ...]:
        """Regions that sound at the same velocity are layers; the others are one layer's velocities."""
        stacks: list[list[tuple[int, int, Frames, str]]] = []
        common_db = _number(regions[0][0], "volume", 0.0, -60.0, 12.0)
        for region, audio in regions:
            low = int(_number(region, "lovel", 1, 1, 127))
            high = max(int(_number(region, "hivel", 127, 1, 127)), low)
            cut = self._cut(audio, region, _number(region, "volume", 0.0, -60.0, 12.0) - common_db)
            place = next((s for s in stacks if all(high < one[0] or low > one[1] for one in s)), None)
            if place is None:
                if len(stacks) == MAX_LAYERS:
                    self.remarks.append(f"{_stem(region['sample'])} was left out: a voice has {MAX_LAYERS} layers.")
                    continue
                stacks.append(place := [])
            if len(place) == MAX_SAMPLES:
                self.remarks.append(f"{_stem(region['sample'])} was left out: a sound has {MAX_SAMPLES} velocities.")
                continue
            place.append((low, high, cut, _stem(region["sample"])))
        return tuple(self._layer(role, sorted(stack, key=lambda one: one[0])) for stack in stacks)

    def _cut(self, x: Frames, region: dict[str, str], by_db: float) -> Frames:
        start = int(_number(region, "offset", 0, 0, len(x) - 1))
        end = int(_number(region, "end", len(x) - 1, -1, len(x) - 1)) + 1
        x = x[start : max(end, start + 64)]
        cents = _number(region, "tune", 0.0, -1200, 1200) + 100 * _number(region, "transpose", 0.0, -24, 24)
        if cents:
            x = soxr.resample(x, RATE_HZ * 2 ** (cents / 1200), RATE_HZ, quality="HQ")
        return np.asarray(x * 10 ** (by_db / 20), dtype=np.float32) if by_db else x

    def _layer(self, role: str, stack: list[tuple[int, int, Frames, str]]) -> Layer:
        samples = []
        for low, high, x, _ in stack:
            key = content_key(x)
            self.used[key] = x
            samples.append(Sample(key, low, high))
        level_db = hit_loudness_lufs(stack[-1][2]) - ROLE_LUFS[role]
        low_db, high_db = LAYER_LIMITS["level_db"][:2]
        sound = Sound(SAMPLED, {}, samples=tuple(samples), levelled=False)
        layer = Layer(sound, stack[-1][3].rsplit(".", 1)[0], float(np.clip(level_db, low_db, high_db)))
        return replace(layer, velocity_low=stack[0][0], velocity_high=stack[-1][1])


def _velocity_level(region: dict[str, str]) -> float:
    """How much velocity changes level, 0-1, from the curve the file gives."""
    points = [(velocity, _number(region, f"amp_velcurve_{velocity}", -1, -1, 1)) for velocity in range(1, 127)]
    given = np.array([(v, g) for v, g in points if g > 0])
    if len(given):
        x = LOUDNESS_POWER * np.log(given[:, 0] / 127)
        return float(np.clip(round(float((x * np.log(given[:, 1])).sum() / (x * x).sum()), 3), 0, 1))
    track = _number(region, "amp_veltrack", 100.0, 0.0, 100.0) / 100
    return float(min(track * SFZ_CURVE_POWER / LOUDNESS_POWER, 1.0))


def write(given: KitToWrite, options: SfzOptions) -> Written:
    """Write a kit with its samples."""
    return write_sfz(given, options)


register(
    Format(
        "kit",
        "sfz",
        "SFZ",
        (".zip",),
        "application/zip",
        "with its samples",
        write=write,
        read=read_sfz,
        options=SfzOptions,
        choices=(
            Choice("Save as SFZ with samples"),
            Choice("chains printed", {"chains": "printed"}),
            Choice("sounds in turn", {"turns": "round_robin"}),
        ),
    )
)
