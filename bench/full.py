"""A Bench filled for measuring."""

from __future__ import annotations

from playwright.sync_api import Page

from tests.browser.gestures import saved


def fill_rails(page: Page, bars: int, rails: int = 99) -> None:
    """So many bars of 16ths on so many rails (at most all the kit has), all of them in view."""
    page.evaluate(
        """({ bars, rails }) => {
            const { edits } = easyPocket;
            const options = [...document.querySelectorAll('[data-edit=add-voice] option')].filter(({ value }) => value);
            const more = Math.max(0, rails - easyPocket.screens.bench.rails.voices().length);
            for (const { value } of options.slice(0, more)) edits.push({kind: 'voice', voice: value, there: true});
            edits.push({kind: 'length', bars});
        }""",
        {"bars": bars, "rails": rails},
    )
    saved(page)
    page.evaluate(
        """() => {
            for (const voice of easyPocket.screens.bench.rails.voices())
                easyPocket.edits.push({kind: 'row_every', voice, start_tick: 0, step_ticks: 240, every: 1});
        }"""
    )
    saved(page)
    page.evaluate(f"easyPocket.screens.bench.rails.show(0, {bars} * 3840)")
