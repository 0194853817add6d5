"""Take one picture of every main view, from the demo, into docs/screenshots (1280x800)."""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))
from tests.browser.gestures import drawn, head_of, saved, slot_point, until
from tests.browser.test_together import coming, share, write
from tests.running import CHROMIUM, FLAGS, running_app

TARGET = Path("docs/screenshots")
CUT = {"delay_ms": "8", "fade_in_ms": "4", "low_cut_hz": "320", "length_ms": "150", "level_db": "-6"}


def take(page: Page, address: str) -> None:
    page.goto(address)
    page.wait_for_selector(".song-card")
    page.screenshot(path=TARGET / "shelf.png")
    page.click("text=Lamplighter sketch")
    drawn(page)
    page.evaluate("document.fonts.ready")
    page.mouse.move(*head_of(page, "hat_closed", 720))
    page.screenshot(path=TARGET / "bench.png")
    page.keyboard.press("Escape")
    page.click(".voice-name >> text=Snare")
    page.wait_for_selector("#feel .scope .on >> text=Snare")
    page.screenshot(path=TARGET / "bench-voice.png")
    page.click('[data-mode="select"]')
    page.mouse.move(*slot_point(page, "hat_closed", 3600, 0.05))
    page.mouse.down()
    page.mouse.move(*slot_point(page, "hat_closed", 7600, 0.95), steps=6)
    page.mouse.up()
    page.click('[data-detail="tune_cents"]')
    page.keyboard.press("Escape")
    page.click('#bench-side [data-tab="tighten"]')
    until(page, "easyPocket.screens.bench.rails.marks.targets?.size > 0")
    page.screenshot(path=TARGET / "tighten.png")
    page.click('#bench-side [data-tab="pocket"]')
    page.wait_for_selector("#pocket-other")
    page.select_option("#pocket-other", label="loop quayside-break.flac")
    page.wait_for_selector("[data-worst-voice]")
    page.screenshot(path=TARGET / "pocket.png")
    page.click('#bench-side [data-tab="feel"]')
    page.click("nav >> text=Grooves")
    until(page, "easyPocket.screens.grooves.data")
    page.click("#groove-list >> text=Dead Slow")
    until(page, "document.getElementById('groove-title').value === 'Dead Slow'")
    page.click('[data-lane="mid"]')
    until(page, "easyPocket.screens.grooves.data.lane === 'mid'")
    page.screenshot(path=TARGET / "grooves.png")
    page.click("nav >> text=Ideas")
    until(page, "easyPocket.screens.ideas.cards.length === 6")
    page.click("#idea-grid article:nth-child(2) [data-idea-pin]")
    page.screenshot(path=TARGET / "ideas.png")
    page.click("nav >> text=Kit")
    page.wait_for_selector(".sound")
    page.click('[data-kit-voice="snare"]')
    page.wait_for_selector('.kit-bar[data-role="snare"]')
    until(page, "easyPocket.screens.kit.library.sound(0) !== null")
    page.locator("#sounds").focus()
    for name in ("snare, crack", "Dry Dock snare"):
        page.keyboard.press("Home")
        while page.locator(".sound.on b").inner_text() != name:
            page.keyboard.press("ArrowDown")
        page.keyboard.press("Shift+Enter")
        if page.locator("#note >> text=change it in all").is_visible():
            page.click("#note >> text=change it in all")
            page.locator("#sounds").focus()
        page.wait_for_selector(f'.layer-name b >> text="{name}"')
    page.click('[data-layer-line="2"] .layer-name')
    page.wait_for_selector('.kit-bar[data-layer="2"]')
    for field, value in CUT.items():
        page.click(f'[data-drag="layer"][data-field="{field}"] input')
        page.keyboard.type(value)
        page.keyboard.press("Enter")
        saved(page)
    page.locator("#sounds").focus()
    page.keyboard.press("ArrowDown")
    until(page, "easyPocket.screens.kit.library.chosen >= 0")
    page.screenshot(path=TARGET / "kit.png")
    page.click("nav >> text=Loops")
    page.wait_for_selector(".onset")
    page.hover(".onset >> nth=4 >> .grab", force=True)
    page.screenshot(path=TARGET / "loops.png")
    page.click('#loop-side [data-tab="against"]')
    page.wait_for_selector("#against-worst button")
    page.keyboard.press("Escape")  # what was said before it is away
    page.screenshot(path=TARGET / "loops-against.png")
    page.click('#loop-side [data-tab="hits"]')
    page.wait_for_selector(".group-line")
    page.screenshot(path=TARGET / "loops-hits.png")
    page.click('#loop-side [data-tab="under"]')
    page.click('[data-layer-put="true"]')
    page.wait_for_selector("#layer-level_db")
    page.click('[data-layer-duck="kick"]')
    page.wait_for_selector("#layer-duck_db")
    page.click('[data-wave-show="spectrum"]')
    until(page, "easyPocket.screens.loops.wave.picture && easyPocket.screens.loops.wave.drawnAt")
    page.screenshot(path=TARGET / "loops-under.png")
    whole_song(page, address)


