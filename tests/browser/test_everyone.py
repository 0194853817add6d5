"""For every hand and every eye: no fault that axe finds on any screen, tab and menu; few tab stops, arrows inside."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.browser.gestures import drawn, saved, until
from tests.npm import ROOT, npm_installed

SCREENS = ("bench", "loops", "grooves", "ideas", "song", "kit", "stage", "takes")
FAULTS = """async (within) => {
    const found = await axe.run(within ? { include: [[within]] } : document, { resultTypes: ['violations'] });
    return found.violations.map((one) => `${one.id}: ${one.nodes.map((node) => node.html.slice(0, 120)).join(' | ')}`);
}"""
FEW_ON_THE_BENCH = 12
FEW_ON_SONG = 10


@pytest.fixture(scope="module")
def axe() -> str:
    npm_installed()
    return (ROOT / "node_modules/axe-core/axe.min.js").read_text() + "; 0"


def faults(page: Page, axe: str, within: str = "") -> list[str]:
    """On the whole page, or within a part of it: what was looked at once needs no second look."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(axe)
    found: list[str] = page.evaluate(FAULTS, within)
    return found


def test_axe_can_find_a_fault(page: Page, axe: str) -> None:
    page.goto("/")
    page.evaluate("document.querySelector('.song-card a.picture').removeAttribute('aria-label')")
    page.evaluate("document.querySelector('.song-card a.picture').removeAttribute('tabindex')")
    assert [fault.split(":")[0] for fault in faults(page, axe)] == ["link-name"]


def test_axe_finds_nothing_on_the_shelf(page: Page, axe: str) -> None:
    page.goto("/")
    expect(page.locator(".song-card").first).to_be_visible()
    assert faults(page, axe) == []
    page.locator(".song-card .more").first.click()
    assert faults(page, axe, ".song-card") == []


@pytest.mark.parametrize("screen", SCREENS)
def test_axe_finds_nothing_on_a_screen_its_tabs_and_menus(page: Page, axe: str, song: str, screen: str) -> None:
    page.goto(f"{song}/{screen}")
    until(page, f"window.easyPocket?.screen === '{screen}'")
    assert faults(page, axe) == []
    tabs = page.locator("[data-tab]:visible")
    for number in range(tabs.count()):
        tabs.nth(number).click()
        assert faults(page, axe, "#screen > aside") == [], f"tab {number}"
    # What every screen shares is looked at once.
    where = "" if screen == "bench" else "#screen "
    menus = page.locator(f"{where}[x-data=popover] > button[aria-expanded]:visible")
    for number in range(menus.count()):
        menus.nth(number).click()
        expect(menus.nth(number)).to_have_attribute("aria-expanded", "true")
        assert faults(page, axe, ".is-active .popover") == [], f"menu {number}"
        page.keyboard.press("Escape")
        expect(menus.nth(number)).to_have_attribute("aria-expanded", "false")


NO_TIPS = """async () => {
    const { tipOf } = await import(document.querySelector("link[rel=modulepreload][href$='shared/tip.js']").href);
    const controls = document.querySelectorAll(":is(#screen, header, .ribbon, .ledger) :is(button, input, select, summary, a[href])");
    const told = (one) => tipOf(one) || one.closest("[hidden], [aria-hidden=true]") || ["file", "hidden"].includes(one.type);
    return [...controls].filter((one) => !told(one)).map((one) => one.outerHTML.slice(0, 160));
}"""


@pytest.mark.parametrize("screen", ["shelf", *SCREENS])
def test_every_control_says_what_it_does_by_pointer_and_keys(page: Page, song: str, screen: str) -> None:
    page.goto("/" if screen == "shelf" else f"{song}/{screen}")
    expect(page.locator("#screen")).to_be_visible()
    if screen != "shelf":
        until(page, f"window.easyPocket?.screen === '{screen}'")
    assert page.evaluate(NO_TIPS) == []


def test_a_tip_is_shown_under_a_resting_pointer_and_for_the_focus_by_keys(bench: Page) -> None:
    tip = bench.locator("#tip")
    # The rails have the keys on arriving: they are the work, and nothing is told of them.
    until(
        bench,
        "document.activeElement.id === 'rail-rows' && performance.now() > (window.arrived ??= performance.now()) + 900",
    )
    expect(tip).to_be_hidden()
    bench.locator("#straight").hover()
    expect(tip).to_have_text("Hear every hit on its grid (hold h)")
    bench.locator("#click-chip").click()
    expect(tip).to_be_hidden()
    bench.locator("label", has_text="between the beats").hover()
    expect(tip).to_have_text("Softer clicks between the beats")
    bench.keyboard.press("Escape")
    bench.mouse.move(640, 790)
    bench.locator("#straight").focus()
    bench.keyboard.press("ArrowLeft")
    expect(tip).to_have_text("Hear the beat with its feel")


def test_a_name_that_is_cut_off_is_told_whole(bench: Page) -> None:
    long = "Tidewater parade, the second line, as it was played on the quay in the rain last autumn"[:80]
    name = bench.locator("#song-name")
    name.fill(long)
    name.press("Enter")
    saved(bench)
    bench.keyboard.press("Tab")
    name.focus()
    expect(bench.locator("#tip")).to_have_text(f"{long} · Name of the song")


