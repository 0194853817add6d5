"""Rails of a loop cut into many slices: sixteen are shown, the others are a press or a few keys away."""

import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import drawn, saved, until


@pytest.fixture
def sliced(page: Page, song: str) -> Page:
    """The Bench, with a loop's slices as the part that is written."""
    page.goto(f"{song}/loops")
    until(page, "document.querySelectorAll('.onset').length > 16")
    page.click('#loop-side [data-tab="take"]')
    page.click("[data-slices-part]")
    saved(page)
    page.click("nav >> text=Bench")
    drawn(page)
    page.click(".part-head:has(.more-rails), .part-head button[data-look-part] >> nth=-1")
    until(page, "document.querySelectorAll('.rail-row').length > 16")
    return page


def shown(page: Page) -> int:
    return page.locator(".rail-row:visible").count()


def test_sixteen_are_shown_and_a_press_shows_the_others_also_after_a_reload(sliced):
    every = sliced.locator(".rail-row").count()
    expect(sliced.locator("[data-more-rails]")).to_have_text(f"▸ {every - 16} more slices")
    assert shown(sliced) == 16
    sliced.click("[data-more-rails]")
    until(sliced, "document.querySelectorAll('.rail-row:not([hidden])').length > 16")
    assert shown(sliced) == every
    sliced.reload()
    drawn(sliced)
    until(sliced, "document.querySelectorAll('.rail-row:not([hidden])').length > 16")
    sliced.dblclick("[data-more-rails]")  # a hurried hand means one press
    until(sliced, "document.querySelectorAll('.rail-row:not([hidden])').length === 16")


def test_keys_pass_over_what_is_folded_and_a_hit_moved_there_is_shown(sliced):
    last, below = (sliced.locator(".rail-row").nth(at).get_attribute("data-voice") for at in (15, 16))
    tick = sliced.evaluate(f"easyPocket.screens.bench.rails.data.hits('{last}')[0].tick")
    sliced.focus("#rail-rows")
    sliced.evaluate(f"easyPocket.screens.bench.rails.putCursor('{last}', {tick})")
    sliced.keyboard.press("ArrowDown")
    assert sliced.evaluate("easyPocket.screens.bench.rails.cursor.voice") == last
    assert shown(sliced) == 16
    sliced.evaluate("easyPocket.screens.bench.rails.chosen.move(0, 1)")
    saved(sliced)
    until(sliced, f"easyPocket.screens.bench.rails.find('{below}', {tick}) !== null")
    expect(sliced.locator(f"#rail-{below}")).to_be_visible()
    sliced.click("[data-more-rails]")  # the cursor stays among what is shown
    assert sliced.evaluate("easyPocket.screens.bench.rails.cursor.voice") == last


def test_a_part_that_is_folded_folds_its_further_slices_too(sliced):
    slices = sliced.locator(".rail-row").count()
    sliced.click(".part-head:not(.own) button[data-look-part] >> nth=0")
    until(sliced, f"document.querySelectorAll('.other-row').length >= {slices}")
    head = ".part-head:has(+ .other-row[data-folds]), .part-head:not(.own) >> nth=-1"
    sliced.locator(head).locator("[data-fold]").click()
    until(sliced, "document.querySelectorAll('.other-row[data-folds]:not([hidden])').length === 0")
    expect(sliced.locator(".more-rails")).to_be_hidden()
