"""The commands by name: what each is for, an example, and the module that makes it. Nothing heavy is imported here."""

from __future__ import annotations

from dataclasses import dataclass

IN, OUT, LOOP = "beat.mid", "out.mid", "loop.wav"


@dataclass(frozen=True)
class Command:
    """module: of easy_pocket.cli, with a function add(commands). example: what stands behind `easy-pocket`."""

    module: str
    help: str
    example: str


COMMANDS = {
    "listen": Command("listen", "hear tempo, bars, hits and groove in a loop", f"listen {LOOP} --json"),
    "groove": Command(
        "listen", "take a groove template from a loop, or turn one into another kind", f"groove {LOOP} -o shuffle.json"
    ),
    "perform": Command(
        "perform", "give a MIDI beat a feel", f"perform {IN} -o {OUT} --swing 57 --push snare=8 --seed 41"
    ),
    "watch": Command(
        "watch", "give a MIDI beat a feel each time its file changes", f"watch {IN} --feel feel.json -o {OUT} --once"
    ),
    "hand": Command("hand", "learn a player's hand from MIDI takes", "hand take.mid -o hand.json"),
    "pocket": Command("pocket", "measure where hits sit, and the gap between two beats", f"pocket {IN} {LOOP} --json"),
    "hits": Command(
        "loops", "write a loop's rhythm as MIDI, with true offsets and velocities", f"hits {LOOP} -o {OUT}"
    ),
    "slices": Command(
        "loops", "cut a loop into WAV slices, with an SFZ and the MIDI that replays them", f"slices {LOOP} -o slices"
    ),
    "sit-in": Command("loops", "move a beat's hits to those of a loop", f"sit-in {IN} {LOOP} -o {OUT} --strength 80"),
    "retime": Command(
        "loops", "play a loop at another tempo, its slices set anew", f"retime {LOOP} -o slow.wav --tempo 80"
    ),
    "fill": Command("ideas", "fills for the end of a MIDI beat", f"fill {IN} -o fills --count 3 --seed 1"),
    "vary": Command("ideas", "variations of a MIDI beat", f"vary {IN} -o variations --count 4 --changes 3"),
    "grow": Command("ideas", "a MIDI beat made longer, no bar like another", f"grow {IN} -o {OUT} --bars 8 --fill 2"),
    "render": Command("render", "play a MIDI beat on a kit into a WAV file", f"render {IN} -o beat.wav --kit net_loft"),
    "songs": Command("shelf_list", "list the songs of the shelf", "songs --json"),
    "export": Command("songs", "write a song as MIDI, WAV, or flat patterns", "export Lamplighter -o files --midi"),
    "import-midi": Command("songs", "make a song of parts from a MIDI file", f"import-midi {IN} --by voice"),
    "pack": Command(
        "pocket_files", "save a song with its kits, grooves, loops and takes in one file",
        "pack Lamplighter -o lamplighter.pocket",
    ),
    "unpack": Command(
        "pocket_files", "open a song file as a new song", "unpack lamplighter.pocket --name 'Second lamp'"
    ),
    "list": Command("shelf_things", "list kits, grooves, hands, or what a song holds", "list kits --json"),
    "save": Command(
        "shelf_things", "save a kit, groove or hand of the shelf, or a loop of a song",
        "save kit Boathouse -o boathouse.zip",
    ),
    "bring": Command(
        "shelf_things", "bring a kit, groove or hand to the shelf, or a loop into a song",
        f"bring loop {LOOP} --song Lamplighter",
    ),
    "edit": Command(
        "edit", "make any edit of a song that a page can make",
        """edit Lamplighter '{"kind": "tempo", "tempo_bpm": 92}'""",
    ),
    "undo": Command("edit", "take back the last steps of a song", "undo Lamplighter"),
    "redo": Command("edit", "make steps that were taken back again", "redo Lamplighter"),
    "history": Command("history", "list the steps of a song to undo, or keep fewer", "history Lamplighter --keep 100"),
    "completion": Command(
        "completion", "print what makes a shell complete these commands", "completion bash"
    ),
}  # fmt: skip
