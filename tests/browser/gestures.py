"""What a user does and sees, by place and not by markup."""

from __future__ import annotations

from typing import Any

from playwright.sync_api import FloatRect, Locator, Page

EDGE = 1.7


def slot_point(page: Page, voice: str, tick: int, share: float = 0.5) -> tuple[float, float]:
    """Where a slot of a voice is on the screen; share 0 is the top of its rail."""
    # Both read in one go: the rails may be drawn anew at any moment, and between two questions they would be gone.
    until(
        page,
        f"""(() => {{
            const rows = document.getElementById('rail-rows');
            const box = document.querySelector('#rail-{voice} canvas.rail')?.getBoundingClientRect();
            if (!box?.width || !(Number(rows?.dataset.end) > 0)) return false;
            window.measured = [Number(rows.dataset.start), Number(rows.dataset.end), box.x, box.y, box.width, box.height];
            return true;
        }})()""",
    )
    start, end, x, y, width, height = page.evaluate("window.measured")
    percent = EDGE + (100 - 2 * EDGE) * (tick - start) / (end - start)
    return x + width * percent / 100, y + height * share


def box_of(locator: Locator) -> FloatRect:
    """Where something is on the screen, once it is there: what is drawn anew is gone for a moment."""
    for _ in range(500):
        box = locator.bounding_box()
        if box is not None:
            return box
        locator.page.evaluate("() => new Promise(requestAnimationFrame)")
    raise AssertionError(f"never on the screen: {locator}")


def drawn(page: Page) -> None:
    """Wait until the rails have been drawn."""
    until(page, "window.easyPocket?.screens.bench.rails?.drawnAt")


def seen(page: Page, voice: str, tick: int) -> dict[str, Any] | None:
    """A hit as it is drawn: where on the page, and its values."""
    found: dict[str, Any] | None = page.evaluate(f"easyPocket.screens.bench.rails.seen('{voice}', {tick})")
    return found


def hit(page: Page, voice: str, tick: int) -> dict[str, Any]:
    """The same, once it is there and the server has said so."""
    until(page, f"easyPocket.screens.bench.rails.find('{voice}', {tick})?.waiting === false")
    found = seen(page, voice, tick)
    assert found is not None
    return found


def expect_hit(page: Page, voice: str, tick: int) -> None:
    until(page, f"easyPocket.screens.bench.rails.find('{voice}', {tick})?.waiting === false")


def expect_no_hit(page: Page, voice: str, tick: int) -> None:
    until(page, f"!easyPocket.screens.bench.rails.find('{voice}', {tick})")


def ticks(page: Page, voice: str) -> list[int]:
    found: list[int] = page.evaluate(f"easyPocket.screens.bench.rails.data.hits('{voice}').map((hit) => hit.tick)")
    return sorted(found)


def click_slot(page: Page, voice: str, tick: int) -> None:
    page.mouse.click(*slot_point(page, voice, tick))


def drag(page: Page, start: tuple[float, float], by: tuple[float, float]) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(start[0] + by[0] / 2, start[1] + by[1] / 2, steps=3)
    page.mouse.move(start[0] + by[0], start[1] + by[1], steps=3)
    page.mouse.up()


def head_of(page: Page, voice: str, tick: int) -> tuple[float, float]:
    found = hit(page, voice, tick)
    return found["x"], found["y"]


def until(page: Page, condition: str, seconds: float = 25.0) -> None:
    """Wait, frame by frame, until a JavaScript expression holds. (The page's policy forbids the driver's own eval.)"""
    held = page.evaluate(
        f"""async () => {{
            const end = performance.now() + {seconds * 1000};
            while (!({condition})) {{
                if (performance.now() > end) return false;
                await new Promise((go) => setTimeout(go, 10));
            }}
            return true;
        }}"""
    )
    assert held, f"after {seconds} s it does not hold: {condition}"


def saved(page: Page) -> None:
    """Wait until every edit has been answered and drawn."""
    until(
        page,
        "easyPocket.edits.queue.length === 0 && !easyPocket.edits.sending && !easyPocket.edits.preparing && !easyPocket.waitsForEar",
    )


def own_ms(page: Page, voice: str, tick: int) -> float:
    return float(hit(page, voice, tick)["own"])


def velocity(page: Page, voice: str, tick: int) -> int:
    return int(hit(page, voice, tick)["velocity"])


def expect_hits(page: Page, voice: str, count: int) -> None:
    until(page, f"easyPocket.screens.bench.rails.data.hits('{voice}').filter((hit) => !hit.waiting).length === {count}")
