"""Take one picture of every main view, from the demo, into docs/screenshots (1280x800)."""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))
from tests.running import CHROMIUM, FLAGS, running_app

TARGET = Path("docs/screenshots")


def take(page: Page, address: str) -> None:
    page.goto(address)
    page.wait_for_selector(".song-card")
    page.screenshot(path=TARGET / "shelf.png")
    page.click("text=Lamplighter")
    page.wait_for_selector(".hit")
    page.evaluate("document.fonts.ready")
    page.hover('#rail-hat_closed .hit[data-tick="720"] .grab', force=True)
    page.screenshot(path=TARGET / "bench.png")
    page.click("text=Snare")
    page.wait_for_selector("#feel .scope .on >> text=Snare")
    page.screenshot(path=TARGET / "bench-voice.png")
    page.click("nav >> text=Loops")
    page.wait_for_selector(".onset")
    page.hover(".onset >> nth=4 >> .grab", force=True)
    page.screenshot(path=TARGET / "loops.png")


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    with running_app() as address, sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        take(browser.new_page(viewport={"width": 1280, "height": 800}), address)
        browser.close()
    print(*sorted(str(path) for path in TARGET.glob("*.png")), sep="\n")


if __name__ == "__main__":
    main()
