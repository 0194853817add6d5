"""All parts of a song as rails of one height: written where they stand, folded, mixed; the drawer under them; the bar
beside the chosen hits."""

from __future__ import annotations

import re
import urllib.request
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import send
from tests.browser.gestures import (
    box_of,
    click_slot,
    drag,
    drawn,
    expect_hit,
    expect_no_hit,
    hit,
    saved,
    slot_point,
    ticks,
    until,
)

SIGHT = """() => {
    const inside = document.getElementById('rail-rows').getBoundingClientRect();
    return [...document.querySelectorAll('.rail-row, .other-row')].map((row) => row.getBoundingClientRect())
        .filter((row) => row.height && row.top >= inside.top - 1 && row.bottom <= inside.bottom + 1).length;
}"""


@pytest.fixture
def piers(page: Page, address: str) -> Iterator[Page]:
    """A copy of Three Piers, 6/8: drums, and a frame drum of its own."""
    with urllib.request.urlopen(address + "/") as answer:
        second = sorted({int(n) for n in re.findall(r"/songs/(\d+)/bench", answer.read().decode())})[1]
    newest = max(int(n) for n in re.findall(r"/songs/(\d+)/bench", send(address, f"/songs/{second}/duplicate")))
    page.goto(f"/songs/{newest}/bench")
    drawn(page)
    expect(page.locator(".part-name b")).to_have_text(["Drums", "Frame drum"])
    yield page
    send(address, f"/songs/{newest}/delete")


def other(page: Page, voice: str) -> str:
    found: str = page.locator(f'.other-row[data-voice="{voice}"]').get_attribute("id") or ""
    return f"#{found}"


def other_slot(page: Page, voice: str, tick: int) -> tuple[float, float]:
    """Where a place of the ruler is on a rail that is not written."""
    box = box_of(page.locator(f"{other(page, voice)} canvas"))
    percent = page.evaluate(f"easyPocket.screens.bench.rails.percent({tick})")
    return box["x"] + box["width"] * percent / 100, box["y"] + box["height"] / 2


def test_a_press_in_another_parts_rail_writes_there_and_the_rail_stays_where_it_was(piers: Page) -> None:
    piers.click('[data-mix="mute"] >> nth=0')  # the last click was elsewhere
    saved(piers)
    place = other_slot(piers, "tambourine", 480)
    before = box_of(piers.locator(other(piers, "tambourine")))
    piers.mouse.click(*place)
    expect_hit(piers, "tambourine", 480)
    expect(piers.locator(".part-head.own b")).to_have_text("Frame drum")
    after = box_of(piers.locator("#rail-tambourine"))
    assert (after["y"], after["height"]) == pytest.approx((before["y"], before["height"]), abs=0.6)
    assert hit(piers, "tambourine", 480)["foot"] == pytest.approx(place[0], abs=1)
    piers.keyboard.press("ArrowRight")
    piers.keyboard.press("Enter")  # the keys are the rails'
    expect_hit(piers, "tambourine", 720)
    for _ in range(2):
        piers.keyboard.press("Control+z")
        saved(piers)
    expect_no_hit(piers, "tambourine", 480)


def test_a_press_on_a_hit_of_another_part_takes_it_and_a_stroke_paints(piers: Page) -> None:
    struck = piers.evaluate(
        "easyPocket.screens.bench.rails.facts.others[0].voices.find(([name]) => name === 'conga_high')[1][0]"
    )
    piers.mouse.click(*other_slot(piers, "conga_high", struck))
    until(piers, "easyPocket.screens.bench.rails.facts.names.conga_high")
    expect_no_hit(piers, "conga_high", struck)
    saved(piers)
    start = other_slot(piers, "snare", 0)
    end = other_slot(piers, "snare", 960)
    drag(piers, start, (end[0] - start[0], 0))
    expect_hit(piers, "snare", 480)
    saved(piers)
    assert set(ticks(piers, "snare")) >= {0, 240, 480, 720, 960}
    piers.keyboard.press("Control+z")  # one step
    saved(piers)
    assert 240 not in ticks(piers, "snare")


