"""The page over a long time in a real browser: sound and long tasks while screens change, memory after many edits."""

from __future__ import annotations

from typing import Any

from playwright.sync_api import CDPSession, Page, sync_playwright

from tests.browser.gestures import drawn, saved, until
from tests.running import CHROMIUM, FLAGS, running_app

SCREENS = ("loops", "grooves", "ideas", "song", "kit", "stage", "takes", "bench")
CHANGES, EDITS, MOVES = 40, 200, 100
WATCH = """() => {
  window.tasks = [];
  const taken = (list) => window.tasks.push(...list.getEntries().map((one) => one.duration));
  new PerformanceObserver(taken).observe({ entryTypes: ["longtask"] });
}"""
# Every hit of every pass so far against what was given to the sound: those that are not there within a millisecond.
MISSED = """() => {
  const { player } = easyPocket;
  const starts = Float64Array.from(player.starts).sort();
  const { felt, length_s } = player.stack;
  const until = player.context.currentTime - 0.1;
  let count = 0, missed = 0;
  for (let pass = 0; player.anchor + pass * length_s < until; pass += 1) for (const at of felt.start_s) {
    const due = player.anchor + pass * length_s + at;
    if (due < player.anchor || due > until) continue;
    count += 1;
    if (!starts.some((one) => Math.abs(one - due) < 0.001)) missed += 1;
  }
  return [count, missed];
}"""


def run() -> None:
    with running_app() as (address, _), sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto("/")
        page.click("text=Lamplighter sketch")
        drawn(page)
        for name in SCREENS:  # once each, so that all is fetched
            _go(page, name)
        _playing(page)
        _memory(page, page.context.new_cdp_session(page))
        browser.close()


def _go(page: Page, name: str) -> None:
    page.locator(f'[data-screen-link="{name}"]').click()
    until(page, f"easyPocket.screen === '{name}'")


def _playing(page: Page) -> None:
    page.click("#play")
    until(page, "easyPocket.player.running")
    page.evaluate(WATCH)
    for number in range(CHANGES):
        _go(page, SCREENS[number % len(SCREENS)])
        page.wait_for_timeout(250)
    count, missed = page.evaluate(MISSED)
    tasks: list[float] = page.evaluate("window.tasks")
    page.click("#play")
    longest = f"longest {max(tasks, default=0):.0f} ms, {sum(one > 100 for one in tasks)} over 100 ms"
    print(
        f"{CHANGES} screen changes while playing: {missed} of {count} hits missed; {len(tasks)} long tasks, {longest}"
    )


def _memory(page: Page, session: CDPSession) -> None:
    session.send("Performance.enable")
    _work(page, EDITS // 4, MOVES // 4)
    before = _held(session)
    _work(page, EDITS, MOVES)
    after = _held(session)
    words = ", ".join(f"{name} {before[name]:.1f} to {after[name]:.1f}" for name in before)
    print(f"over {EDITS} edits and {MOVES} screen changes: {words}")


def _work(page: Page, edits: int, moves: int) -> None:
    _go(page, "bench")
    for number in range(edits):
        page.evaluate(
            f"easyPocket.edits.push({{kind: 'values', field: 'velocity', values: [['kick', 0, {1 + number % 127}]]}})"
        )
        saved(page)
    for number in range(moves):
        _go(page, SCREENS[number % len(SCREENS)])


def _held(session: CDPSession) -> dict[str, float]:
    session.send("HeapProfiler.collectGarbage")
    found: dict[str, Any] = session.send("Performance.getMetrics")
    values = {one["name"]: one["value"] for one in found["metrics"]}
    return {
        "heap MB": values["JSHeapUsedSize"] / 1e6,
        "thousand nodes": values["Nodes"] / 1000,
        "listeners (thousands)": values["JSEventListeners"] / 1000,
    }
