"""The Bench under fingers, on a small tablet: write, wipe, draw heads and stems, choose, pinch."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, CDPSession, Page

from tests.browser.gestures import drawn, expect_hit, expect_no_hit, hit, saved, slot_point, until

Point = tuple[float, float]


class Fingers:
    """Touches as a screen reports them, one or two at a time."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.session: CDPSession = page.context.new_cdp_session(page)

    def send(self, kind: str, *points: Point) -> None:
        touches = [{"x": x, "y": y, "id": number} for number, (x, y) in enumerate(points)]
        self.session.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": touches})

    def tap(self, point: Point) -> None:
        self.send("touchStart", point)
        self.send("touchEnd")

    def draw(self, start: Point, by: Point, steps: int = 6) -> None:
        self.send("touchStart", start)
        for step in range(1, steps + 1):
            self.send("touchMove", (start[0] + by[0] * step / steps, start[1] + by[1] * step / steps))
        self.send("touchEnd")


@pytest.fixture
def tablet(browser: Browser, address: str, song: str) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1024, "height": 768}, has_touch=True, base_url=address)
    page = context.new_page()
    page.goto(f"{song}/bench")
    drawn(page)
    yield page
    context.close()


def test_a_finger_writes_wipes_draws_and_two_of_them_zoom(tablet: Page) -> None:
    fingers = Fingers(tablet)
    fingers.tap(slot_point(tablet, "rim", 0))
    expect_hit(tablet, "rim", 0)
    saved(tablet)
    # The stem up and down: its velocity.
    found = hit(tablet, "rim", 0)
    fingers.draw((found["x"], found["y"] + 14), (0, -12))
    saved(tablet)
    assert hit(tablet, "rim", 0)["velocity"] > found["velocity"]
    # The head sideways: its own offset.
    found = hit(tablet, "rim", 0)
    fingers.draw((found["x"], found["y"]), (18, 0))
    saved(tablet)
    assert hit(tablet, "rim", 0)["own"] > found["own"] + 1
    # A finger that rests wipes, and goes on wiping where it is drawn.
    fingers.tap(slot_point(tablet, "rim", 960))
    expect_hit(tablet, "rim", 960)
    saved(tablet)
    found = hit(tablet, "rim", 960)
    fingers.send("touchStart", (found["x"], found["y"] + 10))
    until(tablet, "easyPocket.screens.bench.rails.drag?.wipes")
    fingers.send("touchEnd")
    saved(tablet)
    expect_no_hit(tablet, "rim", 960)
    # Two fingers apart: nearer.
    span = "easyPocket.screens.bench.rails.look.end - easyPocket.screens.bench.rails.look.start"
    before = tablet.evaluate(span)
    x, y = slot_point(tablet, "snare", 2880)
    fingers.send("touchStart", (x - 40, y), (x + 40, y))
    fingers.send("touchMove", (x - 90, y), (x + 90, y))
    fingers.send("touchEnd")
    until(tablet, f"{span} < {before} * 0.7")


def test_a_frame_is_drawn_by_a_finger(tablet: Page) -> None:
    fingers = Fingers(tablet)
    fingers.tap(_middle(tablet, '[data-mode="select"]'))
    start, end = slot_point(tablet, "snare", 700, 0.1), slot_point(tablet, "snare", 3500, 0.95)
    fingers.draw(start, (end[0] - start[0], end[1] - start[1]))
    until(tablet, "easyPocket.screens.bench.rails.chosen.keys.size >= 4 && !easyPocket.screens.bench.rails.drag")
    # A tap too soon after a stroke is the end of a fling to the browser, and presses nothing: a hand taps once more.
    tablet.evaluate("document.addEventListener('click', () => { window.pressed = true; }, true)")
    for _ in range(4):
        until(tablet, "((window.lifted = performance.now()), true)")
        until(tablet, "window.lifted + 700 < performance.now()")
        tablet.locator("#choosing [data-deed=accent]").tap()
        if tablet.evaluate("new Promise((done) => setTimeout(() => done(window.pressed === true), 400))"):
            break
    until(tablet, "easyPocket.screens.bench.rails.find('snare', 960).velocity === 116")


def _middle(page: Page, selector: str) -> Point:
    box = page.locator(selector).bounding_box()
    assert box is not None
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
