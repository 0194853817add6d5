"""The feel: a large performance with every stage on, and how often a slider that is dragged redraws and re-sounds."""

from __future__ import annotations

from playwright.sync_api import Page, sync_playwright

from bench.clock import median_ms
from bench.full import fill_rails
from easy_pocket.core.feel.feel import Feel, FeelScopes
from easy_pocket.core.feel.house_grooves import house_grooves
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.feel.stages import TIME_STAGES
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.voices import DRUMS
from tests.browser.gestures import drawn, saved
from tests.running import CHROMIUM, FLAGS, running_app

DRAG_S = 4.0


def run() -> None:
    _perform()
    with running_app() as (address, _), sync_playwright() as driver:
        browser = driver.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=address)
        page.goto("/")
        page.click("text=Lamplighter sketch")
        drawn(page)
        _sliders(page)
        browser.close()


def _perform() -> None:
    feel = FeelScopes(
        Feel(swing_percent=58, template=house_grooves()["dead_slow"], timing_pull=70, accent_pull=40, drift_ms=4,
             jitter_ms=2, touch=8, seed=41, ghost_percent=80, depth_percent=130, weaker_hand=True),
        Feel(push_ms=3),
        {"snare": Feel(push_ms=8)},
    )  # fmt: skip
    voices = [*DRUMS, *(f"note{number}" for number in range(80, 85))]
    hits = tuple(Hit(v, slot * 240, 30 + slot % 90, slot % 3) for v in voices for slot in range(64 * 16))
    pattern = Pattern(64 * 3840, hits)
    ready = median_ms(lambda: perform(pattern, feel, tempo_bpm=104))
    moved = perform(pattern, feel, tempo_bpm=104).amounts_ms.any(axis=1).sum()
    words = f"{moved} of {len(TIME_STAGES)} stages moving hits"
    print(f"64 bars x {len(voices)} voices of 16ths, {len(hits)} hits, {words}: {ready:.0f} ms (wanted: 150)")


def _sliders(page: Page) -> None:
    """Eight bars of 16ths on eight rails while it plays; swing is dragged to and fro."""
    fill_rails(page, 8, 8)
    page.click("#play")
    page.evaluate(
        """() => {
            window.answers = 0;
            window.drawings = 0;
            const { setStack } = easyPocket.player;
            easyPocket.player.setStack = function (...rest) { window.answers += 1; return setStack.apply(this, rest); };
            const { rails } = easyPocket.screens.bench;
            const { draw } = rails;
            rails.draw = function (...rest) { window.drawings += 1; return draw.apply(this, rest); };
        }"""
    )
    # The pointer is moved by the page itself, once a frame: a driver beside it would take the processor it measures.
    seconds = page.evaluate(
        """(duration_ms) => new Promise((done) => {
            const slider = document.getElementById('feel-swing_percent');
            const began = performance.now();
            let step = 0;
            const tick = () => {
                const took = performance.now() - began;
                step += 1;
                slider.value = 55 + 15 * Math.abs(((step / 60) % 2) - 1);
                slider.dispatchEvent(new Event('input', { bubbles: true }));
                if (took < duration_ms) return requestAnimationFrame(tick);
                slider.dispatchEvent(new Event('change', { bubbles: true }));
                done(took / 1000);
            };
            requestAnimationFrame(tick);
        })""",
        1000 * DRAG_S,
    )
    answers, drawings = page.evaluate("[window.answers, window.drawings]")
    saved(page)
    rails, hits = page.evaluate(
        "(({ rails }) => [rails.voices().length, [...rails.data.all()].length])(easyPocket.screens.bench)"
    )
    print(
        f"swing dragged, 8 bars x {rails} rails ({hits} hits), playing: {answers / seconds:.0f} times a second "
        f"answered and given to the player, {drawings / seconds:.0f} drawn (wanted: 15)"
    )
