"""A beat played on a kit into a file of sound: `render`."""

from __future__ import annotations

import argparse
import os
import sys
from dataclasses import replace
from typing import Any

import numpy as np

from easy_pocket.cli.files import bounded_bytes, file_name, plain_stem, read_beat, write
from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.kit_file import read_any_kit
from easy_pocket.core.formats.note_map import nearest_voice
from easy_pocket.core.formats.stage_json import read_stage
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.voices import stand_in
from easy_pocket.core.song.stage_sound import PartsSound, PlayedPart, strikes_of
from easy_pocket.core.sound.events import play_columns
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.mixdown import MAX_TAIL_S
from easy_pocket.core.sound.sound import SampleSource
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.curves import BeatMap
from easy_pocket.core.stage.mix_stage import mix_stage
from easy_pocket.core.stage.stage import Stage
from easy_pocket.core.stage.stage_mix import without_silent_end
from easy_pocket.core.stage.units import Music
from easy_pocket.samples import house_kits, shipped_samples


def add(commands: Any) -> None:
    render = commands.add_parser("render")
    render.add_argument("midi", metavar="IN.mid")
    render.add_argument("-o", "--out", required=True, metavar="OUT.wav")
    render.add_argument(
        "--kit", default="boathouse", help="boathouse, signal_box, net_loft, dry_dock, a kit file, or a zip with an SFZ"
    )
    render.add_argument("--loop", action="store_true", help="exactly as long as the bars, tails wrapped round")
    render.add_argument("--bits", type=int, choices=(16, 24, 32), default=16)
    render.add_argument("--stage", metavar="STAGE.json", help="through a Stage, as 'export --stage' writes it")
    render.set_defaults(run=run_render)


def run_render(chosen: argparse.Namespace) -> None:
    kit, samples = _kit(chosen.kit)
    stage = Stage()
    if chosen.stage:
        data = bounded_bytes(chosen.stage, "Stage")
        stage = read_stage(data, file_name(chosen.stage), one_part=True)
    beat = read_beat(chosen.midi)
    performance = perform(on_voices_of(kit, beat.pattern), tempo_bpm=beat.tempo_bpm, loop=chosen.loop)
    part = PlayedPart(1, play_columns(performance, kit, loop=chosen.loop), kit)
    before_s = max(0.0, -float(part.columns.start_s.min(initial=0.0)))
    length_s, beat_s = performance.length_ms / 1000, 60.0 / performance.tempo_bpm
    music = Music(BeatMap.steady(beat_s, length_s), strikes_of([part]), loops=chosen.loop, before_s=before_s)
    tail_s = MAX_TAIL_S + stage.rings_s(beat_s)
    sound = PartsSound([part.later(before_s)], length_s + before_s, loop=chosen.loop, samples=samples, tail_s=tail_s)
    mix = mix_stage(sound, stage, music)
    if not chosen.loop:
        mix = without_silent_end(mix, round((length_s + before_s) * RATE_HZ))
    audio = mix.audio if chosen.stage else mix.before
    made = Audio(np.ascontiguousarray(audio.T, dtype=np.float32), RATE_HZ, plain_stem(chosen.out))
    write(chosen.out, write_audio(made, "WAV", chosen.bits))


def on_voices_of(kit: Kit, pattern: Pattern) -> Pattern:
    """Move hits of voices that the kit does not have to its voice nearest in sound; none is lost."""
    taken: set[tuple[str, int]] = set()
    hits = []
    for hit in sorted(pattern.hits, key=lambda hit: hit.voice.startswith("note")):
        voice, tick = stand_in(nearest_voice(hit.voice), kit.roles), hit.tick
        while (voice, tick) in taken and tick + 1 < pattern.length_ticks:
            tick += 1
        if (voice, tick) not in taken:
            taken.add((voice, tick))
            hits.append(replace(hit, voice=voice, tick=tick))
    return pattern.with_hits(hits)


def _kit(name: str) -> tuple[Kit, SampleSource]:
    """A kit of the house by its key, or one read from a kit file or a zip with an SFZ."""
    if name.lower().endswith((".zip", ".pocketkit")):
        read = read_any_kit(bounded_bytes(name, "kit"), os.path.basename(name))
        for remark in read.remarks:
            print(f"easy-pocket: {remark}", file=sys.stderr)
        return read.kit, read.audio.__getitem__
    kits = house_kits()
    if name not in kits:
        raise BadValueError(
            f"There is no kit '{name[:40]}'; there are {', '.join(kits)}, or name a kit file or a zip with an SFZ."
        )
    return kits[name], shipped_samples