def test_axe_finds_nothing_in_what_opens_over_the_bench(bench: Page, axe: str) -> None:
    for key, opened in (("?", "#shortcuts"), ("i", "#go-to"), ("w", "#choosing")):
        bench.keyboard.press(key)
        expect(bench.locator(opened)).to_be_visible()
        assert faults(bench, axe, opened) == [], opened
        bench.keyboard.press("Escape")
        expect(bench.locator(opened)).to_be_hidden()
    bench.click("#rail-kick [data-row-tools]")
    expect(bench.locator("#row-tools")).to_be_visible()
    assert faults(bench, axe, "#row-tools") == []
    bench.keyboard.press("Escape")
    for kind in ("lines", "snapshots", "steps"):
        bench.click(f"[data-memory={kind}]")
        expect(bench.locator("#memory")).to_be_visible()
        assert faults(bench, axe, "#memory") == [], kind


def stops(page: Page) -> list[str]:
    """What Tab comes to from the top of the page to its end."""
    page.evaluate("document.activeElement.blur()")
    page.evaluate("document.querySelector('.skip').focus()")
    found: list[str] = []
    for _ in range(60):
        name = page.evaluate(
            "(document.activeElement.id || document.activeElement.className || document.activeElement.tagName) + ''"
        )
        if name in ("BODY", "HTML") or (len(found) > 1 and "skip" in name):
            return found
        found.append(name)
        page.keyboard.press("Tab")
    return found


def test_there_are_few_tab_stops_and_arrows_go_on_from_there(bench: Page) -> None:
    found = stops(bench)
    assert "rail-rows" in found
    assert len(found) <= FEW_ON_THE_BENCH, found
    bench.locator("#rail-rows").focus()
    bench.keyboard.press("d")  # longer than what is in view: the overview is there too
    saved(bench)
    expect(bench.locator("#overview")).to_be_visible()
    longer = stops(bench)
    assert len(longer) <= FEW_ON_THE_BENCH, longer
    bench.locator("#play").focus()
    bench.keyboard.press("ArrowRight")
    until(bench, "document.activeElement.id === 'tempo'")
    bench.keyboard.press("Home")
    bench.keyboard.press("ArrowRight")  # the caret moves in a text
    until(bench, "document.activeElement.id === 'tempo'")
    bench.keyboard.press("End")
    bench.keyboard.press("ArrowRight")
    until(bench, "document.activeElement.id === 'tap'")
    bench.keyboard.press("Shift+Tab")
    bench.keyboard.press("Tab")  # a group is left and found again where it was
    until(bench, "document.activeElement.id === 'tap'")


def test_heads_of_rails_are_gone_through_by_arrows(bench: Page) -> None:
    bench.locator("#rail-kick [data-mix=mute]").focus()
    bench.keyboard.press("ArrowDown")
    until(bench, "document.activeElement.closest('#rail-snare') && document.activeElement.dataset.mix === 'mute'")
    bench.keyboard.press("Space")
    saved(bench)
    expect(bench.locator("#rail-snare [data-mix=mute]")).to_have_attribute("aria-pressed", "true")
    until(bench, "document.activeElement.closest('#rail-snare') && document.activeElement.dataset.mix === 'mute'")
    bench.keyboard.press("ArrowLeft")
    bench.keyboard.press("ArrowLeft")
    until(bench, "document.activeElement.matches('#rail-snare .level')")
    before = float(bench.locator("#rail-snare .level").input_value())
    bench.keyboard.press("ArrowUp")  # a slider keeps up and down
    saved(bench)
    assert float(bench.locator("#rail-snare .level").input_value()) == before + 0.5


def test_song_has_few_tab_stops(page: Page, song: str) -> None:
    page.goto(f"{song}/song")
    until(page, "window.easyPocket?.screens.song?.data && document.querySelector('[data-cell]')")
    found = stops(page)
    assert len(found) <= FEW_ON_SONG, found


def test_every_screen_has_a_heading_and_a_title_of_its_own(page: Page, song: str) -> None:
    page.goto(f"{song}/bench")
    drawn(page)
    titles = set()
    for screen in (*SCREENS[1:], "bench"):
        page.click(f'[data-screen-link="{screen}"]')
        until(page, f"easyPocket.screen === '{screen}'")
        expect(page.locator("h1")).to_have_count(1)
        expect(page.locator("h1")).to_have_text(screen.capitalize())
        expect(page).to_have_title(f"{screen.capitalize()} · Lamplighter sketch copy · Easy Pocket")
        titles.add(page.title())
    assert len(titles) == len(SCREENS)


def test_what_a_control_does_is_told_by_focus_and_by_a_resting_pointer(bench: Page) -> None:
    tip = bench.locator("#tip")
    bench.locator("#to-start").focus()
    bench.keyboard.press("ArrowRight")
    bench.keyboard.press("ArrowLeft")
    expect(tip).to_have_text("Back to the start")
    bench.keyboard.press("Escape")
    expect(tip).to_be_hidden()
    bench.hover("[data-follow]")
    expect(tip).to_contain_text("follow the needle")
    bench.hover("#rail-kick .voice-name")
    expect(tip).to_contain_text("Show the feel of kick")
    bench.click("#rail-kick .voice-name")
    expect(tip).to_be_hidden()
