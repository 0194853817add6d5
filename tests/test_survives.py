"""Killed at any moment, or with files missing, nothing is lost: it starts again, or says in words what to do."""

from __future__ import annotations

import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy import text

from easy_pocket.home.dumps import dumps_in, make_dump
from easy_pocket.home.engine_files import MADE
from easy_pocket.home.folder import LaunchError
from easy_pocket.home.mariadb import MariaDb, free_port
from easy_pocket.home.restore import restore
from easy_pocket.store.database import Database
from easy_pocket.store.schema import MIGRATIONS
from tests.running import start_app

BEFORE = "0007"  # a version to upgrade from


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the demo in it, stopped properly; to be copied, not used."""
    home = tmp_path_factory.mktemp("made") / "h"
    process, _ = start_app(home)
    stop(process)
    return home


@pytest.fixture(scope="module")
def older(made: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The same as an older program left it."""
    home = shutil.copytree(made, tmp_path_factory.mktemp("older") / "h")
    server = MariaDb(home)
    database = Database(server.start())
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with database.engine.begin() as connection:
        config.attributes["connection"] = connection
        command.downgrade(config, BEFORE)
    database.close()
    server.stop()
    (home / MADE).unlink()
    return home


@pytest.fixture
def home(tmp_path: Path) -> Iterator[Path]:
    yield tmp_path / "h"
    for pid in servers_of(tmp_path):
        os.kill(pid, signal.SIGKILL)


def servers_of(home: Path) -> list[int]:
    found = subprocess.run(["pgrep", "-f", f"mariadbd.*{home}"], capture_output=True, text=True).stdout.split()
    return [int(pid) for pid in found]


def stop(process: subprocess.Popen[str]) -> None:
    process.terminate()
    assert process.wait(60) == 0