@pytest.mark.parametrize("shown", [False, True])
def test_escape_in_a_stroke_on_another_part_makes_nothing(piers: Page, shown: bool) -> None:
    before = piers.evaluate("easyPocket.edits.revision")
    x, y = other_slot(piers, "tambourine", 240)
    piers.mouse.move(x, y)
    piers.mouse.down()
    piers.mouse.move(x + 150, y, steps=4)
    if shown:
        expect(piers.locator(".part-head.own b")).to_have_text("Frame drum")
        until(piers, "easyPocket.screens.bench.rails.drag?.ticks?.length")
    piers.keyboard.press("Escape")
    piers.mouse.up()
    expect(piers.locator(".part-head.own b")).to_have_text("Frame drum")
    saved(piers)
    assert piers.evaluate("easyPocket.edits.revision") == before
    click_slot(piers, "tambourine", 480)  # and the next press writes
    expect_hit(piers, "tambourine", 480)


def test_a_double_click_on_an_empty_slot_writes_one_hit(piers: Page) -> None:
    piers.mouse.dblclick(*slot_point(piers, "snare", 240))
    saved(piers)
    assert ticks(piers, "snare").count(240) == 1
    piers.mouse.dblclick(*other_slot(piers, "tambourine", 480))
    expect_hit(piers, "tambourine", 480)
    saved(piers)
    assert ticks(piers, "tambourine").count(480) == 1


def test_the_mix_of_another_part_is_set_where_it_stands(piers: Page) -> None:
    row = other(piers, "tambourine")
    piers.click(f"{row} [data-mix=mute]")
    saved(piers)
    expect(piers.locator(f"{row} [data-mix=mute]")).to_have_attribute("aria-pressed", "true")
    expect(piers.locator(row)).to_have_attribute("data-sounding", "false")
    expect(piers.locator(".part-head.own b")).to_have_text("Drums")  # what is written stays
    piers.locator(f"{row} .level").focus()
    piers.keyboard.press("ArrowUp")
    saved(piers)
    assert piers.locator(f"{row} .level").get_attribute("value") == "0.5"
    piers.locator(f"{row} .voice-name").click()
    expect(piers.locator(".part-head.own b")).to_have_text("Frame drum")
    expect(piers.locator("#rail-tambourine [data-mix=mute]")).to_have_attribute("aria-pressed", "true")


def test_arrows_go_from_part_to_part_and_over_what_is_folded(piers: Page) -> None:
    voices = piers.evaluate("easyPocket.screens.bench.rails.voices()")
    piers.locator("#rail-rows").focus()
    for _ in voices:
        piers.keyboard.press("ArrowDown")
    expect(piers.locator(".part-head.own b")).to_have_text("Frame drum")
    until(piers, "easyPocket.screens.bench.rails.cursor.voice === easyPocket.screens.bench.rails.voices()[0]")
    piers.keyboard.press("ArrowUp")
    expect(piers.locator(".part-head.own b")).to_have_text("Drums")
    until(piers, f"easyPocket.screens.bench.rails.cursor.voice === '{voices[-1]}'")
    piers.click("[data-fold]")
    expect(piers.locator(".other-row").first).to_be_hidden()
    piers.keyboard.press("ArrowDown")
    expect(piers.locator(".part-head.own b")).to_have_text("Drums")
    piers.reload()
    drawn(piers)
    expect(piers.locator(".other-row").first).to_be_hidden()


@pytest.mark.parametrize(("size", "open_rails", "closed_rails"), [((1280, 800), 12, 15), ((1024, 700), 8, 10)])
def test_there_is_room_for_rails(piers: Page, size: tuple[int, int], open_rails: int, closed_rails: int) -> None:
    piers.set_viewport_size({"width": size[0], "height": size[1]})
    for _ in range(6):
        voice = piers.locator('[data-edit="add-voice"] option').nth(1).get_attribute("value")
        piers.select_option('[data-edit="add-voice"]', voice)
        saved(piers)
        expect(piers.locator(f"#rail-{voice}")).to_be_attached()
    heights = piers.evaluate("[...document.querySelectorAll('.rail-row, .other-row')].map((row) => row.offsetHeight)")
    assert max(heights) - min(heights) <= 1
    assert piers.evaluate(SIGHT) >= open_rails
    piers.click("#drawer-grip")
    expect(piers.locator("#detail")).to_be_hidden()
    until(piers, f"({SIGHT})() >= {min(closed_rails, len(heights))}")
    piers.click("#drawer-grip")  # as it was, for who comes next
    piers.set_viewport_size({"width": 1280, "height": 800})


