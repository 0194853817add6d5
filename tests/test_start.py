"""`python -m easy_pocket.launch` as a user meets it: starts, stops, refuses in words, survives being killed."""

import gzip
import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

import pytest

from easy_pocket.home import mariadb
from easy_pocket.home.mariadb import MariaDb, free_port
from tests.running import start_app

ROOT = Path(__file__).resolve().parent.parent


@pytest.fixture
def fresh(tmp_path):
    started = []

    def start(*options, port=None):
        process, address = start_app(tmp_path / "h", *options, port=port)
        started.append(process)
        return process, address

    yield start
    for process in started:
        if process.poll() is None:
            process.kill()
            process.wait()
    for pid in servers_of(tmp_path):
        os.kill(pid, signal.SIGKILL)


def servers_of(home):
    found = subprocess.run(["pgrep", "-f", f"mariadbd.*{home}"], capture_output=True, text=True).stdout.split()
    return [int(pid) for pid in found]


def gone(pids):
    end = time.monotonic() + 20
    while any(Path(f"/proc/{pid}").exists() for pid in pids):
        assert time.monotonic() < end, "it is still running"
        os.sched_yield()
    return True


def get(address):
    with urllib.request.urlopen(address) as answer:
        return answer.read().decode()


def post(address, path, body):
    request = urllib.request.Request(
        address + path, json.dumps(body).encode(), {"Origin": address, "Content-Type": "application/json"}
    )
    with urllib.request.urlopen(request) as answer:
        return json.loads(answer.read())


def test_ctrl_c_stops_what_it_started(fresh, tmp_path):
    process, address = fresh()
    assert "Lamplighter" in get(address + "/")
    get(address + re.search(r"/songs/\d+/bench", get(address + "/")).group())
    # What the core computes is kept in the running program, too, whichever module was imported when.
    assert {"voices, rendered", "spans, performed"} <= {
        one["name"] for one in json.loads(get(address + "/ready"))["caches"]
    }
    servers = servers_of(tmp_path)
    assert len(servers) == 1
    process.send_signal(signal.SIGINT)
    assert process.wait(20) == 0
    assert gone(servers)


def test_killed_in_the_middle_nothing_is_lost(fresh, tmp_path):
    process, address = fresh()
    song = re.search(r"(/songs/\d+)/bench", get(address + "/")).group(1)
    edit = {"kind": "write", "voice": "rim", "tick": 960, "velocity": 71}
    post(address, f"{song}/edits", {"revision": 1, "edit": edit})
    servers = servers_of(tmp_path)
    process.kill()
    process.wait()
    os.kill(servers[0], signal.SIGKILL)
    assert gone(servers)
    _, address = fresh()
    state = json.loads(get(f"{address}{song}/state"))
    rim = state["data"]["hits"]["rim"]
    assert rim["velocity"][rim["tick"].index(960)] == 71
    assert state["song"]["undo"] == "write rim at 1.2"


def test_a_database_server_left_behind_is_ended_first(fresh, tmp_path):
    process, _ = fresh()
    servers = servers_of(tmp_path)
    os.kill(process.pid, signal.SIGKILL)
    process.wait()
    _, address = fresh()
    assert "Lamplighter" in get(address + "/")
    assert gone(servers)
    assert len(servers_of(tmp_path)) == 1


def test_two_on_one_folder_are_refused_in_words(fresh, tmp_path):
    _, address = fresh("--no-demo")
    with pytest.raises(RuntimeError, match=f"already runs on .* at {address}"):
        start_app(tmp_path / "h")


def test_a_taken_port_is_refused_in_words(tmp_path):
    with socket.socket() as busy:
        busy.bind(("127.0.0.1", 0))
        busy.listen()
        port = busy.getsockname()[1]
        with pytest.raises(
            RuntimeError, match=f"Port {port} .* is taken: stop what uses it, or start with --port {port + 1}"
        ):
            start_app(tmp_path / "h", port=port)


def upload(address, path, data):
    headers = {"Origin": address, "Content-Type": "application/octet-stream", "Accept": "application/json"}
    with urllib.request.urlopen(urllib.request.Request(address + path, data, headers)) as answer:
        return json.loads(answer.read())


def shown_songs(address):
    return set(re.findall(r'data-name="([^"]+)"', get(address)))


def told_on_shelf(address):
    """What the Shelf says once it has started anew."""
    end = time.monotonic() + 60
    while time.monotonic() < end:
        try:
            page = get(address)
        except OSError:
            continue
        told = re.search(r'id="bring-state"[^>]*>([^<]+)<', page)
        if told:
            return told[1]
    raise AssertionError("it did not start anew")


def test_a_backup_is_saved_from_the_page_and_brought_back_over_what_came_after(fresh, tmp_path):
    process, address = fresh()
    before = shown_songs(address)
    with urllib.request.urlopen(f"{address}/backup") as answer:
        backup = answer.read()
    urllib.request.urlopen(urllib.request.Request(f"{address}/songs", b"name=Too+late", {"Origin": address}))
    assert shown_songs(address) == before | {"too late"}
    with pytest.raises(urllib.error.HTTPError) as refused:
        upload(address, "/backups/upload?name=letter.gz", b"dear all")
    assert "letter.gz is no backup of Easy Pocket" in json.loads(refused.value.read())["error"]
    upload(address, "/backups/upload?name=shelf.tar", backup)
    assert told_on_shelf(address).startswith("The backup is back. What was there before lies in db.set-aside-")
    assert shown_songs(address) == before
    broken = gzip.compress(b"-- MariaDB dump\nno sql at all;\n")
    upload(address, "/backups/upload?name=cut.sql.gz", broken)
    assert told_on_shelf(address).startswith("The backup could not be brought back; all is as it was.")
    assert shown_songs(address) == before
    process.send_signal(signal.SIGINT)
    assert process.wait(30) == 0
    assert gone(servers_of(tmp_path))