def killed_at(home: Path, seconds: float, *, database: bool) -> None:
    """Start it, and end it with its database (or without) when so much time has gone."""
    process = subprocess.Popen(
        [sys.executable, "-m", "easy_pocket.launch", "--port", str(free_port())],
        env={**os.environ, "EASY_POCKET_HOME": str(home)},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        process.wait(seconds)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
    for pid in servers_of(home) if database else ():
        os.kill(pid, signal.SIGKILL)


def get(address: str) -> str:
    with urllib.request.urlopen(address) as answer:
        return str(answer.read().decode())


def songs_at(address: str) -> dict[str, Any]:
    """What is on the shelf: names, and the hits of each song."""
    found = {}
    for number in sorted({int(one) for one in re.findall(r"/songs/(\d+)/bench", get(address + "/"))}):
        state = json.loads(get(f"{address}/songs/{number}/state"))
        found[state["song"]["name"]] = state["data"]["hits"]
    return found


def whole(home: Path) -> dict[str, Any]:
    process, address = start_app(home)
    try:
        return songs_at(address)
    finally:
        stop(process)


def moments(deep: bool, few: int, many: int, longest_s: float) -> list[tuple[float, bool]]:
    """When to kill, and whether the database is killed, too: spread over the time a start takes."""
    chance = random.Random() if deep else random.Random(15)
    count = many if deep else few
    return [(longest_s * (one + chance.random()) / count, chance.random() < 0.5) for one in range(count)]


def test_a_first_start_killed_at_any_moment_is_finished_by_the_next(made: Path, home: Path, deep: bool) -> None:
    wanted = whole(shutil.copytree(made, home.parent / "whole"))
    for number, (seconds, database) in enumerate(moments(deep, 2, 15, 6.0)):
        one = home.parent / f"first{number}"
        killed_at(one, seconds, database=database)
        assert whole(one) == wanted, f"killed after {seconds:.2f} s"
        shutil.rmtree(one)


def test_an_upgrade_killed_at_any_moment_is_finished_by_the_next(older: Path, home: Path, deep: bool) -> None:
    wanted = whole(shutil.copytree(older, home.parent / "whole"))
    assert len(wanted) >= 3
    for number, (seconds, database) in enumerate(moments(deep, 2, 15, 4.0)):
        one = shutil.copytree(older, home.parent / f"upgrade{number}")
        killed_at(one, seconds, database=database)
        assert whole(one) == wanted, f"killed after {seconds:.2f} s"
        assert 1 <= len(dumps_in(one)) <= 2
        shutil.rmtree(one)


def test_no_answered_edit_is_lost_and_none_made_twice_when_it_is_killed(made: Path, home: Path, deep: bool) -> None:
    shutil.copytree(made, home)
    chance = random.Random() if deep else random.Random(4)
    process, address = start_app(home)
    song = min(int(one) for one in re.findall(r"/songs/(\d+)/bench", get(address + "/")))
    first = json.loads(get(f"{address}/songs/{song}/state"))["song"]["revision"]
    made_ticks: list[int] = []
    waiting: tuple[str, int] | None = None
    for number in range(20 if deep else 2):
        end = time.monotonic() + 0.4 + chance.random()
        victims = [process.pid] if number % 2 else servers_of(home)
        while time.monotonic() < end or not made_ticks:
            tick = len(made_ticks) * 3 + 1
            waiting = waiting or (f"handoff-{tick}", tick)
            send(address, song, *waiting)
            made_ticks.append(waiting[1])
            waiting = None
        for pid in victims:
            os.kill(pid, signal.SIGKILL)
        tick = len(made_ticks) * 3 + 1
        waiting = (f"handoff-{tick}", tick)
        try:
            send(address, song, *waiting)
        except (urllib.error.URLError, ConnectionError):
            pass  # no answer: it is sent again, with its id
        else:
            made_ticks.append(waiting[1])
            waiting = None
        process.kill()
        process.wait()
        process, address = start_app(home)
    if waiting:
        send(address, song, *waiting)
        made_ticks.append(waiting[1])
    state = json.loads(get(f"{address}/songs/{song}/state"))
    stop(process)
    ticks = state["data"]["hits"]["shaker"]["tick"]
    assert [tick for tick in ticks if tick % 3 == 1 and tick in made_ticks] == sorted(made_ticks)
    assert state["song"]["revision"] == first + len(made_ticks)


def send(address: str, song: int, edit_id: str, tick: int) -> None:
    edit = {"kind": "write", "voice": "shaker", "tick": tick, "velocity": 71}
    body = json.dumps({"edit_id": edit_id, "revision": 1, "edit": edit}).encode()
    headers = {"Origin": address, "Content-Type": "application/json"}
    with urllib.request.urlopen(urllib.request.Request(f"{address}/songs/{song}/edits", body, headers)) as answer:
        answer.read()


@pytest.mark.parametrize("missing", ["mysql", "ibdata1", "pocket/song.ibd", ""])
def test_with_files_missing_it_refuses_names_them_and_touches_nothing(made: Path, home: Path, missing: str) -> None:
    shutil.copytree(made, home)
    gone = home / "db" / missing
    shutil.rmtree(gone) if gone.is_dir() else gone.unlink()
    before = sorted(str(path) for path in (home / "db").rglob("*")) if missing else []
    with pytest.raises(RuntimeError) as refused:
        start_app(home)
    words = str(refused.value)
    assert (missing or "gone or empty") in words
    assert "Nothing was changed" in words
    after = sorted(str(path) for path in (home / "db").rglob("*")) if missing else []
    assert before == after


def test_a_database_of_a_newer_program_is_refused_in_one_sentence(made: Path, home: Path) -> None:
    shutil.copytree(made, home)
    server = MariaDb(home)
    database = Database(server.start())
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    database.close()
    server.stop()
    with pytest.raises(RuntimeError, match=r"newer Easy Pocket .*9999.*start that newer program"):
        start_app(home)


def test_three_dumps_are_kept_and_one_is_brought_back(made: Path, home: Path) -> None:
    shutil.copytree(made, home)
    wanted = whole(shutil.copytree(made, home.parent / "whole"))
    server = MariaDb(home)
    url = server.start()
    for number in range(5):
        make_dump(home, url, f"number-{number}")
    database = Database(url)
    with database.engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        connection.execute(text("DELETE FROM song"))
    database.close()
    server.stop()
    kept = dumps_in(home)
    assert [path.name.partition("number-")[2] for path in kept] == ["2.shelf.tar", "3.shelf.tar", "4.shelf.tar"]
    assert "are back" in restore(home, kept[-1])
    assert whole(home) == wanted
    assert len(list(home.glob("db.set-aside-*"))) == 1


def test_a_file_that_is_no_dump_changes_nothing(made: Path, home: Path) -> None:
    shutil.copytree(made, home)
    wrong = home / "wrong.sql.gz"
    wrong.write_bytes(b"no dump at all")
    with pytest.raises(LaunchError, match="is no backup"):
        restore(home, wrong)
    assert len(whole(home)) >= 3
