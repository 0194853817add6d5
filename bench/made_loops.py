"""Loops made anew from a seed, with exact truth: drums of our kits changed a little, with bass, chords, reverb, noise
and clipping, trimmed or ragged. For measuring how well is heard what was never heard before."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soxr
from scipy import signal

from bench.aging import TONAL_DB, ToneOf, aged, beneath, made_tone, tonal_part
from bench.made_effects import effects, tonal
from easy_pocket.core.audio import Audio
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import COMMON_TIME, Metre
from easy_pocket.core.sound.kit import Kit, voice_audio
from easy_pocket.core.sound.velocity import gains
from easy_pocket.samples import house_kits, shipped_samples
from tests.drums import beat

RATE = 44_100
HATS, CLOSING = ("hat_closed", "hat_open", "hat_pedal"), 350  # samples: 8 ms
# name: metre, ticks of a mark, slots a beat, tempi, voices and their lines; several lines for a voice are drawn from.
STYLES: dict[str, tuple[Metre, int, int, tuple[int, int], dict[str, tuple[str, ...]]]] = {
    "rock": (COMMON_TIME, 240, 4, (88, 140), {
        "kick": ("X.......X.x.....", "X.....x.X.......", "X..x....X.x....."), "snare": ("....X.......X...",),
        "hat_closed": ("x.o.x.o.x.o.x.o.", "xoxoxoxoxoxoxoxo"), "crash": ("X...............", "................")}),
    "floor": (COMMON_TIME, 240, 4, (112, 132), {
        "kick": ("X...X...X...X...",), "clap": ("....X.......X...",), "hat_open": ("..x...x...x...x.",),
        "hat_closed": ("x..x...xx..x...x", "xo.ox..oxo.ox..o"),
        "tambourine": ("................", "....x.......x...")}),
    "funk": (COMMON_TIME, 240, 4, (84, 112), {
        "kick": ("X..x..X...x.....", "X.x....x..X..x.."), "snare": ("....X..-.-..X..-", "-...X.-..-.-X..-"),
        "hat_closed": ("xoxoxoxoxoxoxoxo", "x.oxx.oxx.oxx.ox"), "hat_open": ("................", "..............x.")}),
    "swung": (COMMON_TIME, 240, 4, (72, 104), {
        "kick": ("X......x..X..x..", "X..x..X........x"), "snare": ("....X.......X..-", "....X..-....X..."),
        "hat_closed": ("x.x.x.xxx.x.x.x.", "xoxoxoxoxoxoxoxo"), "shaker": ("................", "xoxoxoxoxoxoxoxo")}),
    "shuffle": (COMMON_TIME, 320, 3, (96, 140), {
        "kick": ("X.....x.....", "X....xx....."), "snare": ("...X.....X..", "...X.....X.-"),
        "ride": ("x.ox.ox.ox.o",), "tom_low": ("............", "..........xX")}),
    "waltz": (Metre(3, 4), 240, 4, (100, 150), {
        "kick": ("X...........", "X.........x."), "snare": ("....x...x...", "....o...X.-."),
        "ride": ("x...x.o.x...", "x.o.x.o.x.o.")}),
    "six": (Metre(6, 8), 240, 6, (60, 96), {
        "kick": ("X...........", "X.........x."), "snare": ("......X.....",), "hat_closed": ("x.o.o.x.o.o.",),
        "tom_mid": ("............", "..........xx")}),
    "five": (Metre(5, 4), 240, 4, (90, 130), {
        "kick": ("X.....x.....X.......",), "snare": ("....X.......x...X...",), "ride": ("x.x.x.x.x.x.x.x.x.x.",)}),
    "two_step": (COMMON_TIME, 240, 4, (150, 174), {
        "kick": ("X.........X.....",), "snare": ("....X.......X...", "....X..-.-..X..-"),
        "hat_closed": ("x.x.x.x.x.x.x.x.", "xoxoxoxoxoxoxoxo")}),
    "half": (COMMON_TIME, 240, 4, (62, 80), {
        "kick": ("X.....x.....x...", "X.........xx...."), "rim": ("........X.......",), "snare": ("........X.......",),
        "hat_closed": ("x.oxx.oxx.oxx.ox", "x.x.x.x.x.x.x.x.")}),
}  # fmt: skip

# What is read wrong most: 16ths in 3/4, a pick-up before bar one, eight bars of a fast two-step, one bar of deep swing.
HARD_STYLES: dict[str, tuple[Metre, int, int, tuple[int, int], dict[str, tuple[str, ...]]]] = {
    "waltz16": (Metre(3, 4), 240, 4, (84, 150), {
        "kick": ("X...........", "X.....x.....", "X.........xx"),
        "snare": ("....X...x...", "....X..-X.-.", "........X..."),
        "hat_closed": ("xoxoxoxoxoxo", "x.oxx.oxx.ox", "xoxox.o.x.ox")}),
    "pickup": (COMMON_TIME, 240, 4, (76, 140), {
        "kick": ("X.......X.x.....", "X..x....X.....x.", "X......x..X....."),
        "snare": ("....X.......X...", "....X..-....X..-"),
        "hat_closed": ("x.o.x.o.x.o.x.o.", "xoxoxoxoxoxoxoxo")}),
    "two_step8": (COMMON_TIME, 240, 4, (152, 178), {
        "kick": ("X.........X.....", "X.x.......X....."), "snare": ("....X.......X...", "....X..-.-..X..-"),
        "hat_closed": ("x.x.x.x.x.x.x.x.", "xoxoxoxoxoxoxoxo")}),
    "one_bar": (COMMON_TIME, 240, 4, (76, 108), {
        "kick": ("X......x..X..x..", "X..x..X........x", "X.....x.X......."),
        "snare": ("....X.......X..-", "....X..-....X..."),
        "hat_closed": ("x.x.x.xxx.x.x.x.", "xoxoxoxoxoxoxoxo", "x..xx..xx..xx..x")}),
    "sparse": (COMMON_TIME, 240, 4, (66, 120), {
        "kick": ("X.........x.....", "X...............", "X......xx......."),
        "snare": ("....X.......X...", "........X......."),
        "hat_closed": ("x...x...x...x...", "..x...x...x...x.", "x.....x.x.....x.")}),
    "eight_bars": (COMMON_TIME, 240, 4, (84, 128), {
        "kick": ("X.......X.x.....", "X.....x.X.......", "X..x....X.x....."),
        "snare": ("....X.......X...", "....X.......X.-."),
        "hat_closed": ("x.o.x.o.x.o.x.o.",)}),
}  # fmt: skip
ALL_STYLES = {**STYLES, **HARD_STYLES}
BARS = {"two_step": 4, "two_step8": 8, "one_bar": 1, "eight_bars": 8}
PICKUPS = {
    "snare": ("...X", "..xX", ".xxX", "X.x."),
    "kick": ("..x.", "x..x"),
    "tom_mid": ("xxxx", ".x.x"),
}  # in the last beat before bar one


@dataclass(frozen=True)
class MadeLoop:
    name: str
    audio: Audio
    truth: dict[str, Any]


# Gives a voice another sound for one loop, struck hard: shape (frames,), or None for the kit's own.
SoundOf = Callable[[str, np.random.Generator], np.ndarray | None]


def made_loops(
    count: int,
    seed: int = 1,
    kits: tuple[str, ...] = (),
    sound_of: SoundOf | None = None,
    busier: bool = False,
    age: float = 0.0,
    tone_of: ToneOf = made_tone,
    hard: bool = False,
    closes: bool = False,
) -> Iterator[MadeLoop]:
    """So many loops, style after style; kits: the keys of those they may use (all that ship when empty). busier: with
    soft hits by chance, mostly on the same slots of every bar, and now and then with a drum or two alone. age: the
    share of them that has gone through what aging.py holds, with pitched parts made of tone_of. hard: of the styles
    that are read wrong most. closes: the next stroke on the hats ends what an open one rings."""
    styles = list(HARD_STYLES if hard else STYLES)
    known = house_kits()
    chosen = [known[key] for key in (kits or tuple(key for key in known if key != "net_loft"))]
    for number in range(count):
        style = styles[number % len(styles)]
        yield _loop(
            f"made_{number:03}_{style}",
            style,
            chosen[number % len(chosen)],
            np.random.default_rng([seed, number]),
            sound_of,
            busier,
            np.random.default_rng([seed, number, 7]) if number % 100 < 100 * age else None,
            tone_of,
            closes,
        )


def _pattern(style: str, dice: np.random.Generator) -> Pattern:
    metre, step, _, _, lines = ALL_STYLES[style]
    bars = BARS.get(style, 4 if metre.bar_ticks < 3840 else 2)
    drawn = {voice: "|".join(str(dice.choice(options)) for _ in range(bars)) for voice, options in lines.items()}
    pattern = beat({voice: line for voice, line in drawn.items() if line.strip(".|")}, metre, step)
    return Pattern(bars * metre.bar_ticks, pattern.hits, metre)


def _with_few_drums(pattern: Pattern, dice: np.random.Generator) -> Pattern:
    voices = sorted({hit.voice for hit in pattern.hits})
    if dice.random() > 0.4:
        return pattern
    kept = dice.choice(voices, int(dice.integers(1, min(3, len(voices) + 1))), replace=False)
    return pattern.with_hits(hit for hit in pattern.hits if hit.voice in kept)


def _with_soft_hits(pattern: Pattern, step: int, dice: np.random.Generator) -> Pattern:
    slots = pattern.metre.bar_ticks // step
    hits = list(pattern.hits)
    for voice in sorted({hit.voice for hit in pattern.hits}):
        if dice.random() < 0.4:
            everywhere = dice.random() < 0.7
            same = dice.integers(0, slots, int(dice.integers(1, 5)))
            for bar in range(pattern.bars):
                for slot in same if everywhere else dice.integers(0, slots, int(dice.integers(0, 4))):
                    hits.append(Hit(voice, (bar * slots + int(slot)) * step, int(dice.integers(15, 55))))
    once = {(hit.voice, hit.tick): hit for hit in reversed(hits)}  # what was there before stays
    return pattern.with_hits(once.values())


def _loop(
    name: str,
    style: str,
    kit: Kit,
    dice: np.random.Generator,
    sound_of: SoundOf | None = None,
    busier: bool = False,
    aging: np.random.Generator | None = None,
    tone_of: ToneOf = made_tone,
    closes: bool = False,
) -> MadeLoop:
    metre, step, per_beat, tempi, _ = ALL_STYLES[style]
    tempo_bpm = round(float(dice.uniform(*tempi)), 1)
    swing = float(dice.choice([54.0, 57.0, 60.0, 63.0])) if style in ("funk", "swung", "half", "one_bar") else 50.0
    pattern = _pattern(style, dice)
    if busier:
        pattern = _with_soft_hits(_with_few_drums(pattern, dice), step, dice)
    slots = metre.bar_ticks // step
    lean_ms, lag_ms = dice.normal(0, 3.0, slots), {voice: dice.normal(0, 4.0) for voice in ALL_STYLES[style][4]}
    bar_ms = metre.bar_ticks * 60_000 / tempo_bpm / 960
    ends = str(dice.choice(["wrap", "cut", "untrimmed"], p=[0.5, 0.3, 0.2]))
    before: list[tuple[str, int]] = []
    if style == "pickup":
        ends = "untrimmed"
        before = [
            (voice, at - 4)
            for voice in sorted(dice.choice(list(PICKUPS), int(dice.integers(1, 3)), replace=False))
            for at, mark in enumerate(str(dice.choice(PICKUPS[voice])))
            if mark != "."
        ]
    lead_s = float(dice.uniform(0.15, 1.2)) if ends == "untrimmed" else 0.0
    lead_s += 60 / tempo_bpm if before else 0.0
    length_s = pattern.bars * bar_ms / 1000
    hits = []
    for hit in pattern.hits:
        slot = hit.tick // step
        swung_ms = (swing / 50 - 1) * step * 60_000 / tempo_bpm / 960 if slot % 2 and per_beat == 4 else 0.0
        offset_ms = swung_ms + lean_ms[slot % slots] + lag_ms[hit.voice] + dice.normal(0, 2.5)
        velocity = int(np.clip(hit.velocity + dice.normal(0, 6), 12, 127))
        hits.append((hit.voice, slot, velocity, offset_ms, hit.tick * 60 / tempo_bpm / 960 + offset_ms / 1000))
    for voice, slot in before:
        offset_ms = lean_ms[slot % slots] + dice.normal(0, 2.5)
        time_s = slot * step * 60 / tempo_bpm / 960 + offset_ms / 1000
        hits.append((voice, slot, int(dice.integers(60, 110)), offset_ms, time_s))
    total = round((length_s + lead_s + (0.8 if ends == "untrimmed" else 0.0)) * RATE)
    drums, on_progress = _drums(kit, hits, lead_s, total, ends, dice, sound_of, closes)
    under = tonal(length_s, tempo_bpm, lead_s, total, dice) if dice.random() < 0.5 else np.zeros(total)
    if under.any():
        under = under * np.sqrt(np.mean(drums**2) / max(np.mean(under**2), 1e-12)) * 10 ** (-9 / 20)
    mixed = drums + under
    mixed = effects(mixed, ends == "wrap", dice)
    if aging is not None:
        if not under.any() and aging.random() < 0.7:
            old = tonal_part(length_s, tempo_bpm, lead_s, total, aging, tone_of)
            mixed = beneath(mixed, old, float(aging.uniform(TONAL_DB - 6, TONAL_DB + 1)))
        mixed = aged(mixed, ends == "wrap", aging)
    truth = {
        "name": name, "file": f"{name}.wav", "duration_s": total / RATE, "tempo_bpm": tempo_bpm * metre.unit / 4,
        "beats_per_bar": metre.beats, "beat_unit": metre.unit, "bars": pattern.bars, "bar_one_s": lead_s,
        "grid": per_beat if metre.unit == 4 else 2, "swing_percent": swing, "ends": ends,
        "hits": sorted(on_progress, key=lambda one: one["time_s"]), "template": _template(on_progress, slots),
    }  # fmt: skip
    if metre.unit == 8:
        truth["alt_readings"] = [{"tempo_bpm": tempo_bpm * 2 / 3, "beats_per_bar": 2}]
    peak = np.abs(mixed).max()
    return MadeLoop(
        name, Audio((mixed / max(peak, 1e-9) * 0.9).astype(np.float32)[:, None], RATE, f"{name}.wav"), truth
    )


def _drums(
    kit: Kit,
    hits: list,
    lead_s: float,
    total: int,
    ends: str,
    dice: np.random.Generator,
    sound_of: SoundOf | None = None,
    closes: bool = False,
) -> tuple[np.ndarray, list[dict]]:
    line = np.zeros(total + 4 * RATE)
    changed = {
        voice: (float(dice.uniform(-2.5, 2.5)), float(dice.uniform(-4, 4)), float(dice.uniform(-3, 3)))
        for voice in sorted({h[0] for h in hits})  # a set has another order in every process
    }
    others = {voice: sound_of(voice, dice) for voice in changed} if sound_of else {}
    made: dict[tuple[str, int], np.ndarray] = {}
    on_progress = []
    for voice, slot, velocity, offset_ms, time_s in hits:
        if voice not in kit.roles:
            continue
        kit_voice = kit.voice(voice)
        stretch = int(kit_voice.stretch_of[velocity])
        if (voice, stretch) not in made:
            sound = voice_audio(kit_voice, stretch, shipped_samples).mean(axis=1, dtype=np.float64)
            other = others.get(voice)
            if other is not None:  # as loud as the kit's own
                first = int(0.1 * RATE)
                sound = other * np.sqrt((sound[:first] ** 2).mean() / max((other[:first] ** 2).mean(), 1e-12))
            made[voice, stretch] = _changed(sound, *changed[voice])
        sound = made[voice, stretch] * gains(kit_voice.velocity_level)[velocity] * 10 ** (kit_voice.level_db / 20)
        early = onset_sample(sound)
        if closes and voice == "hat_open":
            later_s = [other[4] - time_s for other in hits if other[0] in HATS and other[4] > time_s + 0.02]
            sound = _ended(sound, early + round(min(later_s, default=9.0) * RATE))
        start = round((time_s + lead_s) * RATE) - early
        wrapped = start + early < 0
        if wrapped:
            if ends == "untrimmed":
                continue
            start += total if ends != "untrimmed" else 0
        begin = max(start, 0)
        piece = sound[begin - start :]
        line[begin : begin + len(piece)] += piece[: len(line) - begin]
        first = np.abs(sound[: int(0.06 * RATE)])
        on_progress.append({
            "time_s": (start + early) / RATE, "slot": slot, "voice": voice, "velocity": velocity,
            "offset_ms": offset_ms,
            "level_db": float(20 * np.log10(max(first.max(), 1e-9))), "wrapped": bool(wrapped),
            "strength": float(np.sqrt(np.mean(sound[early : early + int(0.06 * RATE)] ** 2))),
        })  # fmt: skip
    if ends == "wrap":
        folded = line[:total].copy()
        tail = line[total:]
        folded[: min(len(tail), total)] += tail[:total]
        return folded, on_progress
    return line[:total], on_progress


def _ended(sound: np.ndarray, at: int) -> np.ndarray:
    """Damped from this sample on."""
    short = sound[: at + CLOSING].copy()
    short[at:] *= np.linspace(1, 0, len(short[at:]))
    return short


def onset_sample(sound: np.ndarray) -> int:
    """Where the short envelope first passes 20 dB below its peak of the first 60 ms."""
    short = int(0.0005 * RATE)
    envelope = (
        np.maximum.reduce([np.abs(sound[k : len(sound) - short + k]) for k in range(short)])
        if len(sound) > short
        else np.abs(sound)
    )
    return int(np.argmax(envelope >= envelope[: int(0.06 * RATE)].max() * 0.1))


def _changed(sound: np.ndarray, semitones: float, tilt_db: float, level_db: float) -> np.ndarray:
    tuned = soxr.resample(sound, RATE * 2 ** (semitones / 12), RATE)
    low = signal.sosfilt(signal.butter(1, 900, fs=RATE, output="sos"), tuned)
    return np.asarray((low * 10 ** (-tilt_db / 40) + (tuned - low) * 10 ** (tilt_db / 40)) * 10 ** (level_db / 20))


def _template(on_progress: list[dict], slots: int) -> dict[str, Any]:
    by_slot: list[list[dict]] = [[hit for hit in on_progress if hit["slot"] % slots == slot] for slot in range(slots)]

    def level(own: list[dict]) -> float | None:
        bars: dict[int, float] = {}
        for hit in own:
            bars[hit["slot"]] = bars.get(hit["slot"], 0.0) + hit["strength"] ** 2
        return float(np.sqrt(np.mean(list(bars.values())))) if bars else None

    levels = [level(own) for own in by_slot]
    loudest = max((one for one in levels if one), default=1.0)
    return {
        "slots_per_bar": slots,
        "offset_ms": [float(np.mean([hit["offset_ms"] for hit in own])) if own else None for own in by_slot],
        "velocity": [float(np.mean([hit["velocity"] for hit in own])) if own else None for own in by_slot],
        "level": [one / loudest if one else None for one in levels],
    }


def write_made(folder: Path, count: int, seed: int, age: float = 0.0) -> None:
    """NAME.wav and NAME.truth.json for each."""
    folder.mkdir(parents=True, exist_ok=True)
    for loop in made_loops(count, seed, age=age):
        (folder / f"{loop.name}.wav").write_bytes(write_audio(loop.audio, "WAV", 16))
        (folder / f"{loop.name}.truth.json").write_text(json.dumps(loop.truth))
