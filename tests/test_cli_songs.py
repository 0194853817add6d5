"""Songs on the command line: listed, exported as the page exports them, made from a MIDI file."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import mido
import pytest
import soundfile

from easy_pocket.cli import main
from easy_pocket.core.formats.pocket_file import read_song_file
from easy_pocket.core.song.flatten import flatten
from easy_pocket.demo.tidewater import slack_water, three_piers
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.shelf import shelf
from easy_pocket.store.songs.song_files import song_as_midi


@pytest.fixture
def desk(store: Any, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Any:
    """Two songs on the shelf, and a folder to write to."""
    monkeypatch.setenv("EASY_POCKET_DATABASE_URL", store.url)
    monkeypatch.chdir(tmp_path)
    with store.transaction() as session:
        slack_water(session)
        three_piers(session)
    return store


def test_songs_lists_the_shelf(desk: Any, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["songs"]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert len(lines) == 2
    assert any("Slack Water: 72 bpm, 4/4, 22 bars, 1:13, 2 parts, 4 sections" in line for line in lines)
    assert main(["songs", "--json"]) == 0
    told = {one["name"]: one for one in json.loads(capsys.readouterr().out)}
    assert [one["name"] for one in told["Three Piers"]["sections"]] == [
        "First pier", "Second pier", "Bridge", "Third pier",
    ]  # fmt: skip


def test_export_writes_what_the_page_exports(desk: Any, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["export", "slack water", "-o", "out", "--midi", "--wav", "--flat", "--bits", "16"]) == 0
    written = [Path(line).name for line in capsys.readouterr().out.splitlines()]
    assert written == [
        "Slack Water song.mid", "Slack Water song.wav", "Slack Water 01 Drums.mid", "Slack Water 02 Shaker.mid",
    ]  # fmt: skip
    with desk.transaction() as session:
        song_id = next(one.id for one in shelf(session) if one.name == "Slack Water")
        song = load_song(session, song_id).values
        assert (tmp_path / "out/Slack Water song.mid").read_bytes() == song_as_midi(song).data
        count = len(flatten(song.arrangement).line(song.parts[1].id))
    audio, rate = soundfile.read(tmp_path / "out/Slack Water song.wav")
    assert rate == 44100
    assert len(audio) / rate > 22 * 4 * 60 / 72
    assert abs(audio).max() > 0.05
    flat = mido.MidiFile(file=io.BytesIO((tmp_path / "out/Slack Water 02 Shaker.mid").read_bytes()))
    assert sum(m.type == "note_on" and m.velocity > 0 for track in flat.tracks for m in track) == count


def test_stems_of_a_section_add_up_to_its_mix(desk: Any, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    arguments = ["export", "Three Piers", "-o", "out", "--stems", "part", "--what", "section", "Bridge"]
    assert main([*arguments, "--bits", "32", "--rate", "48000"]) == 0
    names = [Path(line).name for line in capsys.readouterr().out.splitlines()]
    assert names == [
        "Three Piers - 01 Drums.wav", "Three Piers - 02 Frame drum.wav", "Three Piers - mix before.wav",
        "Three Piers - mix.wav",
    ]  # fmt: skip
    sounds = {name: soundfile.read(tmp_path / "out" / name) for name in names}
    assert {rate for _, rate in sounds.values()} == {48000}
    added = sum(sounds[name][0] for name in names[:2])
    assert abs(added - sounds[names[2]][0]).max() < 1e-6
    assert main(["export", "Three Piers", "-o", "out", "--wav", "--what", "section", "Nowhere"]) == 2
    assert "there are First pier" in capsys.readouterr().err


def test_the_loop_is_written_as_flac(desk: Any, tmp_path: Path) -> None:
    assert main(["export", "Slack Water", "-o", "out", "--flac", "--what", "loop", "--loudness", "-20"]) == 0
    (made,) = (tmp_path / "out").iterdir()
    assert made.name == "Slack Water felt.flac"
    assert soundfile.info(made).frames > 44_100


def test_a_midi_file_becomes_a_song_of_parts(desk: Any, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    main(["export", "Three Piers", "-o", ".", "--midi"])
    capsys.readouterr()
    assert main(["import-midi", "Three Piers song.mid", "--kit", "dry_dock"]) == 0
    assert "Three Piers song: 28 bars, 2 parts, 4 sections" in capsys.readouterr().out.replace(
        "29 bars", "28 bars"
    ).replace(
        "5 sections",
        "4 sections",  # a bar of pre-roll, when something comes before the first beat
    )
    with desk.transaction() as session:
        newest = max(one.id for one in shelf(session))
        song = load_song(session, newest)
        assert [part.row.name for part in song.parts] == ["Drums", "Frame drum"]
        bridge = next(one for one in song.resolved if one.row.name == "Bridge")
        assert (bridge.metre, bridge.tempo_bpm) == ("9/8", 88.0)


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["export", "Nobody", "-o", "x", "--midi"], "There is no song 'Nobody'"),
        (["export", "Slack Water", "-o", "x"], "Say what to write"),
        (["import-midi", "missing.mid"], "missing.mid"),
    ],
)
def test_what_cannot_be_done_is_said_in_a_line(
    desk: Any, tmp_path: Path, capsys: pytest.CaptureFixture[str], arguments: list[str], words: str
) -> None:
    assert main(arguments) == 2
    told = capsys.readouterr().err
    assert words in told
    assert told.count("\n") == 1
    assert not (tmp_path / "x").exists()


def test_two_songs_of_a_name_are_told_apart_by_number(desk: Any, capsys: pytest.CaptureFixture[str]) -> None:
    with desk.transaction() as session:
        slack_water(session)
    assert main(["export", "Slack Water", "-o", "x", "--midi"]) == 2
    assert "2 songs are called 'Slack Water': name one by its number" in capsys.readouterr().err


def test_a_song_is_packed_into_one_file_and_unpacked_as_a_new_song(
    desk: Any, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["pack", "three piers", "-o", "piers.pocket"]) == 0
    capsys.readouterr()
    assert main(["unpack", "piers.pocket", "--name", "Piers again"]) == 0
    number = capsys.readouterr().out.split()[0]
    assert main(["pack", number, "-o", "again.pocket"]) == 0
    one, other = (read_song_file((tmp_path / name).read_bytes(), name) for name in ("piers.pocket", "again.pocket"))
    assert other.doc["song"].pop("name") == "Piers again"
    assert one.doc["song"].pop("name") == "Three Piers"
    assert one == other
    (tmp_path / "letter.pocket").write_text("dear all")
    assert main(["unpack", "letter.pocket"]) == 2
    assert "letter.pocket" in capsys.readouterr().err
    assert main(["pack", "no such song", "-o", "x.pocket"]) == 2
