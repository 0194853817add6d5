"""The shelf on the command line: things listed, saved and brought back, songs edited, their patterns taken as beats."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import pytest
import soundfile

from easy_pocket.cli import main
from easy_pocket.core.formats.groove_json import load_template
from easy_pocket.core.formats.kit_file import read_any_kit
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.takes.house_hands import HOUSE_HANDS
from easy_pocket.store.loops.loops import loops_of
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.song_facts import song_facts


@pytest.fixture
def lamplighter(cli_desk: Path, store: Any) -> int:
    return next(one["id"] for one in song_facts(store.reader) if one["name"] == "Lamplighter")


def listed(capsys: pytest.CaptureFixture[str], *what: str) -> list[dict[str, Any]]:
    capsys.readouterr()
    assert main(["list", *what, "--json"]) == 0
    found: list[dict[str, Any]] = json.loads(capsys.readouterr().out)
    return found


def test_a_kit_goes_out_and_comes_back_under_another_name(
    lamplighter: int,
    cli_desk: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    assert main(["save", "kit", "boathouse", "-o", "b.pocketkit"]) == 0
    assert main(["bring", "kit", "b.pocketkit", "--name", "Second Boathouse"]) == 0
    names = {row["name"]: row for row in listed(capsys, "kits")}
    assert names["Second Boathouse"]["voices"] == names["Boathouse"]["voices"]
    assert not names["Second Boathouse"]["house"]
    assert main(["save", "kit", "Second Boathouse", "-o", "b.zip", "--turns", "round_robin"]) == 0
    assert len(read_any_kit((cli_desk / "b.zip").read_bytes(), "b.zip").kit.voices) == names["Boathouse"]["voices"]


def test_a_groove_and_a_hand_stand_on_the_shelf_and_are_saved_from_it(
    lamplighter: int,
    cli_desk: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    assert main(["groove", "loop.wav", "-o", "shuffle.json", "--name", "Bollard"]) == 0
    assert main(["bring", "groove", "shuffle.json"]) == 0
    assert [row["name"] for row in listed(capsys, "grooves")].count("Bollard") == 1
    assert main(["save", "groove", "Bollard", "-o", "again.json"]) == 0
    saved, first = (load_template((cli_desk / name).read_bytes(), name) for name in ("again.json", "shuffle.json"))
    assert saved == first
    assert main(["hand", "take.mid", "-o", "hand.json", "--name", "Sculler"]) == 0
    assert main(["bring", "hand", "hand.json"]) == 0
    assert [row["name"] for row in listed(capsys, "hands")].count("Sculler") == 1
    assert main(["save", "hand", "Sculler", "-o", "again-hand.json"]) == 0
    assert json.loads((cli_desk / "again-hand.json").read_text()) == json.loads((cli_desk / "hand.json").read_text())
    assert len(HOUSE_HANDS) >= 3


def test_a_loop_goes_into_a_song_and_out_of_it(
    lamplighter: int,
    cli_desk: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:
    assert main(["bring", "loop", "loop.wav", "--song", "Lamplighter", "--name", "Bollard"]) == 0
    (row,) = listed(capsys, "loops", "Lamplighter")
    assert (row["name"], round(row["tempo_bpm"], 1)) == ("Bollard", 88.5)
    assert main(["save", "loop", "Bollard", "--song", "Lamplighter", "-o", "out.flac"]) == 0
    was, now = (soundfile.read(io.BytesIO((cli_desk / name).read_bytes()))[0] for name in ("loop.wav", "out.flac"))
    assert abs(was - now).max() < 1e-4
    assert main(["undo", "Lamplighter"]) == 0
    assert listed(capsys, "loops", "Lamplighter") == []


def test_edits_are_made_undone_and_made_again(lamplighter: int, store: Any, capsys: pytest.CaptureFixture[str]) -> None:
    edits = [{"kind": "tempo", "tempo_bpm": 91.5}, {"kind": "write", "voice": "kick", "tick": 240, "velocity": 77}]
    assert main(["edit", str(lamplighter), json.dumps(edits)]) == 0
    assert capsys.readouterr().out.splitlines()[0] == "tempo 91.5"
    song = read_song(store.reader, lamplighter)
    assert song.base_tempo_bpm == 91.5
    assert ("kick", 240, 77) in {(hit.voice, hit.tick, hit.velocity) for hit in song.pattern.hits}
    assert main(["undo", "Lamplighter", "--steps", "2"]) == 0
    assert read_song(store.reader, lamplighter).base_tempo_bpm == 72
    assert main(["redo", "Lamplighter"]) == 0
    assert read_song(store.reader, lamplighter).base_tempo_bpm == 91.5


def test_a_pattern_of_a_song_is_taken_where_a_beat_is_meant(lamplighter: int, cli_desk: Path, store: Any) -> None:
    song = read_song(store.reader, lamplighter)
    assert main(["perform", "song:Lamplighter", "-o", "out.mid"]) == 0
    written = read_midi((cli_desk / "out.mid").read_bytes(), "out.mid")
    assert len(written.pattern.hits) == len(song.parts[0].patterns[0].pattern.hits)
    assert written.tempo_bpm == pytest.approx(72)
    part = song.parts[-1]
    named = f"song:{lamplighter}:{part.name}:{part.patterns[-1].name}"
    assert main(["perform", named, "-o", "other.mid"]) == 0
    other = read_midi((cli_desk / "other.mid").read_bytes(), "other.mid")
    assert len(other.pattern.hits) == len(part.patterns[-1].pattern.hits)


WRONG = {
    "a kit there is none of": (["save", "kit", "Nothing", "-o", "x.zip"], "There is no kit 'Nothing'"),
    "a loop of no song": (["save", "loop", "Bollard", "-o", "x.wav"], "Say of which song"),
    "no edit": (["edit", "Lamplighter", '{"kind": "dance"}'], "This is no edit"),
    "an edit out of bounds": (["edit", "Lamplighter", '{"kind": "tempo", "tempo_bpm": "x"}'], "This is no edit"),
    "no JSON": (["edit", "Lamplighter", "tempo 92"], "is no JSON"),
    "nothing to redo": (["redo", "Lamplighter"], "There is nothing to redo"),
    "a part there is none of": (["perform", "song:Lamplighter:Brass", "-o", "x.mid"], "There is no part 'Brass'"),
    "a song there is none of": (["perform", "song:Fog", "-o", "x.mid"], "There is no song 'Fog'"),
    "a hand that is none": (["bring", "hand", "feel.json"], "feel.json"),
}  # fmt: skip


@pytest.mark.parametrize(("call", "words"), WRONG.values(), ids=WRONG.keys())
def test_what_cannot_be_is_said_in_a_line_and_nothing_is_written(
    lamplighter: int,
    cli_desk: Path,
    capsys: pytest.CaptureFixture[str],
    call: list[str],
    words: str,
) -> None:
    before = {path.name for path in cli_desk.iterdir()}
    assert main(call) == 2
    said = capsys.readouterr().err
    assert words in said
    assert said.count("\n") == 1
    assert {path.name for path in cli_desk.iterdir()} == before


def test_a_song_is_carried_to_a_bare_machine_and_its_wav_has_the_same_bytes(
    lamplighter: int, cli_desk: Path, store: Any, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    """With a loop under it, a kit of its own, a Stage, notes of its own and its history."""
    assert main(["bring", "loop", "loop.wav", "--song", "Lamplighter", "--name", "Bollard"]) == 0
    with store.transaction() as session:
        loop = loops_of(session, lamplighter)[0].id
    edits = [
        {"kind": "kit_new", "name": "Own", "source": "copy"},
        {"kind": "kit_voice", "role": "kick", "field": "level_db", "value": -4.5},
        {"kind": "layered_loop", "loop_id": loop, "there": True},
        {"kind": "stage_add", "where": "whole", "unit": {"kind": "compressor"}},
        {"kind": "key", "voice": "snare", "note": 40},
    ]
    assert main(["edit", "Lamplighter", json.dumps(edits)]) == 0
    assert main(["pack", "Lamplighter", "-o", "carried.pocket", "--history"]) == 0
    assert main(["export", "Lamplighter", "-o", "here", "--wav", "--midi"]) == 0
    monkeypatch.delenv("EASY_POCKET_DATABASE_URL")
    monkeypatch.setenv("EASY_POCKET_HOME", str(tmp_path / "bare"))
    assert main(["unpack", "carried.pocket"]) == 0
    assert main(["export", "Lamplighter", "-o", "there", "--wav", "--midi"]) == 0
    here = {path.name: path.read_bytes() for path in (cli_desk / "here").iterdir()}
    there = {path.name: path.read_bytes() for path in (cli_desk / "there").iterdir()}
    assert here == there
    assert len(here) == 2
    assert main(["undo", "Lamplighter"]) == 0
