"""What commands print as JSON, after the schema that ships with the docs; nothing is printed that it does not name."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import jsonschema_rs
import pytest

from easy_pocket.cli import main, make_parser
from easy_pocket.cli.commands import COMMANDS
from easy_pocket.cli.shelf_things import OF_SHELF, OF_SONG
from tests.editing import do

SCHEMA = json.loads((Path(__file__).parents[1] / "docs/formats/command-line.schema.json").read_text())
CALLS = {
    "listen": [["listen", "loop.wav", "--json"]],
    "hand": [["hand", "take.mid", "-o", "hand.json", "--json"]],
    "pocket": [["pocket", "beat.mid", "--json"], ["pocket", "beat.mid", "loop.wav", "--json"]],
    "hits": [["hits", "loop.wav", "-o", "out.mid", "--json"]],
    "sit-in": [["sit-in", "beat.mid", "loop.wav", "-o", "out.mid", "--json"]],
    "fill": [["fill", "beat.mid", "-o", "fills", "--count", "2", "--seed", "1", "--json"]],
    "vary": [["vary", "beat.mid", "-o", "variations", "--count", "2", "--changes", "2", "--json"]],
    "grow": [["grow", "beat.mid", "-o", "out.mid", "--bars", "4", "--json"]],
    "songs": [["songs", "--json"]],
    "history": [["history", "Lamplighter", "--json"]],
    "edit": [["edit", "Lamplighter", '[{"kind": "tempo", "tempo_bpm": 92}]', "--json"]],
    "list": [["list", what, "Lamplighter", "--json"] for what in (*OF_SHELF, *OF_SONG)],
}  # fmt: skip


@pytest.fixture
def full_desk(cli_desk: Path, store: Any) -> Path:
    assert main(["bring", "loop", "loop.wav", "--song", "Lamplighter"]) == 0
    song = next(row["id"] for row in _printed_songs(store))
    do(store, song, "take_pass", length_ticks=7680, tempo_bpm=72, hits=[("kick", 4.0, 90), ("snare", 700.0, 80, 1)])
    do(store, song, "tempo", tempo_bpm=72.0)
    return cli_desk


def _printed_songs(store: Any) -> list[dict[str, Any]]:
    from easy_pocket.store.songs.song_facts import song_facts

    return [dict(one) for one in song_facts(store.reader)]


def printed(capsys: pytest.CaptureFixture[str], call: list[str]) -> Any:
    capsys.readouterr()
    assert main(call) == 0, call
    return json.loads(capsys.readouterr().out)


def strict(schema: Any) -> Any:
    """The same, with nothing allowed that is not named."""
    if isinstance(schema, list):
        return [strict(one) for one in schema]
    if not isinstance(schema, dict):
        return schema
    found = {name: strict(one) for name, one in schema.items()}
    if isinstance(schema.get("properties"), dict) and "additionalProperties" not in schema:
        found["additionalProperties"] = False
    return found


@pytest.mark.parametrize("name", CALLS)
def test_what_is_printed_is_what_the_schema_says(
    full_desk: Path, capsys: pytest.CaptureFixture[str], name: str
) -> None:
    schema = strict({"$ref": f"#/$defs/{name}", "$defs": SCHEMA["$defs"]})
    for call in CALLS[name]:
        jsonschema_rs.validate(schema, printed(capsys, call))
    if name == "listen":  # and what is not so does not pass
        with pytest.raises(jsonschema_rs.ValidationError):
            jsonschema_rs.validate(schema, {"tempo_bpm": "fast"})


def test_every_command_that_prints_json_has_a_schema() -> None:
    subparsers = next(one for one in make_parser(whole=True)._actions if one.dest == "command")
    parsers = subparsers.choices
    assert isinstance(parsers, dict)
    speaking = {
        name for name in COMMANDS
        if any("--json" in one.option_strings for one in parsers[name]._actions)
    }  # fmt: skip
    assert speaking == set(CALLS) == set(SCHEMA["$defs"]) - {"idea", "gap", "beat_measure"}
