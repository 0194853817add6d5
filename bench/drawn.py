"""The Bench in a real browser: from a key to the drawn hit, and frames while a hit is dragged over 16 full bars."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.full import fill_rails
from tests.browser.gestures import drawn, head_of, saved, slot_point
from tests.running import CHROMIUM, FLAGS, running_app

PRESSES = 40
FRAMES = """() => {
  window.frames = [];
  let last = performance.now();
  const tick = (now) => { window.frames.push(now - last); last = now; if (!window.halt) requestAnimationFrame(tick); };
  requestAnimationFrame(tick);
}"""


def run() -> None:
    with running_app() as (address, _), sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto("/")
        page.click("text=Lamplighter sketch")
        drawn(page)
        _keys(page)
        fill_rails(page, 16)
        _frames(page)
        browser.close()


def _keys(page: Page) -> None:
    """Enter on the rails, to the end of the frame in which the hit was drawn."""
    page.locator("#rail-rows").focus()
    page.evaluate(
        """() => {
            window.took = [];
            document.addEventListener('keydown', () => {
                const began = performance.now();
                const look = () => {
                    if (easyPocket.screens.bench.rails.drawnAt >= began) window.took.push(performance.now() - began);
                    else requestAnimationFrame(look);
                };
                requestAnimationFrame(look);
            }, true);
        }"""
    )
    for _ in range(PRESSES):
        page.keyboard.press("Enter")
        saved(page)
    took = page.evaluate("window.took")
    p50, p95 = np.percentile(took, [50, 95])
    print(f"from key to drawn: p50 {p50:.0f} ms, p95 {p95:.0f} ms (wanted: 50)")


def _frames(page: Page) -> None:
    rails, hits = page.evaluate(
        "(({ rails }) => [rails.voices().length, [...rails.data.all()].length])(easyPocket.screens.bench)"
    )
    start = head_of(page, "snare", 960)
    page.mouse.move(*start)
    page.mouse.down()
    page.evaluate(FRAMES)
    for number in range(60):
        page.mouse.move(start[0], start[1] + 12 * np.sin(number / 4))
    tell_frames(page, f"a hit dragged, {rails} rails x 16 bars ({hits} hits in view)")
    page.mouse.up()
    saved(page)
    box = page.locator("#detail").bounding_box()
    assert box
    left = slot_point(page, "snare", 0)[0]
    page.mouse.move(left, box["y"] + 60)
    page.mouse.down()
    page.evaluate(FRAMES)
    for number in range(60):
        page.mouse.move(left + number * 11, box["y"] + 60 + 40 * np.sin(number / 5))
    tell_frames(page, "drawn over a row of 256 hits in the strip")
    page.mouse.up()
    saved(page)


def tell_frames(page: Page, what: str) -> None:
    page.evaluate("window.halt = true")
    frames = page.evaluate("window.frames.slice(2)")
    page.evaluate("window.halt = false")
    p50, p95 = np.percentile(frames, [50, 95])
    print(f"{what}: a frame takes p50 {p50:.1f} ms, p95 {p95:.1f} ms (60 frames a second: 16.7)")
