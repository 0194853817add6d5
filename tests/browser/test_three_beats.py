"""Whole beats written from nothing by the Bench's gestures alone."""

import pytest
from playwright.sync_api import expect

from tests.browser.gestures import click_slot, drawn, hit, saved, slot_point, ticks, until


@pytest.fixture
def empty(page):
    """A new song, opened on the Bench."""
    page.goto("/")
    page.fill(".empty-bar [name=name]", "From nothing")
    page.click(".empty-bar >> text=Begin")
    page.wait_for_selector("#rail-kick")
    drawn(page)
    return page


@pytest.mark.parametrize(("metre", "bar", "beat"), [("2/4", 1920, 960), ("15/8", 7200, 480)])
def test_metres_from_the_shortest_to_the_longest(page, metre, bar, beat):
    page.goto("/")
    page.fill(".empty-bar [name=name]", f"In {metre}")
    page.select_option("[name=metre]", metre)
    page.click(".empty-bar >> text=Begin")
    page.wait_for_selector("#rail-kick")
    drawn(page)
    last = 2 * bar - beat
    write(page, "kick", [0, last])
    assert ticks(page, "kick") == [0, last]
    place = f"2.{bar // beat}"
    assert hit(page, "kick", last)["label"].startswith(f"Kick, {place}, velocity 96")
    assert page.evaluate("easyPocket.playing.length_s") == pytest.approx(2 * bar / 960 * 60 / 100)


def write(page, voice, places):
    for tick in places:
        click_slot(page, voice, tick)
    saved(page)


def paint(page, voice, start, end):
    page.mouse.move(*slot_point(page, voice, start))
    page.mouse.down()
    page.mouse.move(*slot_point(page, voice, end), steps=6)
    page.mouse.up()
    saved(page)


def row_tool(page, voice, press):
    page.hover(f"#rail-{voice} .voice-name")
    page.click(f"#rail-{voice} [data-row-tools]")
    page.click(press)
    saved(page)
    page.keyboard.press("Escape")


def test_a_two_bar_hip(empty):
    write(empty, "kick", [0, 1680, 1920, 3840, 5040, 5760, 7440])
    write(empty, "snare", [960, 2880, 4800, 6720])
    write(empty, "snare", [2160, 7200])
    for tick in (2160, 7200):
        empty.evaluate(f"easyPocket.screens.bench.rails.putCursor('snare', {tick})")
        empty.keyboard.press("g")
    saved(empty)
    row_tool(empty, "hat_closed", '[data-every="2"]')
    empty.click(".voice-name >> text=Closed hat")
    empty.click("text=shape ▾")
    empty.select_option("#shape-kind", "steps")
    empty.fill("#shape-weights", "104 66")
    empty.click("[data-shape]")
    saved(empty)
    empty.keyboard.press("Escape")
    empty.click(".voice-name >> text=Snare")
    empty.locator('.typed[data-feel="push_ms"]').fill("8")
    empty.keyboard.press("Enter")
    saved(empty)
    assert ticks(empty, "kick") == [0, 1680, 1920, 3840, 5040, 5760, 7440]
    assert [hit(empty, "snare", tick)["velocity"] for tick in (960, 2160, 7200)] == [96, 38, 38]
    assert [hit(empty, "hat_closed", tick)["velocity"] for tick in (0, 480, 960)] == [104, 66, 104]
    assert ticks(empty, "hat_closed") == list(range(0, 7680, 480))
    assert hit(empty, "snare", 960)["offset"] == 8


