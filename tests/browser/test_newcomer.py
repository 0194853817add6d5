"""What meets somebody new, and who has much: a line that can be sent away, long lists that can be searched."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.gestures import drawn, hit, saved


@pytest.fixture
def newcomer(browser: Browser, address: str) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
    yield context.new_page()
    context.close()


def test_a_line_per_screen_is_sent_away_for_good(newcomer: Page, song: str) -> None:
    page = newcomer
    page.goto(f"{song}/bench")
    drawn(page)
    line = page.locator(".first-run")
    expect(line).to_contain_text("Click a slot to write a hit")
    line.get_by_role("button", name="got it").click()
    expect(line).to_be_hidden()
    page.keyboard.press("i")
    page.keyboard.press("7")
    expect(page.locator(".first-run")).to_contain_text("step through the sounds")
    page.reload()
    expect(page.locator(".first-run")).to_be_visible()
    page.goto(f"{song}/bench")
    drawn(page)
    expect(page.locator(".first-run")).to_be_hidden()


def test_a_list_of_many_grooves_is_searched(bench: Page) -> None:
    bench.locator("[data-groove-open]").click()
    find = bench.locator("#groove-chooser [data-find-in]")
    rows = bench.locator("#groove-chooser .groove-row:visible")
    expect(rows).not_to_have_count(0)
    if rows.count() <= 12:
        expect(find).to_be_hidden()
        bench.evaluate(
            "const list = document.querySelector('#groove-chooser .groove-list');"
            "while (list.children.length < 13) list.append(list.lastElementChild.cloneNode(true))"
        )
    find.fill("rope wa")
    for text in rows.all_inner_texts():
        assert "Rope Walk" in text
    find.press("Enter")
    expect(bench.locator("#groove-chooser .groove-list")).to_be_focused()
    bench.keyboard.press("Escape")
    expect(bench.locator("#groove-chooser")).to_be_hidden()


def test_a_sound_runs_backwards_into_a_chosen_hit(bench: Page) -> None:
    snare = hit(bench, "snare", 960)
    bench.keyboard.down("Control")
    bench.mouse.click(snare["x"], snare["y"])
    bench.keyboard.up("Control")
    bench.locator("#choosing").get_by_text("more").click()
    bench.select_option("#reverse-voice", "hat_open")
    bench.get_by_role("button", name="reverse into this hit").click()
    saved(bench)
    back = hit(bench, "hat_open", 0)
    assert back["articulation"]["backwards"] is True
    begins, ends = bench.evaluate(
        """(() => {
            const { felt } = easyPocket.player.stack;
            const at = felt.audio.findIndex((key) => key.includes('-r'));
            const frames = Number(/-r(\\d+)/.exec(felt.audio[at])[1]);
            const snare = felt.start_s.filter((s, i) => felt.audio[felt.sound[i]].startsWith('snare')).find((s) => s > 0.4);
            return [felt.start_s[felt.sound.indexOf(at)] + frames / 44100, snare];
        })()"""
    )
    assert abs(begins - ends) < 0.0001


def test_the_slot_under_the_cursor_has_a_name(bench: Page) -> None:
    rails = bench.locator("#rail-rows")
    rails.focus()
    bench.keyboard.press("Home")
    expect(rails).to_have_attribute("role", "grid")
    voice = bench.evaluate("easyPocket.screens.bench.rails.cursor.voice")
    expect(rails).to_have_attribute("aria-activedescendant", f"cell-{voice}")
    cell = bench.locator(f"#cell-{voice}")
    bench.keyboard.press("ArrowRight")
    expect(cell).to_have_attribute("aria-colindex", "2")
    expect(cell).to_contain_text("1.1 e, no hit")
    bench.keyboard.press("Enter")
    expect(cell).to_contain_text("velocity")
