"""A large song in a real browser: its matrix scrolled, a cell set, the song played with nothing late."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.drawn import FRAMES
from bench.song import large_song
from easy_pocket.home.shelf import running_url
from easy_pocket.store.database import Database
from tests.browser.gestures import saved, until
from tests.running import CHROMIUM, FLAGS, start_app

PLAYED_S = 20
LATE = """() => {
  const { player } = easyPocket;
  window.late = [];
  const strike = player.strike.bind(player);
  player.strike = (events, index, at, begin) => {
    if (at < player.context.currentTime) window.late.push(player.context.currentTime - at);
    return strike(events, index, at, begin);
  };
}"""


def run() -> None:
    home = Path(tempfile.mkdtemp(prefix="ep-", dir=os.environ.get("TMPDIR")))
    process, address = start_app(home)
    try:
        url = running_url(home)
        assert url
        store = Database(url)
        with store.transaction() as session:
            song_id, wide_id = large_song(session), large_song(session, 16, 40)
        store.close()
        with sync_playwright() as driver:
            browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
            _matrix(page, wide_id)
            _played(page, song_id)
            browser.close()
    finally:
        process.terminate()
        process.wait(30)


def _matrix(page: Page, song_id: int) -> None:
    page.goto(f"/songs/{song_id}/song")
    until(page, "window.easyPocket?.screens.song?.data && document.querySelector('[data-cell]')", 60)
    opened = page.evaluate("performance.timing.domContentLoadedEventEnd - performance.timing.navigationStart")
    drawn_ms = page.evaluate("(() => { const from = performance.now(); easyPocket.screens.song.drawn.clear(); "
                             "easyPocket.screens.song.grid.replaceChildren(); easyPocket.screens.song.draw(); "
                             "document.body.offsetHeight; return performance.now() - from; })()")  # fmt: skip
    print(f"16 parts x 40 sections: page there in {opened:.0f} ms, all cells drawn in {drawn_ms:.0f} ms")
    page.evaluate(FRAMES)
    for number in range(80):
        page.evaluate(f"document.getElementById('plan-scroll').scrollTo({number * 34}, {number * 4})")
    frames = np.array(page.evaluate("(window.halt = true, window.frames.slice(2))"))
    print(f"scrolled through: frames p50 {np.percentile(frames, 50):.0f} ms, p95 {np.percentile(frames, 95):.0f} ms")
    took = []
    page.locator("[data-cell]").nth(3).click()
    for key in "123123123":
        before = page.evaluate("performance.now()")
        page.keyboard.press(key)
        saved(page)
        took.append(page.evaluate("performance.now()") - before)
    print(f"a cell set by a key, until the answer is drawn: median {np.median(took):.0f} ms")


def _played(page: Page, song_id: int) -> None:
    page.goto(f"/songs/{song_id}/song")
    until(page, "window.easyPocket?.screens.song?.data", 60)
    page.evaluate(LATE)
    page.locator("#screen").focus()
    page.keyboard.press("Space")
    until(page, f"easyPocket.player.running && easyPocket.player.position > {PLAYED_S}", 120)
    late, struck = page.evaluate("[window.late, easyPocket.player.starts.length]")
    print(f"played for {PLAYED_S} s: {struck} starts in view, {len(late)} late (wanted: 0)")
