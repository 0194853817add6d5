"""What the program holds in memory after long work: edits, pages and exports without a pause. EASY_POCKET_SOAK_MINUTES
says how long (60), and after how much of it memory is first looked at is a twelfth (five minutes of an hour)."""

from __future__ import annotations

import os
import subprocess
import tempfile
import time
from pathlib import Path

from bench.served import Hand, copied, songs_of
from tests.running import start_app


def held_mb(pid: int) -> float:
    """Resident memory of the server and its workers; MariaDB's, which is bounded by its own settings, is left out."""
    children = subprocess.run(["pgrep", "-P", str(pid)], capture_output=True, text=True).stdout.split()
    total = 0.0
    for one in (str(pid), *children):
        status = Path(f"/proc/{one}/status").read_text()
        if "mariadbd" not in status:
            total += int(status.split("VmRSS:")[1].split()[0]) / 1024
    return total


def run() -> None:
    minutes = float(os.environ.get("EASY_POCKET_SOAK_MINUTES", "60"))
    home = Path(tempfile.mkdtemp(prefix="soak-", dir=os.environ.get("EASY_POCKET_HOME")))
    process, address = start_app(home)
    try:
        song = copied(address, songs_of(address)[0])
        hand, began, early = Hand(address, song, "soaking"), time.monotonic(), 0.0
        while (gone := (time.monotonic() - began) / 60) < minutes:
            _turn(hand)
            if not early and gone >= minutes / 12:
                early = held_mb(process.pid)
        late = held_mb(process.pid)
    finally:
        process.terminate()
        process.wait(60)
    first = f"{early:.0f} MB after {minutes / 12:.1f} minutes"
    print(
        f"{hand.count} edits in {minutes:g} minutes: {first}, {late:.0f} MB in the end: {late / early:.2f} x (of 1.2)"
    )


def _turn(hand: Hand) -> None:
    """Some of everything, never quite the same."""
    n = hand.count
    for number in range(20):
        hand.edit(kind="values", field="velocity", values=[["kick", 0, 1 + (n * 7 + number) % 127]])
    hand.edit(kind="feel", scope="stack", field="swing_percent", value=50 + n % 160 / 10)
    hand.edit(kind="tempo", tempo_bpm=80 + n % 97)
    hand.edit(kind="kit_voice", role="snare", field="level_db", value=-(n % 37) / 10)
    hand.edit(kind="feel", scope="stack", field="seed", value=n % 9999)
    for screen in ("bench", "song", "kit", "ideas"):
        hand.client.get(f"/songs/{hand.song}/{screen}")
    hand.client.get(f"/songs/{hand.song}/{('song', 'export')[n % 2]}.wav?bits=32")
