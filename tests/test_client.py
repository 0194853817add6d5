"""The client for programs and its worked examples, against the running application."""

from __future__ import annotations

import csv
import io
import os
import subprocess
import sys
import urllib.parse
import urllib.request
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest

from easy_pocket.client import Client, FeelModel, FeelSettings, FillIn, GrowIn, ProblemError, VaryIn
from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_writing import write_midi
from tests.drums import ROCK, SWUNG, beat, rendered, wav_bytes
from tests.running import running_app

DOCS = Path(__file__).parents[1] / "docs"


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    with running_app() as (found, _):
        yield found


@pytest.fixture(scope="module")
def token(address: str) -> str:
    """One made on the page, as a person does."""
    form = urllib.parse.urlencode({"name": "tests", "scope": "write"}).encode()
    asked = urllib.request.Request(f"{address}/programs", form, {"Origin": address.rstrip("/")})
    with urllib.request.urlopen(asked) as answer:
        page = answer.read().decode()
    return "pocket-" + page.split('value="pocket-')[1].split('"')[0]


@pytest.fixture
def pocket(address: str, token: str) -> Iterator[Client]:
    with Client(token, address) as found:
        yield found


def test_songs_are_read_edited_followed_and_taken_away(pocket: Client, address: str, token: str) -> None:
    sketch = next(one for one in pocket.songs() if one.name == "Lamplighter sketch")
    song = pocket.song(sketch.id)
    track = song.tracks[0]
    assert pocket.hits(song.id, track.id, track.patterns[0].id).hits
    assert pocket.played(song.id, track.id, track.patterns[0].id).hits
    with Client(token, address) as follower, ThreadPoolExecutor(1) as pool:
        changes = follower.changes(song.id)
        assert next(changes).revision == song.revision
        coming = pool.submit(next, changes)
        made = pocket.edit(song.id, {"kind": "tempo", "tempo_bpm": 96}, edit_id="client-000001")
        told = coming.result(timeout=20)
    assert (told.revision, told.words) == (made.revision, made.words)
    assert pocket.song(song.id).tempo_bpm == 96
    assert pocket.undo(song.id).redo == made.words
    assert pocket.redo(song.id).undo == made.words
    assert read_midi(pocket.export(song.id, "pattern"), "x.mid").pattern.hits
    assert pocket.export(song.id, "pattern", "wav")[:4] == b"RIFF"
    with pytest.raises(ProblemError, match="tempo") as refused:
        pocket.edit(song.id, {"kind": "tempo", "tempo_bpm": 3})
    assert refused.value.status == 422
    with pytest.raises(ProblemError) as missing:
        next(pocket.changes(999_999))
    assert missing.value.status == 404


def test_beats_and_loops(pocket: Client, tmp_path: Path) -> None:
    (tmp_path / "beat.mid").write_bytes(write_midi(perform(beat(ROCK), tempo_bpm=104), loop=True).data)
    found = pocket.beat_of_midi(tmp_path / "beat.mid")
    feel = FeelModel(settings=FeelSettings(push_ms=9.0))
    assert {round(hit.played_ms - hit.straight_ms) for hit in pocket.perform(found, feel).hits} == {9}
    assert {round(hit.offset_ms) for hit in read_midi(pocket.perform_midi(found, feel), "x.mid").pattern.hits} == {9}
    assert all(abs(row.mean_ms - 9) < 1 for row in pocket.pocket(found, feel))
    assert len(pocket.fill(FillIn(beat=found, count=2))) == 2
    assert len(pocket.vary(VaryIn(beat=found, count=3))) == 3
    assert pocket.grow(GrowIn(beat=found, bars=4)).beat.length_ticks == 4 * 3840
    first = pocket.grooves()[0]
    assert pocket.groove(first.id)["name"] == first.name
    (tmp_path / "letter.wav").write_bytes(b"Dear all")
    with pytest.raises(ProblemError, match="no audio"):
        pocket.listen(tmp_path / "letter.wav")


@pytest.fixture
def desk(tmp_path: Path, address: str, token: str, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("EASY_POCKET_TOKEN", token)
    monkeypatch.setenv("EASY_POCKET_ADDRESS", address)
    (tmp_path / "beats").mkdir()
    (tmp_path / "loops").mkdir()
    (tmp_path / "beats/rock.mid").write_bytes(write_midi(perform(beat(ROCK), tempo_bpm=104), loop=True).data)
    audio, _ = rendered(beat(SWUNG), 88.5, Feel(swing_percent=60))
    (tmp_path / "loops/swung.wav").write_bytes(wav_bytes(audio.samples))
    return tmp_path


def example(name: str, *arguments: Any, cwd: Path) -> str:
    file = DOCS / "examples" / f"{name}.py"
    assert file.read_text() in (DOCS / "programs.md").read_text()
    done = subprocess.run(
        [sys.executable, file, *arguments], cwd=cwd, capture_output=True, text=True, env={**os.environ}
    )
    assert done.returncode == 0, done.stderr
    return done.stdout


def test_the_example_that_gives_a_folder_a_feel(desk: Path) -> None:
    assert "rock.mid: " in example("humanize_folder", "beats", "felt", cwd=desk)
    felt = read_midi((desk / "felt/rock.mid").read_bytes(), "x.mid").pattern
    assert len(felt.hits) == len(beat(ROCK).hits)
    assert len({round(hit.offset_ms, 1) for hit in felt.hits}) > 5


def test_the_example_that_tables_grooves(desk: Path) -> None:
    rows = list(csv.DictReader(io.StringIO(example("grooves_table", "loops", cwd=desk))))
    assert [row["loop"] for row in rows] == ["swung.wav"]
    assert float(rows[0]["tempo_bpm"]) == pytest.approx(88.5, abs=0.2)
    assert float(rows[0]["swing_percent"]) == pytest.approx(60, abs=2)


def test_the_example_that_makes_a_song_of_variations(desk: Path, pocket: Client) -> None:
    told = example("sixteen_variations", "beats/rock.mid", "Sixteen ways", cwd=desk)
    song = pocket.song(int(told.split()[0]))
    assert (song.name, len(song.sections)) == ("Sixteen ways", 16)
    assert len({section.name for section in song.sections}) == 16