def test_no_demo_is_an_empty_shelf(fresh):
    _, address = fresh("--no-demo")
    assert "The shelf is empty" in get(address + "/")


def test_a_server_that_is_already_there_is_used(migrated, database_url, tmp_path):
    process = subprocess.Popen(
        [sys.executable, "-m", "easy_pocket.launch", "--port", str(free_port()), "--no-demo"],
        env={**os.environ, "EASY_POCKET_DATABASE_URL": database_url, "EASY_POCKET_HOME": str(tmp_path)},
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        address = re.search(r"http://\S+", process.stdout.readline()).group()
        assert "Shelf" in get(address + "/")
        assert servers_of(tmp_path) == []
    finally:
        process.terminate()
        process.wait(20)


def test_a_server_that_is_not_there_says_what_to_do(tmp_path):
    url = f"mysql+pymysql://pocket:x@127.0.0.1:{free_port()}/pocket"
    done = subprocess.run(
        [sys.executable, "-m", "easy_pocket.launch", "--port", str(free_port())],
        env={**os.environ, "EASY_POCKET_DATABASE_URL": url, "EASY_POCKET_HOME": str(tmp_path)},
        capture_output=True,
        text=True,
    )
    assert done.returncode == 1
    assert "check EASY_POCKET_DATABASE_URL, or leave it out" in done.stderr
    assert "Traceback" not in done.stderr


def test_the_script_explains_itself_and_refuses_what_it_does_not_know():
    helped = subprocess.run([ROOT / "pocket", "help"], capture_output=True, text=True)
    assert helped.returncode == 0
    assert all(word in helped.stdout for word in ("start", "test", "bench", "shots", "cli"))
    wrong = subprocess.run([ROOT / "pocket", "dance"], capture_output=True, text=True)
    assert wrong.returncode == 1
    assert "no command 'dance'" in wrong.stderr


@pytest.mark.parametrize("stubborn", [False, True], ids=["never waited for", "deaf to SIGTERM"])
def test_an_older_server_that_is_left_over_is_no_hindrance(tmp_path, monkeypatch, stubborn):
    monkeypatch.setattr(mariadb, "STOP_LIMIT_S", 0.5)
    server = MariaDb(tmp_path / "h")
    server.data.mkdir(parents=True)
    script = "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print(flush=True); time.sleep(600)"
    plain = "import time; print(flush=True); time.sleep(600)"
    left_over = subprocess.Popen(
        [sys.executable, "-c", script if stubborn else plain, str(server.data)], stdout=subprocess.PIPE
    )
    left_over.stdout.readline()
    server.pid_file.write_text(str(left_over.pid))
    server.end_orphan()
    assert left_over.wait(10) == (-signal.SIGKILL if stubborn else -signal.SIGTERM)


@pytest.mark.skipif(os.getuid() != 0, reason="only root can ask as another user")
def test_another_user_of_the_machine_gets_in_with_the_key_only(fresh, tmp_path):
    """A process of another user asks, as the kernel sees it."""
    _, address = fresh("--no-demo")
    key = (tmp_path / "h" / "key").read_text()
    assert oct((tmp_path / "h" / "key").stat().st_mode)[-3:] == "600"
    asking = (
        "import encodings.idna, http.client, http.cookiejar, os, sys, urllib.error, urllib.request\n"
        "os.setuid(65534)\n"
        "opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()))\n"
        "for path in sys.argv[2:]:\n"
        "    try: print(opener.open(sys.argv[1] + path).status)\n"
        "    except urllib.error.HTTPError as error: print(error.code)\n"
    )
    paths = ["/", f"/?key={'x' * 32}", f"/?key={key}", "/"]
    told = subprocess.run([sys.executable, "-c", asking, address, *paths], capture_output=True, text=True, check=True)
    assert told.stdout.split() == ["403", "403", "200", "200"]
    assert "Easy Pocket" in get(address + "/")  # its own user needs no key


def test_others_are_served_only_with_accounts(tmp_path):
    with pytest.raises(RuntimeError, match="Serving others needs accounts"):
        start_app(tmp_path / "h", "--no-demo", "--host", "127.0.0.2")
    with pytest.raises(RuntimeError, match="set EASY_POCKET_PUBLIC_URL"):
        start_app(tmp_path / "h", "--no-demo", "--host", "0.0.0.0")
    with pytest.raises(RuntimeError, match="is no address of this machine"):
        start_app(tmp_path / "h", "--no-demo", "--host", "192.0.2.7")


def test_more_processes_answer_on_one_port_and_one_that_is_killed_comes_back(fresh, tmp_path):
    process, address = fresh("--no-demo", "--processes", "2")

    def more():
        asked = ["pgrep", "-P", str(process.pid), "-f", "easy_pocket.launch.process"]
        return [int(one) for one in subprocess.run(asked, capture_output=True).stdout.split()]

    end = time.monotonic() + 30
    while not more():
        assert time.monotonic() < end, "it was not begun"
        os.sched_yield()
    (other,) = more()
    os.kill(other, signal.SIGKILL)
    for _ in range(20):
        assert "Easy Pocket" in get(address + "/")

    while not (set(more()) - {other}):
        assert time.monotonic() < end, "it was not begun again"
        os.sched_yield()
    children = more()
    process.send_signal(signal.SIGINT)
    assert process.wait(30) == 0
    assert gone(children)