def stage(page: Page) -> None:
    page.click('.ribbon >> text="Chorus"')
    page.click("nav >> text=Stage")
    until(page, "window.easyPocket.screen === 'stage'")
    page.click('.level-name >> text="High conga"')
    until(page, "document.querySelector('.who h2')?.textContent === 'High conga'")
    until(page, "document.querySelector('[data-measured=lufs]')?.textContent.length > 1")
    page.screenshot(path=TARGET / "stage.png")


def takes(page: Page, address: str) -> None:
    page.goto(address)
    page.click('h3 >> text="Slack Water"')
    page.click("nav >> text=Takes")
    until(page, "window.easyPocket.screen === 'takes' && easyPocket.current.data?.take")
    page.click("#hand-look")
    page.wait_for_selector(".hand-figures")
    page.click("[data-source=quay]")
    page.keyboard.press("Space")
    until(page, "easyPocket.current.quay.played.length > 45")
    page.screenshot(path=TARGET / "takes.png")
    page.keyboard.press("Space")


def whole_song(page: Page, address: str) -> None:
    page.goto(address)
    page.click('h3 >> text="Lamplighter"')
    page.click("nav >> text=Song")
    until(page, "easyPocket.screens.song.data && document.querySelector('[data-cell]')")
    page.locator("[data-head]").nth(3).click()
    page.locator("[data-cell]").nth(10).click()
    page.mouse.move(640, 120)
    page.screenshot(path=TARGET / "song.png")
    stage(page)
    page.click("nav >> text=Song")
    until(page, "easyPocket.screens.song.data && document.querySelector('[data-cell]')")
    page.locator("[data-join]").nth(3).click()
    page.screenshot(path=TARGET / "song-joins.png")
    page.locator("[data-part]").nth(2).click()
    page.screenshot(path=TARGET / "song-part.png")
    page.locator("[data-cell]").nth(3).click()
    page.click("nav >> text=Bench")
    until(page, "easyPocket.screens.bench.rails.facts?.others?.length === 3 && easyPocket.song.at[1]")
    drawn(page)
    page.screenshot(path=TARGET / "bench-parts.png")


def together(browser: Browser, address: str, home: Path) -> None:
    """Two people in one song. The last picture: from here on everybody signs in."""
    with coming(browser, address, EASY_POCKET_HOME=str(home)) as come:
        ada, ben = come("Ada Quill"), come("Ben Marsh")
        ada.click("text=Lamplighter sketch")
        drawn(ada)
        ben.goto(share(ada, "write"))
        ben.click("text=Write in it")
        drawn(ben)
        write(ben, "rim", 1200)
        ada.wait_for_selector("#elsewhere:not([hidden])")
        ada.click("#comments-open")
        for bar, words in ((1, "the ghosts before two are lovely, leave them"), (2, "open hat a hair later?")):
            ada.get_by_label("Bar of the section").fill(str(bar))
            ada.get_by_label("Comment", exact=True).fill(words)
            ada.keyboard.press("Enter")
            ada.wait_for_selector(f"#comments-box .comment >> text={words}")
        ada.wait_for_selector("#people button")
        ada.screenshot(path=TARGET / "together.png")


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    with running_app() as (address, home), sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script("localStorage.setItem('easy-pocket-first-lines', 'all')")
        take(page, address)
        takes(page, address)
        together(browser, address, home)
        browser.close()
    print(*sorted(str(path) for path in TARGET.glob("*.png")), sep="\n")


if __name__ == "__main__":
    main()
