"""From a key on a control of the Kit screen to its sound, in a real browser."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import sync_playwright

from tests.browser.gestures import saved, until
from tests.running import CHROMIUM, FLAGS, running_app

CHANGES = 24
WATCH = """() => {
  window.took = [];
  document.addEventListener('keydown', () => (window.pressed = performance.now()), true);
  easyPocket.player.addEventListener('audition', () => window.took.push(performance.now() - window.pressed));
}"""


def run() -> None:
    with running_app() as (address, _), sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto("/")
        page.click("text=Lamplighter sketch")
        page.click("nav >> text=Kit")
        page.wait_for_selector(".sound")
        page.click('[data-kit-voice="snare"]')
        page.wait_for_selector('.kit-bar[data-role="snare"]')
        page.evaluate(WATCH)
        page.locator("#d-model-tune_hz").focus()
        for number in range(CHANGES):
            page.keyboard.press("ArrowRight")
            until(page, f"window.took.length > {number}")
            saved(page)
        took = page.evaluate("window.took")[2:]
        browser.close()
    p50, p95 = np.percentile(took, [50, 95])
    print(f"one control changed, from key to sound: p50 {p50:.0f} ms, p95 {p95:.0f} ms (wanted: 150)")
