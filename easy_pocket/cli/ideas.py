"""`easy-pocket fill`, `vary` and `grow`: ideas for a MIDI beat, each as a MIDI file and as a list of single changes."""

from __future__ import annotations

import argparse
import json
import os
from typing import Any

from easy_pocket.cli.files import file_name, plain_stem, read_beat, say, write_pattern
from easy_pocket.cli.files import told as tell
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.exchange import PatternToWrite, ReadPattern
from easy_pocket.core.formats.idea_json import idea_doc
from easy_pocket.core.ideas.change import Idea
from easy_pocket.core.ideas.fill_endings import ENDINGS
from easy_pocket.core.ideas.fill_settings import SUBDIVISIONS, FillSettings
from easy_pocket.core.ideas.fill_voices import WAYS
from easy_pocket.core.ideas.fills import MOST_AT_ONCE, fills
from easy_pocket.core.ideas.grow import PLANS, GrowSettings, grow
from easy_pocket.core.ideas.idea_context import IdeaContext, window
from easy_pocket.core.ideas.variation_kinds import KINDS
from easy_pocket.core.ideas.variations import VariationSettings, variations
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import VOICE_GROUPS, check_voice
from easy_pocket.samples import house_kits


def add(commands: Any) -> None:
    fill = commands.add_parser("fill")
    _common(fill, "DIR", many=True)
    fill.add_argument("--beats", type=float, help="length of the fill (default: half a bar)")
    fill.add_argument("--bar", type=int, help="the bar it ends in (default: the last)")
    fill.add_argument("--density", metavar="FROM:TO", help="hits a beat at the start and the end")
    fill.add_argument("--loudness", metavar="FROM:TO", help="velocity of the first hit and the last")
    fill.add_argument("--offbeat", type=float, help="0 on the beat to 1 off it")
    fill.add_argument("--subdivision", choices=tuple(SUBDIVISIONS))
    fill.add_argument("--path", choices=tuple(WAYS), help="its way through the drums")
    fill.add_argument("--keep", metavar="VOICES", help="voices that go on, as hat_closed,kick")
    fill.add_argument("--ending", choices=tuple(ENDINGS))
    fill.add_argument("--playable", action=argparse.BooleanOptionalAction, default=True,
                      help="by two hands and two feet (default)")  # fmt: skip
    fill.set_defaults(run=run_fill)

    vary = commands.add_parser("vary")
    _common(vary, "DIR", many=True)
    vary.add_argument("--changes", type=int, help="single changes (default 3, or as many as the distance takes)")
    vary.add_argument("--distance", type=float, help="how far from the beat, 0-1")
    vary.add_argument("--kinds", metavar="KINDS", help=f"of {', '.join(KINDS)} (default: all)")
    vary.add_argument("--playable", action=argparse.BooleanOptionalAction, default=True,
                      help="no harder to play than the beat is (default)")  # fmt: skip
    vary.set_defaults(run=run_vary)

    longer = commands.add_parser("grow")
    _common(longer, "OUT.mid", many=False)
    longer.add_argument("--bars", type=int, default=8, help="of the beat then (default 8)")
    longer.add_argument("--changes", type=int, default=2, help="hits by which bars differ at least (default 2)")
    longer.add_argument("--plan", choices=PLANS, default="phrase", help="like a phrase, or every bar another")
    longer.add_argument("--bigger", action="store_true", help="bars 4, 8, 12 and 16 change more")
    longer.add_argument(
        "--fill", type=float, default=0.0, metavar="BEATS", help="a fill at the end, so many beats long"
    )
    longer.set_defaults(run=run_grow)


def _common(command: argparse.ArgumentParser, out: str, many: bool) -> None:
    command.add_argument("midi", metavar="IN.mid")
    command.add_argument("-o", "--out", required=True, metavar=out)
    command.add_argument("--seed", type=int, default=1, help="the same seed gives the same ideas (default 1)")
    command.add_argument("--kit", default="boathouse", help="whose voices may be used besides the beat's own")
    command.add_argument("--json", action="store_true", help="print every change in data and words")
    if many:
        command.add_argument("--count", type=int, default=6, help=f"how many, 1-{MOST_AT_ONCE} (default 6)")


