"""The Shelf: new, rename, duplicate, delete with undo, and the picture of each beat."""

import re

from playwright.sync_api import expect

from tests.browser.gestures import box_of


def card(page, name):
    return page.locator(".song-card", has=page.locator("h2", has_text=re.compile(f"^{re.escape(name)}$")))


def test_new_rename_duplicate_delete_and_back(page):
    page.goto("/")
    page.fill(".new-song [name=name]", "Net Menders")
    page.fill("[name=tempo_bpm]", "92")
    page.select_option("[name=metre]", "6/8")
    page.click("text=New song")
    page.wait_for_selector("#rail-kick")
    expect(page.locator("#tempo")).to_have_value("92.0")
    expect(page.locator(".transport")).to_contain_text("6/8")
    page.goto("/")
    expect(card(page, "Net Menders")).to_contain_text("92 bpm · 6/8 · 2 bars · Boathouse")
    card(page, "Net Menders").locator(".song-actions >> text=rename").click()
    field = page.locator(".song-line form:visible input")
    field.fill("<script>Four</script> 🥁")
    field.press("Enter")
    renamed = card(page, "<script>Four</script> 🥁")
    expect(renamed).to_have_count(1)
    renamed.locator(".song-actions >> text=duplicate").click()
    expect(card(page, "<script>Four</script> 🥁 copy")).to_have_count(1)
    renamed.locator(".song-actions >> text=delete").click()
    expect(renamed).to_have_count(0)
    page.click("text=Put it back")
    expect(renamed).to_have_count(1)


def test_a_form_that_does_not_fit_keeps_what_was_typed(page):
    page.goto("/")
    page.fill(".new-song [name=name]", "Kept")
    page.fill("[name=tempo_bpm]", "0")
    page.click("text=New song")
    expect(page.locator(".new-song .form-error")).to_contain_text("between 20 and 400 bpm")
    expect(page.locator(".new-song [name=name]")).to_have_value("Kept")


def test_the_picture_shows_the_beat(page):
    page.goto("/")
    strokes = card(page, "Lamplighter sketch").locator(".stroke")
    assert strokes.count() > 50
    first = box_of(strokes.nth(0))
    assert first["height"] > 4


def test_the_shelf_lists_the_keys_of_every_song(page, address):
    page.goto("/")
    page.click("footer [data-help]")
    expect(page.locator("#shortcuts")).to_contain_text("play, stop")
    page.click("#shortcuts [data-help]")
    expect(page.locator("#shortcuts")).to_be_hidden()
