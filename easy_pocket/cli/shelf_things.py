"""`easy-pocket list`, `save` and `bring`: kits, grooves and hands of the shelf; loops, takes and parts of a song."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from easy_pocket.cli.files import bounded_bytes, file_name, heard_in, plain_stem, read_template, write, write_template
from easy_pocket.cli.on_shelf import find_song, on_shelf
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.formats.exchange import KitToWrite
from easy_pocket.core.formats.hand_json import dump_hand, load_hand
from easy_pocket.core.formats.kit_file import read_any_kit, write_kit_file
from easy_pocket.core.formats.sfz_writing import SfzOptions, write_sfz
from easy_pocket.core.takes.played import Played
from easy_pocket.store.database import Database, Reader
from easy_pocket.store.grooves.shelf import find_groove, groove_rows
from easy_pocket.store.grooves.templates import save_template
from easy_pocket.store.kits.kits import ListedKit, add_kit, listed_kits, load_kit
from easy_pocket.store.kits.samples import sample_source, save_samples
from easy_pocket.store.loops.loops import load_audio, loops_of, stored
from easy_pocket.store.schema.tables import LoopRow, TemplateRow
from easy_pocket.store.songs.edits.loops import AnalyzedFile, BringInLoop
from easy_pocket.store.songs.edits.pipeline import SentEdit, make_edit
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.takes.hands import ListedHand, find_hand, hands, new_hand
from easy_pocket.store.takes.takes import load_take, takes_of

OF_SHELF, OF_SONG = ("kits", "grooves", "hands"), ("loops", "takes", "parts")
MOST_KIT_BYTES = 300_000_000
One = TypeVar("One")


def add(commands: Any) -> None:
    listed = commands.add_parser("list")
    listed.add_argument("what", choices=(*OF_SHELF, *OF_SONG))
    listed.add_argument("song", nargs="?", metavar="SONG", help="of loops, takes and parts: whose")
    listed.add_argument("--json", action="store_true", help="print them as JSON")
    listed.set_defaults(run=run_list)

    save = commands.add_parser("save")
    save.add_argument("what", choices=("kit", "groove", "hand", "loop"))
    save.add_argument("name", metavar="NAME", help="its name, or its number or key")
    endings = "kit: .pocketkit or .zip (SFZ); groove: .json, .csv, .mid; hand: .json; loop: .wav, .flac"
    save.add_argument("-o", "--out", required=True, metavar="FILE", help=endings)
    save.add_argument("--song", metavar="SONG", help="of a loop: whose")
    save.add_argument("--chains", choices=("left", "printed"), default="left", help="of an SFZ: what voices go through")
    save.add_argument("--turns", choices=("switch", "round_robin"), default="switch", help="of an SFZ: other sounds")
    save.set_defaults(run=run_save)

    bring = commands.add_parser("bring")
    bring.add_argument("what", choices=("kit", "groove", "hand", "loop"))
    bring.add_argument("file", metavar="FILE", help="- for standard input")
    bring.add_argument("--song", metavar="SONG", help="of a loop: into which")
    bring.add_argument("--name", default="", help="what it is called (default: as in the file)")
    bring.set_defaults(run=run_bring)


def run_list(chosen: argparse.Namespace) -> None:
    def listing(database: Database) -> None:
        reader = database.reader
        if chosen.what in OF_SHELF:
            rows = _of_shelf(reader, chosen.what)
        else:
            rows = _of_song(reader, chosen.what, find_song(reader, _song(chosen)))
        if chosen.json:
            print(json.dumps(rows))
            return
        for row in rows:
            more = ", ".join(f"{name} {value}" for name, value in row.items()
                             if name not in ("id", "name", "passes") and not isinstance(value, list))  # fmt: skip
            print(f"{row['id']!s:>4}  {row['name']}{f': {more}' if more else ''}")

    on_shelf(listing)


def _song(chosen: argparse.Namespace) -> str:
    if not chosen.song:
        raise BadValueError(f"Say of which song: name it, as in 'easy-pocket {chosen.command} {chosen.what} ... SONG'.")
    return str(chosen.song)


def _of_shelf(reader: Reader, what: str) -> list[dict[str, Any]]:
    if what == "kits":
        return [
            {"id": kit.key, "name": kit.name, "voices": kit.voices, "songs": list(kit.songs), "house": kit.house}
            for kit in listed_kits(reader)
        ]
    if what == "grooves":
        return [{"id": row.id, "name": row.name, "house": row.house is not None} for row in groove_rows(reader)]
    return [{"id": one.id, "name": one.name, "house": one.of_the_house} for one in hands(reader)]


def _of_song(reader: Reader, what: str, song_id: int) -> list[dict[str, Any]]:
    if what == "parts":
        song = read_song(reader, song_id)
        return [
            {"id": one.id, "name": one.name, "kit": song.kits[one.kit_key].name,
             "patterns": [{"id": pattern.id, "name": pattern.name} for pattern in one.patterns]}
            for one in song.parts
        ]  # fmt: skip
    with reader.together() as session:
        if what == "loops":
            return [
                {"id": row.id, "name": row.name, "tempo_bpm": round(row.found["reading"]["tempo_bpm"], 3),
                 "bars": row.found["reading"]["bars"], "hits": len(row.found["time_s"])}
                for row in loops_of(session, song_id)
            ]  # fmt: skip
        return [
            {"id": row.id, "name": row.name, "tempo_bpm": row.tempo_bpm, "length_ticks": row.length_ticks,
             "passes": [{"id": one.id, "name": one.name, "hits": _played(one.played)} for one in take.passes]}
            for row in takes_of(session, song_id)
            for take in [load_take(session, row)]
        ]  # fmt: skip


def _played(played: Played) -> list[list[Any]]:
    """Rows of voice, ms, velocity."""
    return [
        [played.voices[index], round(time_ms, 3), velocity]
        for index, time_ms, velocity in zip(
            played.voice_index.tolist(), played.time_ms.tolist(), played.velocity.tolist(), strict=True
        )
    ]


def _named(rows: Sequence[One], wanted: str, what: str, key: Callable[[One], tuple[str, str]]) -> One:
    """By its key, or by its name. Raises BadValueError when there is none, or several of that name."""
    by_key = [row for row in rows if key(row)[0] == wanted]
    found = by_key or [row for row in rows if key(row)[1].lower() == wanted.lower()]
    if not found:
        raise BadValueError(f"There is no {what} '{wanted[:60]}': 'easy-pocket list {what}s' lists them.")
    if len(found) > 1:
        keys = ", ".join(key(row)[0] for row in found)
        raise BadValueError(f"{len(found)} {what}s are called '{wanted[:60]}': name one of {keys}.")
    return found[0]


def run_save(chosen: argparse.Namespace) -> None:
    def saving(database: Database) -> None:
        {"kit": _save_kit, "groove": _save_groove, "hand": _save_hand, "loop": _save_loop}[chosen.what](
            database.reader, chosen
        )

    on_shelf(saving)


def _save_kit(reader: Reader, chosen: argparse.Namespace) -> None:
    row: ListedKit = _named(listed_kits(reader), chosen.name, "kit", lambda kit: (kit.key, kit.name))
    kit, samples = load_kit(reader, row.key), sample_source(reader)
    if chosen.out.lower().endswith(".zip"):
        data = write_sfz(KitToWrite(kit, samples), SfzOptions(chosen.chains, chosen.turns)).data
    else:
        data = write_kit_file(kit, samples)
    write(chosen.out, data)


def _save_groove(reader: Reader, chosen: argparse.Namespace) -> None:
    with reader.together() as session:
        row: TemplateRow = _named(groove_rows(session), chosen.name, "groove", lambda one: (str(one.id), one.name))
        groove = find_groove(session, row.id)[1]
    write_template(groove, chosen.out)


def _save_hand(reader: Reader, chosen: argparse.Namespace) -> None:
    row: ListedHand = _named(hands(reader), chosen.name, "hand", lambda one: (str(one.id), one.name))
    write(chosen.out, dump_hand(find_hand(reader, row.id)).encode())


def _save_loop(reader: Reader, chosen: argparse.Namespace) -> None:
    with reader.together() as session:
        rows = loops_of(session, find_song(reader, _song(chosen)))
        row: LoopRow = _named(rows, chosen.name, "loop", lambda one: (str(one.id), one.name))
        audio = load_audio(session, row.audio_hash, row.name)
    kind = "FLAC" if chosen.out.lower().endswith(".flac") else "WAV"
    write(chosen.out, write_audio(audio, kind, 24))


def run_bring(chosen: argparse.Namespace) -> None:
    if chosen.what == "loop":
        _bring_loop(chosen)
        return
    name = file_name(chosen.file)
    if chosen.what == "groove":
        groove = read_template(chosen.file)

        def bringing(database: Database) -> None:
            with database.transaction() as session:
                number = save_template(session, groove)
                row = session.get_one(TemplateRow, number)
                row.name = chosen.name or row.name
                print(f"{number:>4}  {row.name}")

    elif chosen.what == "hand":
        hand = load_hand(bounded_bytes(chosen.file, "hand"), name)

        def bringing(database: Database) -> None:
            with database.transaction() as session:
                row = new_hand(session, hand)
                row.name, row.removed = chosen.name or row.name, False
                print(f"{row.id:>4}  {row.name}")

    else:
        read = read_any_kit(bounded_bytes(chosen.file, "kit", MOST_KIT_BYTES), name)

        def bringing(database: Database) -> None:
            with database.transaction() as session:
                save_samples(session, read.audio)
                row = add_kit(session, read.kit)
                row.name = chosen.name or row.name
                print(f"{row.key}  {row.name}")

    on_shelf(bringing)


def _bring_loop(chosen: argparse.Namespace) -> None:
    wanted = _song(chosen)
    audio, heard = heard_in(chosen.file)
    name = chosen.name or plain_stem(file_name(chosen.file))

    def bringing(database: Database) -> None:
        edit = BringInLoop(file=AnalyzedFile(name, stored(audio), heard))
        made = make_edit(database, find_song(database.reader, wanted), SentEdit(edit))
        print(f"{made.changed.made:>4}  {name}: {heard.reading.tempo_bpm:.1f} bpm, {len(heard.onsets)} hits")

    on_shelf(bringing)
