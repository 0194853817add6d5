"""Writing many hits at once, by pointer and by the tools of a row."""

from playwright.sync_api import expect

from tests.browser.gestures import click_slot, expect_hits, saved, slot_point, ticks


def draw(page, points, button="left"):
    page.mouse.move(*points[0])
    page.mouse.down(button=button)
    for point in points[1:]:
        page.mouse.move(*point, steps=6)
    page.mouse.up(button=button)
    saved(page)


def test_drawing_along_a_rail_paints_and_is_one_step(bench):
    before = ticks(bench, "rim")
    draw(bench, [slot_point(bench, "rim", 0), slot_point(bench, "rim", 960), slot_point(bench, "rim", 1680)])
    painted = {0, 240, 480, 720, 960, 1200, 1440, 1680}
    assert set(ticks(bench, "rim")) == {*before, *painted}
    bench.keyboard.press("Control+z")
    expect_hits(bench, "rim", len(before))
    assert ticks(bench, "rim") == before


def test_a_quick_stroke_leaves_no_slot_out(bench):
    start, end = slot_point(bench, "rim", 0), slot_point(bench, "rim", 3360)
    bench.mouse.move(*start)
    bench.mouse.down()
    bench.mouse.move(start[0] + 12, start[1])
    bench.mouse.move(*end)
    bench.mouse.up()
    saved(bench)
    assert set(range(0, 3361, 240)) <= set(ticks(bench, "rim"))


def test_the_right_button_wipes_over_rails_and_is_one_step(bench):
    kicks, snares = ticks(bench, "kick"), ticks(bench, "snare")
    top, bottom = slot_point(bench, "kick", 3840, 0.8), slot_point(bench, "snare", 3840 + 960, 0.8)
    way = [(top[0] - 6, top[1]), (top[0] + 4, top[1]), (bottom[0] - 8, bottom[1]), (bottom[0] + 8, bottom[1])]
    draw(bench, way, "right")
    assert 3840 not in ticks(bench, "kick")
    assert 4800 not in ticks(bench, "snare")
    assert len(ticks(bench, "kick")) == len(kicks) - 1
    bench.keyboard.press("Control+z")
    expect_hits(bench, "kick", len(kicks))
    assert ticks(bench, "snare") == snares


def test_shift_wipes_too(bench):
    before = ticks(bench, "tambourine")
    bench.keyboard.down("Shift")
    start = slot_point(bench, "tambourine", 0, 0.8)
    end = slot_point(bench, "tambourine", 7440, 0.8)
    draw(bench, [start, end])
    bench.keyboard.up("Shift")
    assert before
    expect_hits(bench, "tambourine", 0)


def row_tools(page, voice):
    page.hover(f"#rail-{voice} .voice-name")
    page.click(f"#rail-{voice} [data-row-tools]")


def test_the_tools_of_a_row(bench):
    draw(bench, [slot_point(bench, "rim", 7680 - 240, 0.8), slot_point(bench, "rim", 0, 0.8)], "right")
    expect_hits(bench, "rim", 0)
    row_tools(bench, "rim")
    bench.fill("#row-hits", "3")
    bench.fill("#row-slots", "8")
    bench.click("[data-spread]")
    saved(bench)
    assert ticks(bench, "rim") == [base + slot for base in range(0, 7680, 1920) for slot in (0, 720, 1440)]
    bench.click('[data-turn="later"]')
    saved(bench)
    assert ticks(bench, "rim")[0] == 240
    bench.select_option("#row-copy-to", label="Tambourine")
    bench.fill("#row-shift", "2")
    count = len(ticks(bench, "tambourine"))
    bench.click("[data-copy]")
    saved(bench)
    assert 720 in ticks(bench, "tambourine")
    assert len(ticks(bench, "tambourine")) > count
    bench.fill("#row-percent", "50")
    bench.click("[data-thin]")
    saved(bench)
    assert len(ticks(bench, "rim")) == 6
    bench.fill("#row-hits", "9")
    bench.click("[data-spread]")
    expect(bench.locator("#note")).to_contain_text("hits to spread is 9; it must lie between 0 and 8")
    bench.keyboard.press("Escape")
    expect(bench.locator("#row-tools")).to_be_hidden()


def test_every_second_slot_from_the_cursor_on_another_grid(bench):
    bench.select_option('[data-edit="grid"]', label="8th triplets")
    expect(bench.locator(".part-head")).to_contain_text("8th triplets")
    click_slot(bench, "rim", 320)
    saved(bench)
    row_tools(bench, "rim")
    bench.check("#row-from-cursor")
    bench.click('[data-every="2"]')
    saved(bench)
    assert {320, 960, 1600} <= set(ticks(bench, "rim"))
    bench.uncheck("#row-from-cursor")  # from the bar, and nothing else stays
    bench.check("#row-replace")
    bench.click('[data-every="3"]')
    saved(bench)
    assert ticks(bench, "rim") == list(range(0, 7680, 960))
    bench.uncheck("#row-replace")
    assert bench.evaluate("easyPocket.screens.bench.rails.data.step('rim')") == 320
    bench.keyboard.press("Escape")
    for _ in range(4):
        bench.keyboard.press("Control+z")
        saved(bench)
    expect(bench.locator(".part-head")).to_contain_text("16ths")
