"""Help inside: the pages of this screen first, found by a word, while the beat goes on."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import until


def test_the_page_of_the_screen_is_two_presses_away_and_the_beat_goes_on(bench: Page) -> None:
    bench.keyboard.press("Space")
    until(bench, "easyPocket.player.running")
    bench.click("footer [data-how-to]")
    shown = bench.locator("#help-page")
    expect(shown.locator("h2")).to_have_text("The Bench")
    bench.click('[data-help-page="kit"]')
    expect(shown.locator("[data-help-shown=kit]")).to_be_visible()
    expect(bench.locator('[data-help-page="kit"]')).to_have_attribute("aria-current", "page")
    picture = shown.locator("img").first
    picture.scroll_into_view_if_needed()
    until(bench, "document.querySelector('#help-page img').naturalWidth > 100")
    assert bench.evaluate("easyPocket.player.running")
    bench.keyboard.press("Escape")
    expect(bench.locator("#help")).to_be_hidden()
    until(bench, "document.activeElement.id === 'rail-rows'")
    bench.keyboard.press("Space")


@pytest.mark.parametrize("way", ["button", "Escape"])
@pytest.mark.parametrize(("opens", "panel"), [("data-how-to", "#help"), ("data-help", "#shortcuts")])
def test_closed_again_the_keys_are_the_rails(bench: Page, opens: str, panel: str, way: str) -> None:
    bench.click(f"footer [{opens}]")
    expect(bench.locator(panel)).to_be_visible()
    if way == "button":
        bench.click(f"{panel} [{opens}]")
    else:
        bench.keyboard.press("Escape")
    expect(bench.locator(panel)).to_be_hidden()
    until(bench, "document.activeElement.id === 'rail-rows'")


def test_a_word_is_found_and_its_place_shown(bench: Page) -> None:
    bench.keyboard.press("F1")
    until(bench, "document.activeElement.id === 'help-words'")
    bench.keyboard.type("ghost accent")
    first = bench.locator(".help-found a").first
    expect(first).to_be_visible()
    words = first.locator("b").inner_text()
    first.click()
    expect(bench.locator("#help-page h2, #help-page h3").filter(has_text=words.split(" · ")[-1]).first).to_be_visible()
    bench.keyboard.press("F1")
    expect(bench.locator("#help")).to_be_hidden()


def test_help_opens_on_the_shelf_too(page: Page) -> None:
    page.goto("/")
    page.keyboard.press("F1")
    expect(page.locator("#help-page h2")).to_have_text("The Shelf")
    page.keyboard.press("Escape")
    expect(page.locator("#help")).to_be_hidden()
