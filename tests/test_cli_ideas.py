"""fill, vary and grow as a user calls them."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi import read_midi
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.pattern.pattern import Pattern
from tests.core.idea_scenes import beat
from tests.test_cli import run


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("ideas")
    (folder / "in.mid").write_bytes(write_midi(perform(beat("straight"), tempo_bpm=104.0)).data)
    (folder / "empty.mid").write_bytes(write_midi(perform(Pattern(3840), tempo_bpm=104.0)).data)
    return folder


def places(path: Path) -> dict[tuple[str, int], int]:
    pattern = read_midi(path.read_bytes(), path.name).pattern
    return {(hit.voice, hit.tick): hit.velocity for hit in pattern.hits}


def test_six_fills_as_files_and_what_each_changes(desk: Path) -> None:
    done = run("fill", "in.mid", "-o", "fills", "--count", "6", "--beats", "2", "--seed", "3", "--density", "6:10",
               "--loudness", "70:118", "--offbeat", "0.3", "--ending", "hit4", "--playable", "--json",
               cwd=desk)  # fmt: skip
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert (told["window"]["from"], len(told["ideas"])) == ("2.3", 6)
    before = places(desk / "in.mid")
    for idea in told["ideas"]:
        after = places(desk / "fills" / idea["file"])
        made = dict(before)
        for change in idea["changes"]:
            for hit in change["gone"]:
                made.pop((hit["voice"], hit["tick"]), None)
            for hit in change["come"]:
                made[hit["voice"], hit["tick"]] = hit["velocity"]
            assert change["words"]
        assert made == after
        inside = [tick for _, tick in after if tick >= 5760]
        assert 14 <= len(inside) <= 18
        assert max(inside) == 6720


def test_the_same_seed_writes_the_same_files(desk: Path) -> None:
    for folder in ("one", "two"):
        assert run("fill", "in.mid", "-o", folder, "--count", "2", "--seed", "9", cwd=desk).returncode == 0
    assert (desk / "one/fill-2.mid").read_bytes() == (desk / "two/fill-2.mid").read_bytes()


def test_three_changes_each(desk: Path) -> None:
    done = run("vary", "in.mid", "-o", "varied", "--changes", "3", "--seed", "1", "--json", cwd=desk)
    assert done.returncode == 0, done.stderr
    ideas = json.loads(done.stdout)["ideas"]
    assert [len(idea["changes"]) for idea in ideas] == [3] * 6
    assert len({(desk / "varied" / idea["file"]).read_bytes() for idea in ideas}) == 6


def test_eight_bars_no_two_alike(desk: Path) -> None:
    done = run("grow", "in.mid", "-o", "long.mid", "--bars", "8", "--plan", "every", "--seed", "1", "--json", cwd=desk)
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert [bar["bar"] for bar in told["plan"]] == list(range(1, 9))
    hits = places(desk / "long.mid")
    bars = [frozenset((v, t % 3840, hits[v, t]) for v, t in hits if t // 3840 == bar) for bar in range(8)]
    assert len(set(bars)) == 8


REFUSED = {
    ("fill", "in.mid", "-o", "no", "--density", "lots"): "--density is 'lots'; write it like 6:10.",
    ("fill", "in.mid", "-o", "no", "--beats", "9"): "The length of a fill is 9 beats",
    ("fill", "in.mid", "-o", "no", "--keep", "gong"): "There is no voice 'gong'",
    ("vary", "in.mid", "-o", "no", "--kinds", "magic"): "There is no change of the kind 'magic'",
    ("vary", "empty.mid", "-o", "no", "--kinds", "accent"): "empty.mid holds no notes: choose a file with drum notes.",
    ("grow", "empty.mid", "-o", "no"): "empty.mid holds no notes: choose a file with drum notes.",
    ("grow", "in.mid", "-o", "no", "--bars", "2"): "The pattern has 2 bars already, 2 were asked for",
}


@pytest.mark.parametrize("arguments", REFUSED, ids=" ".join)
def test_what_cannot_be_is_said_in_one_line(desk: Path, arguments: tuple[str, ...]) -> None:
    done = run(*arguments, cwd=desk)
    assert done.returncode == 2
    assert REFUSED[arguments] in done.stderr
    assert done.stderr.count("\n") == 1
    assert not (desk / "no").exists()
