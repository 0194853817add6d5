"""A song from the Shelf to the exported WAV without a pointer, and how many keys that takes."""

from __future__ import annotations

import re

import numpy as np
import soundfile
from playwright.sync_api import Page, expect

from tests.browser.conftest import send
from tests.browser.gestures import drawn, saved, ticks, until

MOST_KEYS = 350


class Hand:
    """Presses keys, and counts them. Each edit is waited for, as an ear would."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.count = 0

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
            self.count += 1

    def write(self, *slots: int, at: int = 0) -> int:
        """Hits at slots of 16ths, in order, from the cursor's slot on; where the cursor is then."""
        for slot in slots:
            self.press(*["ArrowRight"] * (slot - at), "Enter")
            at = slot
        return at


def test_sixteen_bars_of_four_voices_with_velocities_and_a_fill_by_keys_alone(page: Page, address: str) -> None:
    page.goto("/")
    expect(page.locator(".song-card").first).to_be_visible()
    hand = Hand(page)
    hand.press("n", "9", "6", "Enter")
    page.wait_for_url(re.compile(r"/bench$"))
    drawn(page)
    until(page, "document.activeElement.id === 'rail-rows'")
    assert page.locator("#tempo").input_value() == "96.0"
    # Kick over two bars, one of its hits a ghost.
    hand.write(0, 8, 10, 16, 24, 27)
    hand.press("3")
    # Snare, its back-beats accents.
    hand.press("ArrowDown", "Home")
    at = 0
    for slot in (4, 12, 20, 28):
        at = hand.write(slot, at=at)
        hand.press("a")
    # Hats: every second slot of the row by its tools, then quieter off-beats of all.
    hand.press("ArrowDown", "ArrowDown", "ArrowDown", "Home", "i")
    until(page, "!document.getElementById('go-to').hidden")
    hand.press("r")
    until(page, "document.getElementById('row-tools').contains(document.activeElement)")
    while page.evaluate("document.activeElement.dataset.every") != "2":
        hand.press("Tab")
    hand.press("Enter")
    saved(page)
    hand.press("Escape")
    until(page, "document.activeElement.id === 'rail-rows'")
    assert len(ticks(page, "hat_closed")) == 16
    hand.press("w", "6", "Escape")
    # A shaker from the end of it on.
    hand.press("ArrowDown", "ArrowDown", "ArrowDown", "Home")
    hand.write(2, 6, 10, 14, 18, 22, 26, 30)
    saved(page)
    hand.press("d", "d", "d")  # 2, 4, 8, 16 bars
    saved(page)
    until(page, "easyPocket.screens.bench.rails.facts.length === 16 * 3840")
    # A fill at its end: heard, then put in.
    hand.press("i")
    until(page, "!document.getElementById('go-to').hidden")
    hand.press(*ideas_key(page))
    until(page, "easyPocket.screen === 'ideas' && easyPocket.screens.ideas.cards.length === 6")
    until(page, "document.activeElement.id === 'idea-grid' && !document.activeElement.getAttribute('aria-busy')")
    before = page.evaluate("easyPocket.edits.revision")
    hand.press("ArrowRight", "Enter")
    until(page, f"easyPocket.edits.revision > {before}")
    saved(page)
    # Out as a WAV.
    hand.press("i")
    until(page, "!document.getElementById('go-to').hidden")
    hand.press("e")
    until(page, "document.activeElement.closest('#export-menu')")
    with page.expect_download() as download:
        for _ in range(40):
            if is_wav(page):
                break
            hand.press("Tab")
        hand.press("Enter")
    audio, rate = soundfile.read(str(download.value.path()))
    bar_s = 4 * 60 / 96
    assert len(audio) / rate >= 16 * bar_s
    loud = np.abs(audio).max(axis=1) if audio.ndim == 2 else np.abs(audio)
    for bar in range(16):
        assert loud[int(bar * bar_s * rate) : int((bar * bar_s + 0.1) * rate)].max() > 0.05  # a kick on every one
    assert hand.count <= MOST_KEYS, hand.count
    print(f"{hand.count} keys")
    send(address, re.sub(r"^.*(/songs/\d+).*$", r"\1", page.url) + "/delete")


def is_wav(page: Page) -> bool:
    found: str = page.evaluate("document.activeElement.href ?? ''")
    return "wav" in found


def ideas_key(page: Page) -> str:
    names = page.locator("#nav [data-screen-link]").evaluate_all(
        "(links) => links.map((one) => one.dataset.screenLink)"
    )
    return str(names.index("ideas") + 1)