def _scene(chosen: argparse.Namespace) -> tuple[ReadPattern, IdeaContext]:
    kits = house_kits()
    if chosen.kit not in kits:
        raise BadValueError(f"There is no kit '{chosen.kit[:40]}'; there are {', '.join(kits)}.")
    beat = read_beat(chosen.midi)
    return beat, IdeaContext(beat.pattern, kits[chosen.kit].roles, beat.tempo_bpm)


def _ends(text: str | None, option: str) -> tuple[float, float] | None:
    """'6:10' to (6, 10); one number alone is both."""
    if text is None:
        return None
    try:
        begin, _, end = text.partition(":")
        return float(begin), float(end or begin)
    except ValueError:
        raise BadValueError(f"{option} is '{text[:20]}'; write it like 6:10.") from None


def _voices(text: str | None) -> tuple[str, ...] | None:
    if text is None:
        return None
    names = [name.strip() for name in text.split(",") if name.strip()]
    return tuple(voice for name in names for voice in VOICE_GROUPS.get(name, (name,)) if check_voice(voice))


def run_fill(chosen: argparse.Namespace) -> None:
    beat, scene = _scene(chosen)
    loudness = _ends(chosen.loudness, "--loudness")
    settings = FillSettings(
        density=_ends(chosen.density, "--density"),
        loudness=(round(loudness[0]), round(loudness[1])) if loudness else None,
        offbeat=chosen.offbeat,
        subdivision=chosen.subdivision,
        path=chosen.path,
        keep=_voices(chosen.keep),
        playable=chosen.playable,
        ending=chosen.ending,
    )
    end_tick = None if chosen.bar is None else min(chosen.bar * scene.metre.bar_ticks, scene.pattern.length_ticks)
    begin, end = window(scene, chosen.beats, end_tick)
    made = fills(scene, settings, chosen.seed, begin, end, count=chosen.count)
    if made.words:
        say(made.words)
    _keep(chosen, beat, made.ideas, "fill", {"window": {"from": place_name(begin, scene.metre), "begin_tick": begin,
                                                      "end_tick": end}})  # fmt: skip


def run_vary(chosen: argparse.Namespace) -> None:
    beat, scene = _scene(chosen)
    kinds = tuple(kind.strip() for kind in chosen.kinds.split(",")) if chosen.kinds else ()
    settings = VariationSettings(chosen.changes, chosen.distance, kinds, chosen.playable)
    made = variations(scene, settings, chosen.seed, 0, scene.pattern.length_ticks, count=chosen.count)
    if made.words:
        say(made.words)
    _keep(chosen, beat, made.ideas, "variation", {})


def run_grow(chosen: argparse.Namespace) -> None:
    beat, scene = _scene(chosen)
    settings = GrowSettings(chosen.bars, chosen.changes, chosen.bigger, chosen.fill, plan=chosen.plan)
    done = grow(scene, settings, chosen.seed)
    write_pattern(_played(done.idea.pattern(), beat, plain_stem(chosen.out)), chosen.out)
    if chosen.json:
        plan = [
            {
                "bar": bar.bar,
                "from_bar": bar.from_bar,
                "kind": bar.kind,
                "changes": list(bar.changes),
                "words": bar.words,
            }
            for bar in done.plan
        ]
        print(json.dumps({**idea_doc(done.idea), "file": file_name(chosen.out), "plan": plan}, indent=1))
        return
    for bar in done.plan:
        tell(f"bar {bar.bar}: {bar.words}", chosen.out)


def _keep(
    chosen: argparse.Namespace, beat: ReadPattern, ideas: tuple[Idea, ...], name: str, more: dict[str, object]
) -> None:
    """A file for every idea, and what they do."""
    os.makedirs(chosen.out, exist_ok=True)
    told = []
    for number, idea in enumerate(ideas, 1):
        file = f"{name}-{number}.mid"
        write_pattern(_played(idea.pattern(), beat, f"{name} {number}"), os.path.join(chosen.out, file))
        told.append({"file": file, **idea_doc(idea)})
    if chosen.json:
        print(json.dumps({"seed": chosen.seed, "tempo_bpm": beat.tempo_bpm, **more, "ideas": told}, indent=1))
        return
    for doc in told:
        print(f"{doc['file']}: {doc['words']} ({', '.join(doc['tags'])})")


def _played(pattern: Pattern, beat: ReadPattern, name: str) -> PatternToWrite:
    return PatternToWrite(perform(pattern, tempo_bpm=beat.tempo_bpm, loop=False), name)
