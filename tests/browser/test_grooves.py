"""The groove shelf as a user works on it: drawn by hand, by keys, brought in, blended, put on."""

import json

import pytest
from playwright.sync_api import expect

from tests.browser.gestures import box_of, saved, until


@pytest.fixture
def grooves(page, song):
    page.goto(f"{song}/grooves")
    until(page, "window.easyPocket?.screens.grooves?.data")
    return page


def make(page, name, slots=8):
    page.click("text=New groove")
    page.fill("#groove-new", name)
    page.fill("#draw-slots", str(slots))
    page.click('[data-groove-make="draw"]')
    saved(page)
    expect(page.locator("#groove-title")).to_have_value(name)
    page.keyboard.press("Escape")


def offsets(page, lane="all"):
    return page.evaluate(f"easyPocket.screens.grooves.data.lanes['{lane}']?.offset")


def point(page, slot, ms):
    """Where a slot's offset is on the screen."""
    frame = page.evaluate("easyPocket.screens.grooves.frame()")
    box = box_of(page.locator("#groove-canvas"))
    x = box["x"] + 58 + (slot + 0.5) * frame["column"]
    return x, box["y"] + page.evaluate(f"easyPocket.screens.grooves.heightOf({ms})")


def test_a_groove_is_drawn_over_the_slots_and_undone_in_one_step(grooves):
    make(grooves, "Drawn here")
    grooves.mouse.move(*point(grooves, 1, 10))
    grooves.mouse.down()
    grooves.mouse.move(*point(grooves, 4, -10), steps=3)
    grooves.mouse.up()
    saved(grooves)
    drawn = offsets(grooves)
    assert drawn[1] == pytest.approx(10, abs=0.6)
    assert drawn[4] == pytest.approx(-10, abs=0.6)
    assert drawn[1] > drawn[2] > drawn[3] > drawn[4]  # slots passed over lie between
    assert drawn[0] == drawn[5] == 0
    grooves.keyboard.press("Control+z")
    saved(grooves)
    until(grooves, "easyPocket.screens.grooves.data.lanes.all.offset.every((ms) => ms === 0)")


def test_slots_are_set_by_keys_and_typed(grooves):
    make(grooves, "By keys")
    grooves.focus("#groove-canvas")
    for key in ("ArrowRight", "ArrowRight", "Shift+ArrowDown", "ArrowUp", "PageUp"):
        grooves.keyboard.press(key)
        saved(grooves)
    assert offsets(grooves)[2] == 4
    assert grooves.evaluate("easyPocket.screens.grooves.data.lanes.all.accent[2]") == pytest.approx(0.75)
    grooves.fill("#slot-offset", "-12.5")
    grooves.press("#slot-offset", "Enter")
    saved(grooves)
    assert offsets(grooves)[2] == -12.5
    grooves.fill("#slot-offset", "900")
    grooves.press("#slot-offset", "Enter")
    expect(grooves.locator("#note")).to_contain_text("from -250 to 250")
    assert offsets(grooves)[2] == -12.5


def test_a_lane_of_its_own_begins_when_it_is_drawn(grooves):
    make(grooves, "Lanes")
    grooves.click('[data-lane="high"]')
    until(grooves, "easyPocket.screens.grooves.data.lane === 'high'")
    assert offsets(grooves, "high") is None
    grooves.mouse.click(*point(grooves, 3, -8))
    saved(grooves)
    assert offsets(grooves, "high")[3] == pytest.approx(-8, abs=0.6)
    assert offsets(grooves)[3] == 0


def test_arrow_keys_step_through_the_shelf_and_enter_puts_one_on(grooves):
    grooves.focus("#groove-list")
    grooves.keyboard.press("Home")
    grooves.keyboard.press("ArrowDown")
    chosen = grooves.locator("#groove-list .on b").inner_text()
    until(grooves, f"document.getElementById('groove-title').value === {json.dumps(chosen)}")
    assert grooves.evaluate("easyPocket.tryOut.now.scope") == "stack"
    grooves.keyboard.press("Enter")
    saved(grooves)
    expect(grooves.locator('[data-groove-scope="stack"]')).to_have_class("on")
    grooves.click('[data-groove-scope="snare"]')
    saved(grooves)
    expect(grooves.locator('[data-groove-scope="snare"]')).to_have_class("on")
    grooves.click("nav >> text=Bench")
    expect(grooves.locator("[data-groove-open]")).to_have_text(f"{chosen} ▾")


def test_a_blend_is_made_and_shown(grooves):
    make(grooves, "Base", 16)
    grooves.locator("#blend-with").select_option(label="Slack Rope")
    grooves.click("[data-groove-blend]")
    saved(grooves)
    expect(grooves.locator("#groove-title")).to_have_value("Base and Slack Rope")
    whole = 0.12 * 2 * 60000 / 92 / 4
    blended = offsets(grooves)
    assert blended[1] == pytest.approx(whole / 2 * 92 / 104, abs=0.1)  # at the tempo of the first


def test_a_file_is_brought_in_and_a_bad_one_is_told_beside_the_list(grooves, tmp_path):
    grooves.click("#groove-list >> text=Rope Walk")
    expect(grooves.locator("#groove-title")).to_have_value("Rope Walk")
    with grooves.expect_download() as download:
        grooves.click(".deeds >> text=CSV")
    path = tmp_path / "groove.csv"
    download.value.save_as(path)
    text = path.read_text()
    path.write_text(text.replace("Rope Walk", "Brought in"))
    grooves.set_input_files("#groove-file", path)
    expect(grooves.locator("#groove-title")).to_have_value("Brought in")
    bad = tmp_path / "bad.csv"
    bad.write_text("nothing")
    grooves.set_input_files("#groove-file", bad)
    expect(grooves.locator("#groove-state")).to_contain_text("bad.csv is no groove")
    expect(grooves.locator("#groove-title")).to_have_value("Brought in")


def test_the_sound_goes_on_while_the_shelf_is_shown(grooves):
    grooves.click("#play")
    until(grooves, "easyPocket.player.running")
    grooves.click("nav >> text=Bench")
    until(grooves, "easyPocket.screen === 'bench'")
    grooves.click("nav >> text=Grooves")
    until(grooves, "easyPocket.screen === 'grooves' && easyPocket.screens.grooves.data")
    assert grooves.evaluate("easyPocket.player.running")