def test_four_on_the_floor(empty):
    empty.locator("#rail-rows").focus()
    for key in ("Home", "Enter", *["ArrowRight"] * 4, "Enter"):
        empty.keyboard.press(key)
    saved(empty)
    empty.keyboard.press("w")  # the row: two kicks
    until(empty, "easyPocket.screens.bench.rails.chosen.keys.size === 2")
    empty.keyboard.press("Escape")
    row_tool(empty, "kick", '[data-every="4"]')
    assert ticks(empty, "kick") == list(range(0, 7680, 960))
    write(empty, "hat_open", [480])
    empty.click("#rail-hat_open [data-row-tools]")
    empty.check("#row-from-cursor")  # else it counts from the bar
    empty.keyboard.press("Escape")
    empty.evaluate("easyPocket.screens.bench.rails.putCursor('hat_open', 480)")
    row_tool(empty, "hat_open", '[data-every="4"]')
    assert ticks(empty, "hat_open") == list(range(480, 7680, 960))
    write(empty, "clap", [960])
    empty.hover("#rail-clap .voice-name")
    empty.click("#rail-clap [data-row-tools]")
    empty.evaluate("easyPocket.screens.bench.rails.putCursor('clap', 960)")
    empty.click('[data-every="8"]')
    saved(empty)
    empty.keyboard.press("Escape")
    assert ticks(empty, "clap") == list(range(960, 7680, 1920))
    paint(empty, "shaker", 0, 7440)
    assert ticks(empty, "shaker") == list(range(0, 7680, 240))
    heard = empty.evaluate("easyPocket.playing.felt.start_s.length")
    assert heard == 8 + 8 + 4 + 32


def test_a_two_step(empty):
    empty.click("[data-memory=lines]")
    empty.wait_for_selector(".line-row")
    empty.fill("#line-name", "the second answers")
    expect(empty.locator(".line-row")).to_have_count(1)
    empty.click("[data-line-put]")
    saved(empty)
    empty.click("[data-memory-close]")
    assert ticks(empty, "kick") == [0, 2400, 3840, 4560, 5280, 6480]
    write(empty, "snare", [960])
    empty.mouse.move(*slot_point(empty, "snare", 960))
    empty.click('[data-mode="select"]')
    empty.mouse.move(*slot_point(empty, "snare", 700, 0.1))
    empty.mouse.down()
    empty.mouse.move(*slot_point(empty, "snare", 1200, 0.95), steps=4)
    empty.mouse.up()
    empty.keyboard.press("Shift+ArrowRight")
    saved(empty)
    empty.keyboard.press("Control+z")
    saved(empty)
    empty.keyboard.press("Escape")
    empty.click('[data-mode="write"]')
    write(empty, "snare", [2880, 4800, 6720])
    paint(empty, "hat_closed", 0, 7440)
    row_tool(empty, "hat_closed", "[data-thin]")
    hats = ticks(empty, "hat_closed")
    assert len(hats) == 24
    assert ticks(empty, "snare") == [960, 2880, 4800, 6720]
    for _ in range(3):
        empty.keyboard.press("Control+z")
        saved(empty)
    assert ticks(empty, "hat_closed") == []
    for _ in range(3):
        empty.keyboard.press("Control+Shift+Z")
        saved(empty)
    assert ticks(empty, "hat_closed") == hats


def test_twenty_edits_a_second_over_a_slow_line_are_all_kept(empty):
    """Every answer takes 300 ms longer; forty presses come within two seconds."""
    empty.route("**/edits", lambda route: (empty.wait_for_timeout(300), route.continue_()))
    empty.evaluate(
        """async () => {
            for (let n = 0; n < 40; n += 1) {
                easyPocket.screens.bench.rails.write(n % 2 ? 'rim' : 'clap', Math.floor(n / 2) * 240);
                await new Promise((go) => setTimeout(go, 50));
            }
        }"""
    )
    assert empty.evaluate("easyPocket.edits.queue.length") > 20
    expect(empty.locator("#saved")).to_contain_text("saving")
    until(empty, "easyPocket.edits.queue.length === 0", 30)
    empty.unroute("**/edits")
    empty.reload()
    drawn(empty)
    assert ticks(empty, "rim") == ticks(empty, "clap") == list(range(0, 20 * 240, 240))
