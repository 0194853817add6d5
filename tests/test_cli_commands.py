"""Commands as a whole: each example works and is in the docs, files may be pipes, shells complete, watching follows."""

from __future__ import annotations

import json
import os
import shlex
import subprocess
import sys
from pathlib import Path

import pytest

from easy_pocket.cli import main, make_parser
from easy_pocket.cli.commands import COMMANDS
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.groove_json import load_template
from easy_pocket.core.formats.midi import read_midi
from tests.drums import ROCK, beat

DOCS = Path(__file__).parents[1] / "docs/command-line.md"
COMMAND = str(Path(sys.executable).with_name("easy-pocket"))
HEAVY = ("numpy", "scipy", "sqlalchemy", "mido", "soundfile")


def test_every_example_works_and_is_in_the_docs(cli_desk: Path, capsys: pytest.CaptureFixture[str]) -> None:
    docs = DOCS.read_text()
    for name, one in COMMANDS.items():
        assert f"    easy-pocket {one.example}\n" in docs, name
        before = {path: path.stat().st_mtime_ns for path in cli_desk.rglob("*")}
        assert main(shlex.split(one.example)) == 0, name
        made = [path for path in cli_desk.rglob("*") if before.get(path) != path.stat().st_mtime_ns]
        assert made or capsys.readouterr().out, name


def test_the_short_help_says_what_the_long_one_does() -> None:
    short, whole = make_parser().format_help(), make_parser(whole=True).format_help()
    assert short == whole
    assert all(one.help in " ".join(short.split()) for one in COMMANDS.values())


def test_nothing_heavy_is_loaded_for_help() -> None:
    code = f"import sys; from easy_pocket.cli import main\ntry: main(['--help'])\nexcept SystemExit: pass\n" \
           f"print([name for name in {HEAVY!r} if name in sys.modules], file=sys.stderr)"  # fmt: skip
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stderr.strip() == "[]"
    assert "import-midi" in done.stdout


def test_a_list_of_songs_loads_nothing_that_computes(cli_desk: Path) -> None:
    code = "import sys; from easy_pocket.cli import main; main(['songs'])\n" \
           "print('scipy' in sys.modules, file=sys.stderr)"  # fmt: skip
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stderr.strip() == "False"
    assert "Lamplighter: 72 bpm" in done.stdout


def piped(data: bytes, *arguments: str) -> subprocess.CompletedProcess[bytes]:
    return subprocess.run([COMMAND, *arguments], input=data, capture_output=True, check=False)


def test_files_may_be_pipes(cli_desk: Path) -> None:
    felt = piped((cli_desk / "beat.mid").read_bytes(), "perform", "-", "-o", "-", "--push", "12")
    assert felt.returncode == 0, felt.stderr
    assert {round(hit.offset_ms) for hit in read_midi(felt.stdout, "x.mid").pattern.hits} == {12}
    loop = (cli_desk / "loop.wav").read_bytes()
    groove = piped(loop, "groove", "-", "-o", "-")
    template = load_template(groove.stdout, "x.json")
    again = piped(groove.stdout, "groove", "-", "-o", str(cli_desk / "again.mid"))
    assert again.returncode == 0, again.stderr
    back = piped((cli_desk / "again.mid").read_bytes(), "groove", "-", "-o", "-")
    assert load_template(back.stdout, "x.json") == template
    heard = piped(loop, "listen", "-", "--json")
    assert json.loads(heard.stdout)["tempo_bpm"] == pytest.approx(88.5, abs=0.2)
    rhythm = piped(loop, "hits", "-", "-o", "-")
    assert read_midi(rhythm.stdout, "x.mid").pattern.hits
    assert b"standard input: " in rhythm.stderr  # the figures go beside the file


def test_a_file_and_json_do_not_go_to_one_place(cli_desk: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["hits", "loop.wav", "-o", "-", "--json"]) == 2
    assert "both want the standard output" in capsys.readouterr().err


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_a_shell_is_told_how_to_complete(shell: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["completion", shell]) == 0
    assert "easy-pocket" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("line", "found"),
    [
        ("easy-pocket ren", "render"),
        ("easy-pocket perform --sw", "--swing"),
        ("easy-pocket groove --na", "--name"),
    ],
)
def test_commands_and_options_are_completed(line: str, found: str, tmp_path: Path) -> None:
    answers = tmp_path / "answers"
    told = {
        **os.environ, "_ARGCOMPLETE": "1", "_ARGCOMPLETE_SHELL": "bash", "_ARGCOMPLETE_STDOUT_FILENAME": str(answers),
        "COMP_LINE": line, "COMP_POINT": str(len(line)), "_ARGCOMPLETE_COMP_WORDBREAKS": " ", "_ARGCOMPLETE_IFS": "\n",
    }  # fmt: skip
    subprocess.run([COMMAND], env=told, check=False, capture_output=True)
    assert found in answers.read_text().split()


def test_a_watched_beat_is_done_again_when_its_file_changes(cli_desk: Path) -> None:
    command = [COMMAND, "watch", "beat.mid", "--feel", "feel.json", "-o", "out.mid", "--push", "2"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as watching:
        assert watching.stdout
        assert watching.stderr
        assert watching.stdout.readline().startswith("out.mid: written")
        first = (cli_desk / "out.mid").read_bytes()
        (cli_desk / "feel.json").write_text('{"swing": ')
        assert "feel.json is no JSON" in watching.stderr.readline()
        assert (cli_desk / "out.mid").read_bytes() == first
        (cli_desk / "feel.json").write_text('{"push": 20}')
        assert watching.stdout.readline().startswith("out.mid: written")
        watching.terminate()
    pattern = beat(ROCK)
    expected = perform(pattern, FeelScopes(Feel(push_ms=2.0)), tempo_bpm=104)
    back = read_midi((cli_desk / "out.mid").read_bytes(), "x.mid").pattern
    assert len(back.hits) == len(expected.hits.tick)
    assert {round(hit.offset_ms) for hit in back.hits} == {2}  # what is given on the line comes on top of the file


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("[1]", "is no feel"),
        ('{"swong": 57}', "no option of a feel"),
        ('{"voices": {"snare": {"seed": 3}}}', "no option of a feel"),
        ('{"swing": [57]}', "has no value for swing"),
        ('{"swing": "much"}', "no number"),
        ('{"voices": {"snore": {"push": 3}}}', "snore"),
        ("[" * 5000, "no JSON"),
    ],
)
def test_a_feel_that_is_none_is_said(cli_desk: Path, text: str, words: str, capsys: pytest.CaptureFixture[str]) -> None:
    (cli_desk / "feel.json").write_text(text)
    assert main(["perform", "beat.mid", "-o", "x.mid", "--feel", "feel.json"]) == 2
    assert words in capsys.readouterr().err
    assert not (cli_desk / "x.mid").exists()


def test_what_is_nobodys_mistake_ends_with_1(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "home").write_text("a file where the data folder should be")
    monkeypatch.delenv("EASY_POCKET_DATABASE_URL", raising=False)
    monkeypatch.setenv("EASY_POCKET_HOME", str(tmp_path / "home"))
    assert main(["songs"]) == 1
    assert len(capsys.readouterr().err.splitlines()) == 1