def test_the_drawer_is_drawn_up_and_down_and_comes_back_as_it_was(bench: Page) -> None:
    strip = bench.locator("#drawer")
    before = box_of(strip)["height"]
    grip = box_of(bench.locator("#drawer-grip"))
    drag(bench, (grip["x"] + 40, grip["y"] + 12), (0, -60))
    until(bench, f"document.getElementById('drawer').offsetHeight === {round(before) + 60}")
    bench.reload()
    drawn(bench)
    assert box_of(strip)["height"] == pytest.approx(before + 60, abs=1)
    bench.locator("#drawer-grip").focus()
    bench.keyboard.press("Enter")
    expect(bench.locator("#detail")).to_be_hidden()
    bench.keyboard.press("ArrowUp")
    expect(bench.locator("#detail")).to_be_visible()
    for _ in range(4):
        bench.keyboard.press("ArrowDown")
    assert box_of(strip)["height"] == pytest.approx(before, abs=16)
    # Drawn, and Escape while the hand still holds it: as it was.
    now = box_of(strip)["height"]
    grip = box_of(bench.locator("#drawer-grip"))
    bench.mouse.move(grip["x"] + 40, grip["y"] + 12)
    bench.mouse.down()
    bench.mouse.move(grip["x"] + 40, grip["y"] - 60)
    bench.keyboard.press("Escape")
    bench.mouse.up()
    assert box_of(strip)["height"] == pytest.approx(now, abs=1)
    bench.evaluate("localStorage.removeItem('easy-pocket-drawer')")


def test_escape_while_one_draws_in_the_drawer_makes_nothing(bench: Page) -> None:
    before = bench.evaluate("easyPocket.edits.revision")
    velocities = [hit(bench, "kick", tick)["velocity"] for tick in ticks(bench, "kick")]
    box = box_of(bench.locator("#detail"))
    bench.mouse.move(box["x"] + 10, box["y"] + box["height"] - 14)
    bench.mouse.down()
    bench.mouse.move(box["x"] + box["width"] - 20, box["y"] + box["height"] - 14, steps=5)
    until(bench, "easyPocket.screens.bench.rails.detail.drawn.size > 2")
    bench.keyboard.press("Escape")
    bench.mouse.up()
    bench.keyboard.press("ArrowRight")
    saved(bench)
    assert bench.evaluate("easyPocket.edits.revision") == before
    assert [hit(bench, "kick", tick)["velocity"] for tick in ticks(bench, "kick")] == velocities


def test_the_bar_stands_beside_the_chosen_hits_and_covers_none_of_them(bench: Page) -> None:
    bar = bench.locator("#choosing")
    expect(bar).to_be_hidden()
    bench.keyboard.press("w")  # the row of the cursor
    expect(bar).to_be_visible()
    inside, rail, rows = box_of(bar), box_of(bench.locator("#rail-kick")), box_of(bench.locator("#rail-rows"))
    assert inside["y"] >= rail["y"] + rail["height"] or inside["y"] + inside["height"] <= rail["y"]
    assert rows["x"] <= inside["x"]
    assert inside["x"] + inside["width"] <= rows["x"] + rows["width"]
    before = ticks(bench, "kick")
    bar.locator("[data-deed=ghost]").click()
    saved(bench)
    assert {hit(bench, "kick", tick)["velocity"] for tick in before} == {38}
    bench.keyboard.press("Escape")
    expect(bar).to_be_hidden()
    click_slot(bench, "rim", 0)  # what it covered can be pressed again
    expect_hit(bench, "rim", 0)
