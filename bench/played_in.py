"""Playing in for a long time, the page standing still for 100 ms every second and one core busy: hits lost, when they
are taken to have been struck by a clock of the browser's own, memory, gaps. EASY_POCKET_PLAY_MINUTES says how long
(5)."""

from __future__ import annotations

import multiprocessing
import os

import numpy as np
from playwright.sync_api import CDPSession, Page, sync_playwright

from bench.stage_page import busy
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.stage.limiter import LATENCY as CEILING_FRAMES
from tests.browser.gestures import saved, until
from tests.running import CHROMIUM, FLAGS, running_app

# A pad that is struck every 61 ms with the moment it was struck. What the browser says it puts out, and when, is the
# clock it is held against; the page's own reckoning knows nothing of it.
PLAY = """() => {
  const { keeper, midi } = easyPocket.current;
  const { context } = easyPocket.player;
  const input = { id: "one", name: "Wharf drums", state: "connected", onmidimessage: null };
  midi.attach({ inputs: new Map([["one", input]]), onstatechange: null });
  Object.assign(window, { sent: 0, taken: [], pairs: [], late: [] });
  const take = keeper.take.bind(keeper);
  keeper.take = (...all) => { const hit = take(...all); window.taken.push([hit.ms, hit.at]); return hit; };
  const { striker } = easyPocket.current;
  const strike = striker.strike.bind(striker);
  striker.strike = (...all) => { strike(...all); window.late.push(performance.now() - all[2]); };
  window.hand = setInterval(() => {
    window.sent += 1;
    const data = new Uint8Array([0x99, 36 + 2 * (window.sent % 2), 60 + window.sent % 60]);
    input.onmidimessage({ data, timeStamp: performance.now() });
  }, 61);
  window.clock = setInterval(() => {
    const { contextTime, performanceTime } = context.getOutputTimestamp();
    if (contextTime > 0) window.pairs.push([performanceTime, contextTime]);
  }, 97);
  window.stall = setInterval(() => { const end = performance.now() + 100; while (performance.now() < end); }, 1000);
}"""
STOP = "() => { for (const one of ['hand', 'clock', 'stall']) clearInterval(window[one]); }"
FOUND = """() => {
  const { playbackStats } = easyPocket.player.context;
  return [window.sent, window.taken, window.pairs, window.late, playbackStats?.underrunEvents ?? null];
}"""
KEPT = """async () => {
  const options = [...document.querySelectorAll('#which-take option')].map((one) => one.value);
  let kept = 0;
  for (const take of options.length ? options : ['0']) {
    const address = `${location.pathname.replace('takes', 'state')}?screen=takes&take=${take}`;
    const state = await (await fetch(address)).json();
    kept += state.data.take.passes.reduce((sum, one) => sum + one.played, 0);
  }
  return kept;
}"""


def run() -> None:
    minutes = float(os.environ.get("EASY_POCKET_PLAY_MINUTES", "5"))
    with running_app() as (address, _), sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto("/")
        page.click("text=Lamplighter sketch")
        page.locator('[data-screen-link="takes"]').click()
        until(page, "easyPocket.screen === 'takes' && easyPocket.current.data")
        other = multiprocessing.Process(target=busy, daemon=True)
        other.start()
        _play(page, page.context.new_cdp_session(page), minutes)
        other.terminate()
        browser.close()


def _heap_mb(session: CDPSession) -> float:
    session.send("HeapProfiler.collectGarbage")
    values = {one["name"]: one["value"] for one in session.send("Performance.getMetrics")["metrics"]}
    return float(values["JSHeapUsedSize"]) / 1e6


def _play(page: Page, session: CDPSession, minutes: float) -> None:
    session.send("Performance.enable")
    page.keyboard.press("Space")
    until(page, "easyPocket.player.running && easyPocket.player.position > 0.3")
    page.evaluate(PLAY)
    page.wait_for_timeout(minutes * 60_000 / 4)
    early = _heap_mb(session)
    page.wait_for_timeout(minutes * 60_000 * 3 / 4)
    page.evaluate(STOP)
    late = _heap_mb(session)
    page.keyboard.press("Space")
    until(page, "!easyPocket.current.keeper.on", seconds=60)
    saved(page)
    sent, taken, pairs, heard_late, underruns = page.evaluate(FOUND)
    kept = page.evaluate(KEPT)
    print(f"{minutes:g} minutes: {sent} hits struck, {len(taken)} taken, {kept} kept")
    way_s = CEILING_FRAMES / RATE_HZ
    errors = _errors_ms(np.array(taken), np.array(pairs), way_s)
    p50, p99 = np.percentile(np.abs(errors), [50, 99])
    whole = f"on the whole {errors.mean():+.2f} ms"
    print(f"against the browser's clock: median error {p50:.2f} ms, p99 {p99:.2f} ms, {whole}")
    p50, p95 = np.percentile(heard_late, [50, 95])
    gaps = "" if underruns is None else f"; {underruns} underruns"
    print(f"event to sound scheduled: p50 {p50:.1f} ms, p95 {p95:.1f} ms; heap {early:.1f} to {late:.1f} MB{gaps}")


def _errors_ms(taken: np.ndarray, pairs: np.ndarray, ceiling_s: float) -> np.ndarray:
    """Where hits were put, less where the sound was when they were struck; a minute at a time, as clocks drift."""
    order = np.argsort(pairs[:, 0])
    wall_ms, sound_s = pairs[order].T
    at_s = np.interp(taken[:, 0], wall_ms, sound_s)
    inside = (taken[:, 0] > wall_ms[0]) & (taken[:, 0] < wall_ms[-1])
    return np.asarray(1000 * (taken[inside, 1] - (at_s[inside] - ceiling_s)))
