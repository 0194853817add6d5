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


def test_the_map_is_played_by_pointing_and_walked_by_keys(grooves):
    grooves.click("#play")
    until(grooves, "easyPocket.player.running")
    grooves.click('[data-groove-as="map"]')
    expect(grooves.locator("#groove-map .point").first).to_be_visible()
    expect(grooves.locator("#groove-list")).to_be_hidden()
    count = grooves.locator("#groove-map .point").count()
    loops = grooves.locator("#groove-map .point.loop").count()
    assert count == grooves.locator("#groove-list [data-groove-id]").count() + loops
    heard = "JSON.stringify(easyPocket.player.stack.felt.start_s)"
    straight = grooves.evaluate(heard)
    point_of = grooves.evaluate(
        "easyPocket.screens.grooves.map.data.points.find((point) => point.name === 'Slack Rope')"
    )
    x, y = grooves.evaluate("(point) => easyPocket.screens.grooves.map.place(point)", point_of)
    svg = grooves.locator("#groove-map svg").bounding_box()
    grooves.mouse.move(svg["x"] + x + 3, svg["y"] + y - 2)
    expect(grooves.locator("#groove-point")).to_contain_text("Slack Rope: off-beats 26 ms late")
    until(grooves, f"{heard} !== {json.dumps(straight)}")
    grooves.mouse.click(svg["x"] + x + 3, svg["y"] + y - 2)
    expect(grooves.locator("#groove-title")).to_have_value("Slack Rope")
    grooves.focus("#groove-map")
    grooves.keyboard.press("ArrowDown")
    expect(grooves.locator("#groove-point")).not_to_contain_text("Slack Rope")
    name = grooves.locator("#groove-point").inner_text().split(":")[0]
    grooves.keyboard.press("Enter")
    saved(grooves)
    grooves.click('[data-groove-as="list"]')
    expect(grooves.locator(f'#groove-list >> text="{name}"')).to_be_visible()
    grooves.click("nav >> text=Bench")
    expect(grooves.locator("[data-groove-open]")).to_have_text(f"{name} ▾")


def test_those_like_it_come_first_and_its_opposite_last(grooves):
    make(grooves, "Pier", 8)
    grooves.click('[data-groove-near="like"]')
    expect(grooves.locator("#groove-state")).to_contain_text("Like Pier, the nearest first")
    names = grooves.locator("#groove-list [data-groove-id] b").all_inner_texts()
    assert names[0] == "Pier"
    shares = [int(text[:-2]) for text in grooves.locator("#groove-list .share").all_inner_texts()]
    assert shares == sorted(shares, reverse=True)
    expect(grooves.locator("#groove-list .on b")).to_have_text(names[1])
    expect(grooves.locator("#groove-title")).to_have_value(names[1])
    assert grooves.locator("#groove-list [data-groove-id] b").all_inner_texts() == names  # and stays so
    grooves.locator("#groove-list b").get_by_text("Slack Rope", exact=True).click()
    expect(grooves.locator("#groove-title")).to_have_value("Slack Rope")
    grooves.click('[data-groove-near="opposite"]')
    expect(grooves.locator("#groove-state")).to_contain_text("Opposite to Slack Rope")
    assert grooves.locator("#groove-list [data-groove-id] b").all_inner_texts()[-1] == "Slack Rope"
