"""Where the command line writes to: files whole or not at all, devices and pipes as they are, links through."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import mido
import pytest

from easy_pocket.cli.files import write
from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi_writing import write_midi
from tests.drums import ROCK, beat

ROOT = Path(__file__).resolve().parent.parent


@pytest.fixture
def desk(tmp_path: Path) -> Path:
    (tmp_path / "in.mid").write_bytes(write_midi(perform(beat(ROCK), tempo_bpm=100)).data)
    return tmp_path


def command(*arguments: str) -> list[str]:
    return [sys.executable, "-m", "easy_pocket.cli", *arguments]


def environment() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(ROOT)}


def notes(data: Path) -> int:
    return sum(message.type == "note_on" for track in mido.MidiFile(data).tracks for message in track)


@pytest.mark.parametrize("target", ["-", "/dev/stdout", "/proc/self/fd/1"])
def test_the_standard_output_by_each_of_its_names(desk: Path, target: str) -> None:
    done = subprocess.run(
        command("perform", "in.mid", "-o", target), cwd=desk, env=environment(), capture_output=True, check=True
    )
    assert done.stdout.startswith(b"MThd")
    out = desk / "out.mid"
    with out.open("wb") as file:  # redirected into a file: that file is written, not another one in its place
        before = os.fstat(file.fileno()).st_ino
        subprocess.run(command("perform", "in.mid", "-o", target), cwd=desk, env=environment(), stdout=file, check=True)
    assert out.stat().st_ino == before
    assert notes(out) > 0


def test_a_device_stays_a_device(desk: Path) -> None:
    write("/dev/null", b"gone")
    assert not Path("/dev/null").is_file()


def test_a_pipe_is_written_to(desk: Path) -> None:
    pipe = desk / "pipe"
    os.mkfifo(pipe)
    read: list[bytes] = []
    reader = threading.Thread(target=lambda: read.append(pipe.read_bytes()))
    reader.start()
    write(str(pipe), b"through it")
    reader.join()
    assert read == [b"through it"]
    assert not pipe.is_file()


def test_of_a_link_the_target_is_written_and_the_link_stays(desk: Path) -> None:
    (desk / "target").write_bytes(b"old")
    link = desk / "link"
    link.symlink_to("target")
    write(str(link), b"new")
    assert link.is_symlink()
    assert (desk / "target").read_bytes() == b"new"
    hanging = desk / "hanging"
    hanging.symlink_to("not yet")
    write(str(hanging), b"first")
    assert hanging.is_symlink()
    assert (desk / "not yet").read_bytes() == b"first"


@pytest.mark.parametrize("name", ["no/such/folder/out.mid", "in.mid/out.mid", "."])
def test_a_name_that_cannot_be_written_is_named(desk: Path, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    monkeypatch.chdir(desk)
    before = sorted(desk.iterdir())
    with pytest.raises(BadValueError) as refused:
        write(name, b"x")
    assert name in str(refused.value)
    assert sorted(desk.iterdir()) == before


def opened_by_it(pipe: Path) -> int:
    """Our end of a pipe, as soon as somebody reads at the other."""
    give_up = time.monotonic() + 60
    while True:
        try:
            return os.open(pipe, os.O_WRONLY | os.O_NONBLOCK)
        except OSError:
            assert time.monotonic() < give_up
            os.sched_yield()


def test_ctrl_c_ends_with_one_line_and_leaves_no_file(desk: Path) -> None:
    os.mkfifo(desk / "never.mid")  # it waits here for what never comes
    process = subprocess.Popen(
        command("perform", "never.mid", "-o", "out.mid"),
        cwd=desk,
        env=environment(),
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        # A shell that runs the tests beside others has Ctrl-C ignored, and what is begun there inherits that.
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )
    holding = opened_by_it(desk / "never.mid")  # now it is at work
    said = None
    while said is None:  # one that comes between opening and reading is seen only with the next
        process.send_signal(signal.SIGINT)
        with contextlib.suppress(subprocess.TimeoutExpired):
            said = process.communicate(timeout=2)[1]
    os.close(holding)
    assert process.returncode != 0
    assert "Traceback" not in said
    assert len(said.strip().splitlines()) == 1
    assert not (desk / "out.mid").exists()
