"""Hurried hands press twice: what makes something, or takes it away, does so once."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import saved, until
from tests.browser.test_shelf import card, shelf, with_card


@pytest.fixture
def loops(page: Page, song: str) -> Page:
    page.goto(f"{song}/loops")
    until(page, "document.querySelectorAll('.onset').length > 16")
    return page


def undone(page: Page) -> str:
    """What was undone last, in words."""
    before = page.evaluate("easyPocket.edits.revision")
    page.keyboard.press("Control+z")
    until(page, f"easyPocket.edits.revision > {before}")
    saved(page)
    return page.locator("#redo").get_attribute("title") or ""


def test_slices_become_one_part(loops: Page) -> None:
    before = loops.locator("#undo").get_attribute("title")
    loops.click('#loop-side [data-tab="take"]')
    loops.locator("[data-slices-part]").dblclick()
    saved(loops)
    expect(loops.locator("#note")).to_contain_text("The slices are a part of this song now")
    assert re.search("slices", undone(loops))
    assert loops.locator("#undo").get_attribute("title") == before


def test_a_loop_goes_under_the_stack_and_half_its_tempo_is_not_a_quarter(loops: Page) -> None:
    tempo = loops.locator('.fact:has(small:text("bpm")) b')
    tempo_bpm = float(tempo.inner_text())
    loops.click('#loop-side [data-tab="under"]')
    loops.locator("[data-layer-put=true]").dblclick()
    saved(loops)
    expect(loops.locator("[data-layer-put=false]")).to_be_visible()  # the second press did not take it away again
    loops.locator("[data-correction=half]").dblclick()
    saved(loops)
    expect(tempo).to_have_text(re.compile(f"^{tempo_bpm / 2:.1f}"))


def test_a_song_is_begun_and_duplicated_once(page: Page, address: str) -> None:
    shelf(page)
    page.fill(".empty-bar [name=name]", "Two Presses")
    page.locator(".empty-bar >> text=Begin").dblclick()
    page.wait_for_selector("#rail-kick")
    shelf(page)
    expect(card(page, "Two Presses")).to_have_count(1)
    card(page, "Two Presses").locator(".more").click()
    card(page, "Two Presses").locator(".song-actions >> text=duplicate").dblclick()
    page.wait_for_load_state("networkidle")
    shelf(page)
    expect(page.locator(".song-card h3", has_text="Two Presses")).to_have_count(2)
    for name in ("Two Presses copy", "Two Presses"):
        with_card(page, name, "delete")
        expect(card(page, name)).to_have_count(0)


def test_a_groove_is_copied_once(page: Page, song: str) -> None:
    page.goto(f"{song}/grooves")

    cards = page.locator("[data-groove-id]")
    before = cards.count()
    page.locator("[data-groove-longer=copy]").first.dblclick()
    saved(page)
    expect(cards).to_have_count(before + 1)
