"""A browser whose text is half as large again, and small windows: everything is reached, read, and hit where it is drawn."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page

from tests.browser.gestures import click_slot, drawn, expect_hit, until
from tests.running import CHROMIUM, FLAGS

SCREENS = ("shelf", "bench", "loops", "grooves", "ideas", "song", "kit", "stage", "takes")

# Controls that stay out of the window or under something else when they are scrolled to.
HIDDEN = """() => {
    const controls = [...document.querySelectorAll(":is(#screen, header, #nav, .ribbon, .ledger) :is(button, input, select, summary, a[href])")];
    const seen = controls.filter((one) => one.checkVisibility({ visibilityProperty: true }) && !one.closest("[aria-hidden=true], .spoken, .skip") && one.type !== "file" && !one.disabled);
    return seen.filter((one) => {
        one.scrollIntoView({ block: "center", inline: "center" });
        const box = one.getBoundingClientRect();
        if (!box.width) return false;
        const x = box.x + box.width / 2, y = box.y + box.height / 2;
        const top = document.elementFromPoint(x, y);
        return !(top && (one.contains(top) || top.contains(one) || top.closest("label")?.contains(one)));
    }).map((one) => one.outerHTML.slice(0, 120));
}"""

# Words that are cut off with nothing to scroll and no ellipsis.
CUT = """() => [...document.querySelectorAll(":is(#screen, header, .ribbon, .ledger) :is(button, b, p, h2, h3, label, small, span)")]
    .filter((one) => one.checkVisibility({ visibilityProperty: true }) && one.childElementCount === 0 && one.textContent.trim() && !one.closest("svg, .spoken"))
    .filter((one) => {
        const style = getComputedStyle(one);
        return style.overflowX === "hidden" && style.textOverflow !== "ellipsis" && one.scrollWidth > one.clientWidth + 2;
    }).map((one) => one.outerHTML.slice(0, 120))"""


@pytest.fixture(scope="module")
def large(browser: Browser) -> Iterator[Browser]:
    """Text is 24 px where it is 16 elsewhere."""
    flags = [*FLAGS, "--blink-settings=defaultFontSize=24,defaultFixedFontSize=20"]
    found = browser.browser_type.launch(executable_path=CHROMIUM, args=flags)
    yield found
    found.close()


def opened(browser: Browser, address: str, song: str, screen: str, width: int = 1280, height: int = 800) -> Page:
    context = browser.new_context(viewport={"width": width, "height": height}, base_url=address)
    context.add_init_script('localStorage.setItem("easy-pocket-first-lines", "all")')
    page = context.new_page()
    page.goto("/" if screen == "shelf" else f"{song}/{screen}")
    if screen != "shelf":
        until(page, f"window.easyPocket?.screen === '{screen}'")
    if screen == "bench":
        drawn(page)
    return page


@pytest.mark.parametrize("screen", SCREENS)
def test_with_text_half_as_large_again_everything_is_reached_and_read(
    large: Browser, address: str, song: str, screen: str
) -> None:
    page = opened(large, address, song, screen)
    assert page.evaluate("getComputedStyle(document.querySelector('small')).fontSize") == "18px"
    assert page.evaluate(CUT) == []
    assert page.evaluate(HIDDEN) == []
    page.context.close()


@pytest.mark.parametrize("screen", SCREENS)
def test_in_a_window_of_800_by_600_everything_is_reached(
    browser: Browser, address: str, song: str, screen: str
) -> None:
    page = opened(browser, address, song, screen, 800, 600)
    assert page.evaluate(HIDDEN) == []
    page.context.close()


def test_with_large_text_hits_are_written_and_drawn_where_the_pointer_is(
    large: Browser, address: str, song: str
) -> None:
    page = opened(large, address, song, "bench", 1600, 1000)
    click_slot(page, "rim", 960)
    expect_hit(page, "rim", 960)
    canvas = page.locator("#rail-rim canvas.rail").bounding_box()
    seen = page.evaluate("easyPocket.screens.bench.rails.seen('rim', 960)")
    assert canvas is not None
    assert canvas["x"] <= seen["x"] <= canvas["x"] + canvas["width"]
    assert canvas["y"] <= seen["y"] <= canvas["y"] + canvas["height"]
    page.context.close()
