"""`easy-pocket hits, slices, sit-in, retime`: what one takes from a loop."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from easy_pocket.cli.files import heard_in, heard_in_mono, plain_stem, read_beat, say, told, write, write_pattern
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.timing_comparison import gap, side_of
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.exchange import PatternToWrite
from easy_pocket.core.formats.slice_kit import slice_files
from easy_pocket.core.listen.loop_beat import beat_from_groups
from easy_pocket.core.listen.loop_side import side_of_loop
from easy_pocket.core.listen.other_tempo import WAYS, at_tempo, check_semitones
from easy_pocket.core.listen.sit_in import SitIn, sit_in
from easy_pocket.core.listen.slices import CUTS, cut_slices
from easy_pocket.core.listen.sound_groups import group_hits, with_kit_voices
from easy_pocket.core.pattern.timebase import GRID_TICKS, check_tempo, ms_per_tick, place_name
from easy_pocket.core.pattern.voices import check_voice

WORST = 12


def add(commands: Any) -> None:
    hits = commands.add_parser("hits")
    hits.add_argument("loop", metavar="LOOP")
    hits.add_argument("-o", "--out", required=True, metavar="OUT.mid")
    hits.add_argument(
        "--voices", help="only these, as in kick,snare,hat_closed; other sounds go to the nearest of them"
    )
    hits.add_argument("--json", action="store_true", help="print the hits with their certainty")
    hits.set_defaults(run=run_hits)

    slices = commands.add_parser("slices")
    slices.add_argument("loop", metavar="LOOP")
    slices.add_argument("-o", "--out", required=True, metavar="DIR")
    slices.add_argument("--by", choices=CUTS, default="hits", help="cut at the hits (default) or on the grid")
    slices.add_argument("--slots", type=int, default=1, help="slots in a slice of the grid (default 1)")
    slices.set_defaults(run=run_slices)

    sit = commands.add_parser("sit-in")
    sit.add_argument("midi", metavar="IN.mid")
    sit.add_argument("loop", metavar="LOOP")
    sit.add_argument("-o", "--out", required=True, metavar="OUT.mid")
    sit.add_argument("--strength", type=float, default=100.0, metavar="PERCENT", help="0-100 (default 100)")
    sit.add_argument("--voices", help="only these go, as in hat_closed,ride")
    sit.add_argument("--grid", choices=tuple(GRID_TICKS), default="16", help="what a slot is (default 16)")
    sit.add_argument("--json", action="store_true", help="print the gap before and after as JSON")
    sit.set_defaults(run=run_sit_in)

    retime = commands.add_parser("retime")
    retime.add_argument("loop", metavar="LOOP")
    retime.add_argument("-o", "--out", required=True, metavar="OUT.wav")
    retime.add_argument("--tempo", type=float, required=True, help="bpm of quarter notes")
    retime.add_argument("--by", choices=CUTS, default="hits", help="cut at the hits (default) or on the grid")
    retime.add_argument("--how", choices=WAYS, default="slices", help="slices moved (default), or stretched")
    retime.add_argument("--semitones", type=float, default=0.0, help="higher by so much, -24 to 24 (default 0)")
    retime.add_argument("--bits", type=int, choices=(16, 24, 32), default=16)
    retime.set_defaults(run=run_retime)


def _voices(text: str | None) -> tuple[str, ...]:
    return tuple(check_voice(one.strip()) for one in text.split(",") if one.strip()) if text else ()


def run_hits(chosen: argparse.Namespace) -> None:
    audio, heard = heard_in_mono(chosen.loop)
    groups = with_kit_voices(group_hits(audio, heard.onsets), _voices(chosen.voices))
    found = beat_from_groups(heard.onsets, heard.reading, groups)
    performance = perform(found.pattern, tempo_bpm=heard.reading.tempo_bpm)
    write_pattern(PatternToWrite(performance, plain_stem(chosen.out), loop=True), chosen.out)
    if found.left_out:
        say(f"{found.left_out} hits before bar one were left out.")
    if chosen.json:
        print(json.dumps({"tempo_bpm": heard.reading.tempo_bpm, "hits": found.doc()}))
        return
    counts = ", ".join(f"{len(group.hits)} {group.voice}" for group in groups)
    unsure = sum(found.certainty < 0.5)
    told(f"{audio.name}: {counts}{f'; {unsure} unsure' if unsure else ''}", chosen.out)


def run_slices(chosen: argparse.Namespace) -> None:
    audio, heard = heard_in(chosen.loop)
    name, folder = plain_stem(chosen.loop), Path(chosen.out)
    files = slice_files(audio, heard, name, chosen.by, chosen.slots)
    (folder / "samples").mkdir(parents=True, exist_ok=True)
    for path, data in files.items():
        write(str(folder / path), data)
    count = sum(path.startswith("samples/") for path in files)
    print(
        f"{audio.name}: {count} slices, with an SFZ and the MIDI that replays them at {heard.reading.tempo_bpm:.2f} bpm"
    )


def run_sit_in(chosen: argparse.Namespace) -> None:
    beat = read_beat(chosen.midi)
    audio, heard = heard_in(chosen.loop)
    step = GRID_TICKS[chosen.grid]
    wanted = SitIn(chosen.strength, _voices(chosen.voices), step)
    done = sit_in(beat.pattern, FeelScopes(), beat.tempo_bpm, heard.onsets, heard.reading, wanted)
    loop = side_of_loop(heard.onsets, heard.reading, audio.name, beat.tempo_bpm)
    half_ms = step / 2 * ms_per_tick(beat.tempo_bpm)
    figures = []
    for pattern in (beat.pattern, done.tightening.after):
        performance = perform(pattern, tempo_bpm=beat.tempo_bpm)
        side = side_of(performance, "beat")
        found = gap(side, loop, half_ms)
        figures.append({
            "pairs": len(found.gap_ms),
            "mean_size_ms": found.mean_size_ms,
            "worst": [
                {
                    "voice": side.voices[side.voice_index[found.a[pair]]],
                    "place": place_name(int(side.tick[found.a[pair]]), pattern.metre),
                    "gap_ms": float(found.gap_ms[pair]),
                }
                for pair in found.worst(WORST).tolist()
            ],
        })  # fmt: skip
    result = perform(done.tightening.after, tempo_bpm=beat.tempo_bpm, loop=False)
    write_pattern(PatternToWrite(result, plain_stem(chosen.out)), chosen.out)
    doc = {
        "moved": int(done.tightening.moved.sum()),
        "led": int(done.led.sum()),
        "hits": len(beat.pattern.hits),
        "before": figures[0],
        "after": figures[1],
    }
    if chosen.json:
        print(json.dumps(doc))
        return
    sizes = ["nothing near" if one["mean_size_ms"] is None else f"{one['mean_size_ms']:.2f} ms" for one in figures]
    went = f"{doc['moved']} of {doc['hits']} hits moved, {doc['led']} led by a hit of the loop"
    told(f"{went}; gap {sizes[0]} before, {sizes[1]} after", chosen.out)


def run_retime(chosen: argparse.Namespace) -> None:
    tempo_bpm = check_tempo(chosen.tempo)
    check_semitones(chosen.semitones)
    audio, heard = heard_in(chosen.loop)
    if not heard.onsets.time_s.size:
        raise BadValueError(f"{audio.name} holds no hits to cut at.")
    cuts = cut_slices(heard.onsets, heard.reading, chosen.by)
    moved = at_tempo(audio, cuts, heard.reading, tempo_bpm, chosen.how, chosen.semitones)
    write(chosen.out, write_audio(moved, "WAV", chosen.bits))
